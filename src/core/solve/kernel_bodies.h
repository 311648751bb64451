// SPDX-License-Identifier: Apache-2.0
// How the kernel fetches the bodies of a block, and puts them back.
#pragma once
#include "core/solve/kernel_rows.h"

namespace drubble::DRUBBLE_LANES {

struct Body8 {
  v8 velocity, spin;
  f8 moved_x, moved_y;  // ride along: they stand in the same four floats
};
struct Place8 {
  v8 moved, turned;
  f8 turned_w;
};

DRUBBLE_INLINE void loadBody(const BodyRow* rows, const std::uint32_t* at, Body8& b) {
  const float* p[8];
  f8 f[4], g[4];
  for (int i = 0; i < 8; ++i) p[i] = reinterpret_cast<const float*>(rows + at[i]);
  gather4(p, f);
  for (int i = 0; i < 8; ++i) p[i] += 4;
  gather4(p, g);
  b = {{f[0], f[1], f[2]}, {f[3], g[0], g[1]}, g[2], g[3]};
}

DRUBBLE_INLINE void loadPlace(const BodyRow* rows, const std::uint32_t* at, const Body8& b, Place8& place) {
  const float* p[8];
  f8 f[4], g[4];
  for (int i = 0; i < 8; ++i) p[i] = reinterpret_cast<const float*>(rows + at[i]) + 8;
  gather4(p, f);
  for (int i = 0; i < 8; ++i) p[i] += 4;
  gather4(p, g);
  place = {{b.moved_x, b.moved_y, f[0]}, {f[1], f[2], f[3]}, g[0]};
}

// What a contact does not move is not written: others may be reading it.
DRUBBLE_INLINE void storeBody(BodyRow* rows, const std::uint32_t* at, std::uint32_t moves, const Body8& b) {
  alignas(32) float nowhere[8];
  float* p[8];
  for (int i = 0; i < 8; ++i) p[i] = (moves >> i & 1) != 0 ? reinterpret_cast<float*>(rows + at[i]) : nowhere;
  const f8 f[4] = {b.velocity.x, b.velocity.y, b.velocity.z, b.spin.x},
           g[4] = {b.spin.y, b.spin.z, b.moved_x, b.moved_y};
  scatter4(p, f);
  for (int i = 0; i < 8; ++i) p[i] += 4;
  scatter4(p, g);
}

// The same where lanes share bodies. Tonge, Benevolenski, Voroshilov, Mass splitting for jitter-free parallel
// rigid body simulation (2012), within one block; from block to block what was found goes on.
DRUBBLE_INLINE void addBody(BodyRow* rows, const std::uint32_t* at, std::uint32_t moves,
                            const std::uint8_t* times, const Body8& before, const Body8& after) {
  alignas(32) float more[6][8];
  const v8 velocity = after.velocity - before.velocity, spin = after.spin - before.spin;
  store8(more[0], velocity.x);
  store8(more[1], velocity.y);
  store8(more[2], velocity.z);
  store8(more[3], spin.x);
  store8(more[4], spin.y);
  store8(more[5], spin.z);
  for (int i = 0; i < 8; ++i) {
    if ((moves >> i & 1) == 0) continue;
    float* p = reinterpret_cast<float*>(rows + at[i]);
    const float share = 1.0f / static_cast<float>(times[i]);
    for (int k = 0; k < 6; ++k) p[k] += more[k][i] * share;
  }
}

DRUBBLE_INLINE void storeBodies(const BlockRange& r, const ContactBlock& c, const Body8& a_before,
                                const Body8& b_before, const Body8& a, const Body8& b) {
  if (r.apart) {
    storeBody(r.rows, c.body_a, c.moves_a, a);
    storeBody(r.rows, c.body_b, c.moves_b, b);
    return;
  }
  addBody(r.rows, c.body_a, c.moves_a, c.times_a, a_before, a);
  addBody(r.rows, c.body_b, c.moves_b, c.times_b, b_before, b);
}

}  // namespace drubble::DRUBBLE_LANES
