// SPDX-License-Identifier: Apache-2.0
// The pieces that a joint holds.
#pragma once
#include "core/solve/joint.h"

namespace drubble::solve {

// Times its weight: what presses as hard on a jointed piece is solved with its joints.
inline constexpr double kPressed = 16;

// Calls visit(index) for a, b and what a rope runs over; not for the world.
template <class Visit>
void eachPiece(const Joint& j, Visit visit) {
  const auto tell = [&](PieceId p) {
    if (p.valid()) visit(p.index());
  };
  tell(j.a.piece);
  tell(j.b.piece);
  for (const JointPoint& p : j.over) tell(p.piece);
}

}  // namespace drubble::solve
