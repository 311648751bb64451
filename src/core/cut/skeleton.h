// SPDX-License-Identifier: Apache-2.0
// Where three cells meet within the solid: stretches of the cells' edges between where these enter and leave
// it.
#pragma once
#include "core/cut/facets.h"

namespace drubble::cut {

// All nodes of a cut, each once.
struct Nodes {
  std::vector<NodeName> names;          // ascending
  std::vector<Vec3> places;             // in the lattice's measure
  std::vector<std::uint32_t> of_facet;  // of Facets::nodes
};
Nodes nodesOf(const Facets& f);

// Of the edge of cells i < j < k, in its sense.
struct Stretch {
  std::array<std::uint32_t, 3> cells;
  std::uint32_t from = 0, to = 0;  // nodes
};

// Appends the corners within the solid to `nodes`. Whether a corner is within follows from the facets alone:
// what an edge enters less what it leaves is the difference of its ends. A corner that the solid lies over
// twice, as rounding may have it, is two nodes.
std::vector<Stretch> stretchesOf(std::span<const Vec3> sites, std::span<const Cell> cells,
                                 const Facets& facets, Nodes& nodes);

}  // namespace drubble::cut
