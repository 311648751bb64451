// SPDX-License-Identifier: Apache-2.0
// Courses of bricks out of any solid, and room between pieces.
#pragma once
#include "core/cut/again.h"

namespace drubble::cut {

struct Bricks {
  double length = 0, height = 0, depth = 0;        // m, room included; depth 0: all the way through
  Vec3 up = Vec3::UnitY(), along = Vec3::UnitX();  // unit, square to each other
  double shift = 0.5;                              // by which every other course is moved along, in bricks
};

// One cut of a piece, to be made again of another mesh.
struct Made {
  struct Part {
    std::uint32_t piece = 0, cell = 0;
    Vec3 centre = Vec3::Zero();  // of mass
  };
  std::uint32_t piece = 0;
  std::vector<Vec3> sites;
  How how;
  std::vector<Part> parts;
};
// Cuts a piece, and adds what was done to `made`; slivers stay as they come when it is made again.
std::vector<std::uint32_t> cutAndTell(Assembly& body, std::uint32_t k, std::span<const Vec3> sites,
                                      const How& how, Team* team, std::vector<Made>& made);

// Cuts a piece into courses and these into bricks. Courses begin at its base, bricks at its least end; what
// does not fill a brick is a smaller one. Faces between courses are divided by the joints of both. Returns
// the bricks' numbers by course, then along. Throws as cutIntoCells does.
std::vector<std::uint32_t> intoBricks(Assembly& wall, std::uint32_t k, const Bricks& how, double slivers,
                                      std::vector<Made>& made, Team* team = nullptr, const Told& told = {});

// How many there would be, at most.
double bricksIn(const mesh::TriangleMesh& m, const Bricks& how);

// Takes half of `gap` (m) off each piece on all its faces to others; the mesh's own skin stays. Pieces that
// are thinner than that are lost. Faces that do not bound the whole piece, as after slivers were joined to
// it, are left. No interfaces are left. Cost: a small cut a piece.
struct Room {
  Cut cut;
  std::vector<std::uint32_t> from;  // of each piece, which it was
  std::size_t lost = 0;
};
Room withRoom(const Cut& cut, double gap, Team* team = nullptr);

}  // namespace drubble::cut
