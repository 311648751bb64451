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
  out.lengths = sizesOf(p.moved) + lever;
  out.speeds = sizesOf(b.velocity) + out.spin * lever;
  return out;
}

inline void mayMeet(const Watch8* watched, std::size_t count, const BodyRow* rows, float dt,
                    std::uint8_t* may) {
  constexpr float kRounded = 2e-6f;  // of what is added up
  constexpr float kAhead = 1.003f;   // steps: somewhat farther than hits are looked for
  constexpr std::size_t kNext = 2;
  for (std::size_t n = 0; n < count; ++n) {
    const Watch8& w = watched[n];
    for (int i = 0; i < 8 && n + kNext < count; ++i) {
      __builtin_prefetch(rows + watched[n + kNext].body_a[i], 0, 3);
      __builtin_prefetch(rows + watched[n + kNext].body_b[i], 0, 3);
    }
    const Carried8 a = carriedBy(rows, w.body_a, read(w.arm_a), read(w.lever_a)),
                   b = carriedBy(rows, w.body_b, read(w.arm_b), read(w.lever_b));
    const v8 normal = read(w.normal);
    const f8 spread = read(w.spread), none(0.0f), time(dt);
    const f8 lengths = sizeOf(read(w.gap)) + a.lengths + b.lengths;
    const f8 gap =
        read(w.gap) + dot(normal, b.moved - a.moved) - (a.chord + b.chord) * spread - f8(kRounded) * lengths;
    const f8 closing = greatest(dot(normal, a.velocity - b.velocity) + (a.spin + b.spin) * spread +
                                    f8(kRounded) * (a.speeds + b.speeds),
                                none);
    const f8 gained = greatest(read(w.pull), none) * time, slow = read(w.slow);
    const Mask8 fast =
                    closing * closing + f8(2.01f) * gained * (closing + gained) > f8(0.9998f) * slow * slow,
                near = f8(kAhead) * (closing + gained) * time > gap;
    may[n] = static_cast<std::uint8_t>(bitsOf(fast & near));
  }
}

}  // namespace drubble::DRUBBLE_LANES
