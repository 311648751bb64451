// SPDX-License-Identifier: Apache-2.0
// A flat face with holes as triangles.
#pragma once
#include <algorithm>
#include <cstdint>
#include <span>
#include <unordered_set>
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

// Which places are joined by a side of some triangle. A second line between the same two would make an edge
// of more than two triangles.
class Joined {
 public:
  bool has(std::uint32_t a, std::uint32_t b) const { return lines_.contains(key(a, b)); }
  void add(std::uint32_t a, std::uint32_t b) { lines_.insert(key(a, b)); }

 private:
  static std::uint64_t key(std::uint32_t a, std::uint32_t b) {
    return std::uint64_t{std::min(a, b)} << 32 | std::max(a, b);
  }
  std::unordered_set<std::uint64_t> lines_;
};

// Triangles over exactly the rims' places, each side of a rim in one of them, in its sense. That holds
// whatever the places are; that triangles do not overlap, up to rounding. Lines that are joined already are
// not drawn again, but where nothing else is left a place in the middle is added; those drawn are added.
// `slack`: how far places may be off where they should be, so that a rim may cross itself by as much. Cost:
// the square of the face's places. Source: Held, FIST: fast industrial-strength triangulation of polygons
// (2001): ears, holes bridged first.
void triangulate(const Face& face, std::vector<Vec3>& places, const Vec3& normal, Joined& joined,
                 std::vector<mesh::Triangle>& out, double slack = 0);

// Triangles from each side of a rim to a new place in the middle of its places.
void addFan(std::span<const std::uint32_t> rim, std::vector<Vec3>& places, std::vector<mesh::Triangle>& out);

}  // namespace drubble::cut
