// SPDX-License-Identifier: Apache-2.0
// A surface divided among cells: of each triangle, the part in each cell that it meets.
//
// Space: the lattice of signs.h. A node has a name from what it lies on and the sites it lies between;
// whoever comes upon it from elsewhere finds the same name, so that facets fit without comparing coordinates.
// Source: Yan, Levy, Liu, Sun and Wang, Isotropic remeshing with fast and exact computation of restricted
// Voronoi diagram (2009).
#pragma once
#include <array>
#include <compare>
#include <cstdint>
#include <span>
#include <vector>

#include "core/cut/cells.h"
#include "core/mesh/mesh.h"

namespace drubble::cut {

// Where a node lies: on a vertex, or where an edge meets two cells, a triangle three, or four cells meet.
enum class On : std::uint32_t { Vertex, Edge, Triangle, Space };

struct NodeName {
  On on = On::Vertex;
  std::uint32_t feature = 0;             // of the mesh
  std::array<std::uint32_t, 4> sites{};  // ascending, as many as it lies between
  auto operator<=>(const NodeName&) const = default;
};

// The edges of a mesh, each once; the lower vertex first.
struct Edges {
  std::vector<std::array<std::uint32_t, 2>> ends;
  std::vector<std::array<std::uint32_t, 3>> of_triangle;  // corner k to k + 1
};
Edges edgesOf(const mesh::TriangleMesh& m);

// Of three cells i < j < k that meet along an edge: its sense is that of (s_j - s_i) x (s_k - s_i).

inline constexpr std::uint32_t kNoSite = 0xffffffffu;

// Part of a triangle in a cell: convex, its nodes in the triangle's sense.
struct Facet {
  std::uint32_t triangle = 0, cell = 0;
  std::uint32_t first = 0, count = 0;  // of Facets::nodes and beyond
};
// A node of a facet, and the site beyond the side that begins there; kNoSite: the triangle's own edge.
struct FacetNode {
  NodeName name;
  Vec3 place = Vec3::Zero();  // in the lattice's measure, rounded once
  // Of a node on a triangle: 1 where the edge of its three cells, in its sense, leaves the solid
  // there, -1 where it enters.
  int leaves = 0;
  std::uint32_t beyond = kNoSite;
};
struct Facets {
  std::vector<Facet> facets;  // by triangle, then in the order found
  std::vector<FacetNode> nodes;
};

// What the sides are decided by, and where the vertices really are, in the lattice's measure.
struct Surface {
  const mesh::TriangleMesh& mesh;
  const Edges& edges;
  std::vector<Vec3> on, at;
};

// Cost: the facets times the planes of a cell; the same for any number of threads.
Facets facetsOf(const Surface& s, std::span<const Vec3> sites, std::span<const Cell> cells, Team* team);

}  // namespace drubble::cut
