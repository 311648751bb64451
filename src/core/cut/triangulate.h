// SPDX-License-Identifier: Apache-2.0
// A flat face with holes as triangles.
#pragma once
#include <cstdint>
#include <span>
#include <vector>

#include "core/base/vec.h"
#include "core/mesh/mesh.h"

namespace drubble::cut {

using Loop = std::vector<std::uint32_t>;  // of places, the face to its left

// A face: its rim, and the rims of its holes, which run the other way.
struct Face {
  Loop outer;
  std::vector<Loop> holes;
};

// Sorts loops of one plane into faces; `normal`: that which they run round counter-clockwise.
std::vector<Face> facesOf(const std::vector<Loop>& loops, std::span<const Vec3> places, const Vec3& normal);

// Triangles over exactly the rims' places, each side of a rim in one of them, in its sense. That holds
// whatever the places are; that triangles do not overlap, up to rounding. Cost: the square of the face's
// places. Source: Held, FIST: fast industrial-strength triangulation of polygons (2001): ears, holes bridged
// first.
void triangulate(const Face& face, std::span<const Vec3> places, const Vec3& normal,
                 std::vector<mesh::Triangle>& out);

}  // namespace drubble::cut
