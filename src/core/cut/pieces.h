// SPDX-License-Identifier: Apache-2.0
// A closed mesh cut into the pieces that lie in the cells of its sites.
//
// Space: the mesh's own (m). Each piece is a closed mesh that looks outward; where two pieces meet, their
// triangles are the same three places the other way round. What a cell holds in parts that do not hang
// together become pieces of their own; a hollow stays with what is around it.
#pragma once
#include <cstdint>
#include <span>
#include <vector>

#include "core/base/team.h"
#include "core/mesh/mesh.h"

namespace drubble::cut {

// Where a triangle of a piece comes from: a triangle of the mesh, or an interface.
struct Source {
  std::uint32_t index = 0;
  bool inside = false;
};

struct Piece {
  std::uint32_t cell = 0;  // the site
  mesh::TriangleMesh mesh;
  std::vector<Source> sources;  // one a triangle
};

// A flat face between two pieces.
struct Interface {
  std::uint32_t a = 0, b = 0;  // pieces
  Vec3 normal = Vec3::Zero();  // unit, from a to b
  Vec3 centroid = Vec3::Zero();
  double area = 0;            // m2; 0 where rounding has turned over what is next to nothing
  std::vector<Vec3> corners;  // of its rim, counter-clockwise seen from b
};

struct Cut {
  std::vector<Piece> pieces;  // by cell, then the largest first
  std::vector<Interface> interfaces;
  std::size_t merged = 0;  // slivers that were given to a neighbour
};

// `m` is welded and closed; sites are distinct, a millionth of the size apart at least. Throws Error(Input)
// naming what is wrong with either. Cost: n log n in triangles and sites; the same bits for any number of
// threads.
// `stretch`: by how much longer cells are along the axes. `slivers`: pieces of less than that share of the
// mean volume are given, with whole faces, to the neighbour that they share most with.
Cut cutIntoCells(const mesh::TriangleMesh& m, std::span<const Vec3> sites, Team* team = nullptr,
                 const Vec3& stretch = Vec3::Ones(), double slivers = 1e-4);

}  // namespace drubble::cut
