// SPDX-License-Identifier: Apache-2.0
// An indexed triangle mesh and what can be said of it as a surface.
#pragma once
#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "core/base/vec.h"

namespace drubble::mesh {

using Triangle = std::array<std::uint32_t, 3>;

// Counter-clockwise triangles seen from outside.
// I1 every index is below vertices.size(). I2 every coordinate is finite.
struct TriangleMesh {
  std::vector<Vec3> vertices;
  std::vector<Triangle> triangles;

  Box bounds() const;
  Vec3 normal(std::size_t t) const;  // unit; zero for a triangle without area
};

// Empty, or the first broken invariant by number.
std::string whyInvalid(const TriangleMesh& m);

// Vertices at exactly the same place made one; triangles that lose a corner dropped.
// `kept`: which of m's vertices each vertex of the result was.
TriangleMesh welded(const TriangleMesh& m, std::vector<std::uint32_t>* kept = nullptr);

TriangleMesh transformed(const TriangleMesh& m, const Vec3& scale, const Pose& pose);

// Each directed edge must be met by exactly one opposite edge. Cost: a sort of the edges. Expects a welded
// mesh.
struct Closedness {
  std::size_t open_edges = 0;      // edges of one triangle only
  std::size_t flipped_edges = 0;   // two triangles run along the edge the same way
  std::size_t crowded_edges = 0;   // more than two triangles
  std::size_t flat_triangles = 0;  // without area
  Vec3 first_open = Vec3::Zero();  // the middle of one of the open, flipped or crowded edges
  bool closed() const { return open_edges == 0 && flipped_edges == 0 && crowded_edges == 0; }
};
Closedness closedness(const TriangleMesh& m);

// For each triangle and each of its edges (corner k to k+1): the triangle on the other side, or kNoTriangle.
inline constexpr std::uint32_t kNoTriangle = 0xffffffffu;
std::vector<std::array<std::uint32_t, 3>> neighbours(const TriangleMesh& m);

void append(TriangleMesh& to, const TriangleMesh& more);

// Closed primitives, centred on the origin; `axis` is a unit vector.
TriangleMesh boxMesh(const Vec3& full_size);
TriangleMesh sphereMesh(double radius, int rings = 24);
TriangleMesh capsuleMesh(double radius, double length, const Vec3& axis, int rings = 24);
TriangleMesh cylinderMesh(double radius, double height, const Vec3& axis, int sides = 64);

}  // namespace drubble::mesh
