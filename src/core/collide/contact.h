// SPDX-License-Identifier: Apache-2.0
// Where two shapes touch or are about to.
#pragma once
#include <array>
#include <cstdint>
#include <vector>

#include "core/base/vec.h"

namespace drubble::collide {

struct Point {
  Vec3 position = Vec3::Zero();  // world; midway between the two surfaces
  double gap = 0;                // m along the normal; negative: overlap
  std::uint32_t feature = 0;     // which corners or edges make it: lasts while they do
};

// Whose flat face the points lie against; its normal turns with it.
enum class FaceOf : std::uint8_t { Neither, A, B };

// A patch of up to four points that share a normal.
struct Manifold {
  Vec3 normal = Vec3::Zero();  // world, unit, from the first shape to the second
  std::array<Point, 4> points;
  int count = 0;
  std::uint32_t sub = 0;   // the triangle, for a mesh; of two hulls the face that face_of tells of
  std::uint32_t part = 0;  // which parts of joined shapes meet: lasts
  FaceOf face_of = FaceOf::Neither;

  double leastGap() const;
};

using Manifolds = std::vector<Manifold>;

// What points beside each other are: corners, or places of a smooth rim.
enum class Rim { Corners, Smooth };

// Keeps the four points of `points` that span the patch best: the deepest, the farthest from it, the farthest
// from the line through both, and the farthest on that line's other side, or, where twice as much lies there,
// beside the other three. What touches with the deepest goes before what hovers, unless that is four times as
// far out; of what hovers the lower counts more. The second of two corners that bear is kept however near it
// is. Near ties go to the earlier point.
void keepFour(const std::vector<Point>& points, Manifold& out, Rim rim = Rim::Corners);

}  // namespace drubble::collide
