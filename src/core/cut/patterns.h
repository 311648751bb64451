// SPDX-License-Identifier: Apache-2.0
// Where the sites of a cut stand. Seeded: the same mesh, settings and seed give the same sites, whatever else
// is cut. Sites come in the order of a curve that fills space, so that numbers near each other are near each
// other.
#pragma once
#include <cstdint>
#include <string>
#include <vector>

#include "core/mesh/mesh.h"

namespace drubble::cut {

// More sites within a ball.
struct More {
  Vec3 centre = Vec3::Zero();
  double radius = 0;
  int count = 0;
};

struct Scatter {
  int count = 0;
  std::vector<More> more;
};

// All over the closed mesh's inside. Throws Error(Input) where no room is found: for `more` outside the mesh.
std::vector<Vec3> scatter(const mesh::TriangleMesh& m, const Scatter& how, std::uint64_t seed,
                          const std::string& stream);

// Rays and rings about a place, finer towards it: a pane that was struck there. They lie square to `axis`
// (unit), through the mesh's middle along it.
struct Impact {
  Vec3 at = Vec3::Zero();
  Vec3 axis = Vec3::UnitZ();
  int rays = 12, rings = 6;
  double finer = 0.7;   // 0: rings as far from each other everywhere; 1: by far the closest in the middle
  double uneven = 0.5;  // how far sites stray, in shares of the room between them
};
std::vector<Vec3> impact(const mesh::TriangleMesh& m, const Impact& how, std::uint64_t seed,
                         const std::string& stream);

// The axis along which a mesh's box is thinnest.
Vec3 thinnestAxis(const mesh::TriangleMesh& m);

}  // namespace drubble::cut
