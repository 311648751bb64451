// SPDX-License-Identifier: Apache-2.0
// When a driven piece will first meet something.
#pragma once
#include <optional>

#include "core/world/scene.h"

namespace drubble::world {

struct PredictedHit {
  double frame = 0;  // shot frame, to a thousandth
  PieceId other;
  double speed = 0;  // m/s of the mover's origin then
};

// Follows the mover's path from the scene's first frame to `last` against all other pieces where they start;
// what touches it from the first is passed over. Steps are short against the mover's and the others'
// thickness.
std::optional<PredictedHit> predictHit(const Scene& s, const Mover& m, double last);

}  // namespace drubble::world
