// SPDX-License-Identifier: Apache-2.0
// What touches what, pair by pair.
#pragma once
#include <span>
#include <vector>

#include "core/world/world.h"

namespace drubble::measure {

struct Touch {
  PieceId a, b;                                      // a < b
  Vec3 place = Vec3::Zero(), normal = Vec3::Zero();  // world; mean by force; unit, from a to b
  double force = 0;                                  // N, along the normals of its patches
  double speed = 0, sliding = 0;                     // m/s, of b's surface against a's there: all, and across
  double area = 0;  // m2, between the outermost points; nothing for a point or a line
};

// Pairs that press on each other as the frame ends, of which one is among `who` (ascending); by pair.
std::vector<Touch> touches(const world::World& w, std::span<const PieceId> who);

}  // namespace drubble::measure
