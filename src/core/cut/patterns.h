// SPDX-License-Identifier: Apache-2.0
// Where the sites of a cut stand. Seeded: the same mesh, settings and seed give the same sites, whatever else
// is cut. Sites come in the order of a curve that fills space, so that numbers near each other are near each
// other.
#pragma once
#include <cstdint>
#include <string>
#include <vector>

#include "core/cut/pieces.h"
#include "core/mesh/mesh.h"

namespace drubble::cut {

// More sites somewhere: within a ball, a box, a closed mesh, or `radius` about a line through places.
enum class Region { Ball, Box, Mesh, Line };
struct More {
  Region region = Region::Ball;
  Vec3 centre = Vec3::Zero();
  double radius = 0;
  Box box;
  mesh::TriangleMesh mesh;
  std::vector<Vec3> line;
  int count = 0;
};

struct Scatter {
  int count = 0;
  std::vector<More> more;
};

// A curve through the places, in short lines: sixteen from each to the next. It begins and ends straight.
// Source: Catmull and Rom, A class of local interpolating splines (1974).
std::vector<Vec3> smoothed(std::span<const Vec3> places);

// All over the closed mesh's inside. Throws Error(Input) where no room is found: for `more` outside the mesh.
std::vector<Vec3> scatter(const mesh::TriangleMesh& m, const Scatter& how, std::uint64_t seed,
                          const std::string& stream);

// Moves each site to the middle of what its cell holds of the mesh, `rounds` times: cells become more of a
// size. Cost: a cut a round. Source: Lloyd, Least squares quantization in PCM (1982).
std::vector<Vec3> evened(const mesh::TriangleMesh& m, std::vector<Vec3> sites, int rounds, const How& how,
                         Team* team = nullptr);

// Slabs square to `axis` (unit).
struct Parallel {
  Vec3 axis = Vec3::UnitY();
  int count = 2;      // slabs
  double tilt = 0;    // rad, at most, of one cut against the next one
  double uneven = 0;  // how far cuts stray, in shares of half a slab
};
std::vector<Vec3> parallel(const mesh::TriangleMesh& m, const Parallel& how, std::uint64_t seed,
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
