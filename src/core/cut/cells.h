// SPDX-License-Identifier: Apache-2.0
// The cells of points: of each site, all that is nearer to it than to any other.
//
// Space: the lattice of signs.h. Every corner of a cell is where exactly three of its planes meet, that is,
// of four sites or walls: ties are broken the same way for all cells, so that these fit. Source: cells by
// clipping in order of distance, until no farther site can reach (Levy and Bonneel, Variational anisotropic
// surface meshing with Voronoi parallel linear enumeration, 2012).
#pragma once
#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "core/base/team.h"
#include "core/cut/signs.h"
#include "core/cut/told.h"

namespace drubble::cut {

// A corner of a cell: the planes that meet there, by their places in the cell's list, in the sense in which
// they follow each other seen from outside.
using Meeting = std::array<std::uint16_t, 3>;

struct Cell {
  std::vector<Plane> planes;  // of those that bound it, by the site beyond, ascending; walls last
  std::vector<Meeting> corners;
};

// One a site. Sites are different lattice points; cells go as far as a little beyond `within`. Cost: about
// the sites times the planes of a cell squared, shared among the team; the same for any number of threads.
std::vector<Cell> cellsOf(std::span<const Vec3> sites, const Box& within, Team* team, const Told& told = {});

}  // namespace drubble::cut
