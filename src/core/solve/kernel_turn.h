// SPDX-License-Identifier: Apache-2.0
// Free bodies that turn alike, four at a time.
#pragma once
#include "core/base/lanes4.h"
#include "core/solve/kernel_rows.h"
#include "core/solve/turn_code.h"

namespace drubble::DRUBBLE_LANES {

using Vector4 = solve::turning::Vector<d4>;
using Rotation4 = solve::turning::Rotation<d4>;

DRUBBLE_INLINE Vector4 load(const double (&from)[3][4]) {
  return {load4(from[0]), load4(from[1]), load4(from[2])};
}
DRUBBLE_INLINE Rotation4 load(const double (&from)[4][4]) {
  return {{load4(from[0]), load4(from[1]), load4(from[2])}, load4(from[3])};
}
DRUBBLE_INLINE void store(double (&to)[3][4], Vector4 v) {
  store4(to[0], v.x), store4(to[1], v.y), store4(to[2], v.z);
}
DRUBBLE_INLINE void store(double (&to)[4][4], const Rotation4& q) {
  store4(to[0], q.v.x), store4(to[1], q.v.y), store4(to[2], q.v.z), store4(to[3], q.w);
}

inline void turnFour(Turns4& t, double seconds) {
  Rotation4 turn = load(t.turn);
  Vector4 spin = load(t.spin);
  const d4 dt(seconds);
  if (t.kind == TurnKind::Even)
    turnEvenly(dt, turn, spin);
  else if (t.kind == TurnKind::Top)
    turnTop(dt, load(t.axis), load4(t.along), load4(t.across), turn, spin);
  else
    turnAny(dt, load(t.principal), load(t.moments), turn, spin);
  store(t.turn, turn);
  store(t.spin, spin);
  const Rotation4 start = load(t.start);
  store(t.turned, t.round_axis_only ? turnOfAxis(start, turn, load(t.round_axis)) : turn * back(start));
}

}  // namespace drubble::DRUBBLE_LANES
