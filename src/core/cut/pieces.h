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
#include "core/cut/told.h"
#include "core/mesh/mesh.h"

namespace drubble::cut {

inline constexpr std::uint32_t kNone = 0xffffffffu;

// Where a triangle of a piece comes from: a triangle of the mesh, or an interface; of an inside that faces
// nothing any more, kNone.
struct Source {
  std::uint32_t index = 0;
  bool inside = false;
};

struct Piece {
  std::uint32_t cell = 0;  // the site
  mesh::TriangleMesh mesh;
  std::vector<Source> sources;       // one a triangle
  std::vector<std::uint32_t> nodes;  // of each vertex: the same in all pieces that have it
};

// A flat face between two pieces.
struct Interface {
  std::uint32_t a = 0, b = 0;  // pieces
  Vec3 normal = Vec3::Zero();  // unit, from a to b
  Vec3 centroid = Vec3::Zero();
  double area = 0;            // m2; 0 where rounding has turned over what is next to nothing
  std::vector<Vec3> corners;  // of its rim, counter-clockwise seen from b
};

// A piece too small to be one, given to a neighbour.
struct Sliver {
  std::uint32_t piece = 0;    // that it is part of now
  double volume = 0;          // m3
  Vec3 place = Vec3::Zero();  // its centre of mass
};

struct Cut {
  std::vector<Piece> pieces;  // by cell, then the largest first
  std::vector<Interface> interfaces;
  std::vector<Sliver> slivers;
  std::uint32_t nodes = 0;  // how many there are: first the mesh's own vertices, then what cutting added
  double taken = 0;         // m3 that went with the room between pieces
};

// How cells are shaped and which pieces are kept.
struct How {
  Vec3 stretch = Vec3::Ones();   // by how much longer cells are along the axes
  Quat turn = Quat::Identity();  // of those axes, from the mesh's own
  Box around = {};               // along those axes: what the lattice spans; empty: the mesh and the sites
  double slivers = 1e-4;         // pieces below that share of the mean volume go to a neighbour
  Told told = {};
};

// `m` is welded and closed; sites are distinct, a millionth of the size apart at least. Throws Error(Input)
// naming what is wrong with either. Cost: n log n in triangles and sites; the same bits for any number of
// threads. A sliver is given, with whole faces, to the neighbour that it shares most with.
Cut cutIntoCells(const mesh::TriangleMesh& m, std::span<const Vec3> sites, const How& how = {},
                 Team* team = nullptr);

// Area and middle of a flat face that looks along `out.normal`; its triangles, counter-clockwise seen from
// there.
void measure(std::span<const mesh::Triangle> triangles, std::span<const Vec3> places, Interface& out);

}  // namespace drubble::cut
