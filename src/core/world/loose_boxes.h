// SPDX-License-Identifier: Apache-2.0
// Boxes of shapes that hardly move from one look to the next, without going through their corners.
#pragma once
#include <vector>

#include "core/shape/shape.h"

namespace drubble::world {

class LooseBoxes {
 public:
  explicit LooseBoxes(std::size_t count) : seen_(count) {}

  // Holds the shape of `i` at `pose`: its box when it was last looked at closely, carried along and grown by
  // as much as it may have turned out of it; looked at again where that comes to much. How large it is hangs
  // on what was asked before: it may save looking at something, but decide nothing. For different i at the
  // same time. Cost: some 40 operations.
  Box around(std::size_t i, const shape::Shape& s, const Pose& pose) {
    Seen& seen = seen_[i];
    const double turned = 2.0001 * (pose.turn * seen.pose.turn.conjugate()).vec().norm() * s.outer_radius;
    if (!seen.known || turned > kMostTurned * s.outer_radius) {
      seen = {shape::boundsAt(s, pose), pose, true};
      return seen.box;
    }
    const Vec3 moved = pose.position - seen.pose.position;
    return Box{seen.box.low + moved, seen.box.high + moved}.grown(turned + kRounded * s.outer_radius);
  }

 private:
  static constexpr double kMostTurned = 0.01, kRounded = 1e-9;  // of the outer radius
  struct Seen {
    Box box;
    Pose pose;
    bool known = false;
  };
  std::vector<Seen> seen_;
};

}  // namespace drubble::world
