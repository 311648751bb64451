// SPDX-License-Identifier: Apache-2.0
// Which contacts may be hit within an internal step, eight at a time: bounds that cost little and let few by.
#pragma once
#include "core/solve/kernel_bodies.h"

namespace drubble::DRUBBLE_LANES {

// Where a patch's middle has come with a body since the substep's start, and how fast that place moves now.
struct Carried8 {
  v8 moved, velocity;
  f8 chord;  // as much again, of its length, what turns with it may have come: twice the half angle's sine
  f8 spin;   // rad/s
  f8 lengths, speeds;  // of what was added up: of these, floats know no more than a small share
};
DRUBBLE_INLINE f8 sizeOf(f8 x) { return greatest(x, -x); }
DRUBBLE_INLINE f8 sizesOf(v8 v) { return sizeOf(v.x) + sizeOf(v.y) + sizeOf(v.z); }

DRUBBLE_INLINE Carried8 carriedBy(const BodyRow* rows, const std::uint32_t* at, v8 arm, f8 lever) {
  Body8 b;
  Place8 p;
  loadBody(rows, at, b);
  loadPlace(rows, at, b, p);
  const v8 half = cross(p.turned, arm) * f8(2.0f), swung = half * p.turned_w + cross(p.turned, half);
  Carried8 out;
  out.moved = p.moved + swung;
  out.velocity = b.velocity + cross(b.spin, arm + swung);
  out.chord = f8(2.001f) * root(dot(p.turned, p.turned));
  out.spin = root(dot(b.spin, b.spin));
  out.lengths = sizesOf(p.moved);
  out.speeds = sizesOf(b.velocity) + out.spin * lever;
  return out;
}

// Which of eight may be hit.
DRUBBLE_INLINE unsigned mayMeetOf(const Watch* const watched[8], const BodyRow* rows, f8 time) {
  constexpr float kRounded = 2e-6f;  // of what is added up
  constexpr float kAhead = 1.003f;   // steps: somewhat farther than hits are looked for
  f8 f[16];
  for (int k = 0; k < 4; ++k) {
    const float* from[8];
    for (int i = 0; i < 8; ++i) from[i] = watched[i]->normal + 4 * k;
    gather4(from, f + 4 * k);
  }
  std::uint32_t body_a[8], body_b[8];
  for (int i = 0; i < 8; ++i) body_a[i] = watched[i]->a, body_b[i] = watched[i]->b;
  const v8 normal{f[0], f[1], f[2]};
  const f8 lever = f[3], spread = f[7], gap = f[11], slow = f[13], none(0.0f);
  const Carried8 a = carriedBy(rows, body_a, {f[4], f[5], f[6]}, lever),
                 b = carriedBy(rows, body_b, {f[8], f[9], f[10]}, lever);
  const f8 lengths = sizeOf(gap) + lever + a.lengths + b.lengths;
  const f8 now = gap + dot(normal, b.moved - a.moved) - (a.chord + b.chord) * spread - f8(kRounded) * lengths;
  const f8 closing = greatest(dot(normal, a.velocity - b.velocity) + (a.spin + b.spin) * spread +
                                  f8(kRounded) * (a.speeds + b.speeds),
                              none);
  const f8 gained = greatest(f[12], none) * time;
  const Mask8 fast = closing * closing + f8(2.01f) * gained * (closing + gained) > f8(0.9998f) * slow * slow,
              near = f8(kAhead) * (closing + gained) * time > now;
  return bitsOf(fast & near);
}

inline void mayMeet(const Watch* watched, const std::uint32_t* which, std::size_t count, const BodyRow* rows,
                    float dt, std::uint8_t* may) {
  constexpr std::size_t kNext = 2;
  for (std::size_t n = 0; 8 * n < count; ++n) {
    const Watch* some[8];
    for (std::size_t i = 0; i < 8; ++i) some[i] = watched + which[8 * n + i];
    for (std::size_t i = 0; i < 8 && 8 * (n + kNext) < count; ++i) {
      const Watch& next = watched[which[8 * (n + kNext) + i]];
      __builtin_prefetch(rows + next.a, 0, 3);
      __builtin_prefetch(rows + next.b, 0, 3);
    }
    may[n] = static_cast<std::uint8_t>(mayMeetOf(some, rows, f8(dt)));
  }
}

}  // namespace drubble::DRUBBLE_LANES
