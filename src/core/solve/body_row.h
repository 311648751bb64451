// SPDX-License-Identifier: Apache-2.0
// Puts a body into its row.
#pragma once
#include "core/solve/block.h"
#include "core/solve/flight.h"

namespace drubble::solve {

inline void loadVelocity(const ActiveBody& b, BodyRow& row) {
  for (int k = 0; k < 3; ++k) {
    row.velocity[k] = static_cast<float>(b.velocity[k]);
    row.spin[k] = static_cast<float>(b.spin[k]);
  }
}

// How far it has come since the substep's start.
inline void loadMoved(const ActiveBody& b, BodyRow& row) {
  const Vec3 moved = b.position - b.start_position;
  for (int k = 0; k < 3; ++k) row.moved[k] = static_cast<float>(moved[k]);
}

// And how the places where it touches have turned.
inline void loadPlace(const ActiveBody& b, const TraitsList& traits, BodyRow& row) {
  loadMoved(b, row);
  const Quat turned =
      b.rounded ? touchTurn(traits[b.piece], b.start_turn, b.turn) : b.turn * b.start_turn.conjugate();
  row.turned[0] = static_cast<float>(turned.x());
  row.turned[1] = static_cast<float>(turned.y());
  row.turned[2] = static_cast<float>(turned.z());
  row.turned[3] = static_cast<float>(turned.w());
}

}  // namespace drubble::solve
