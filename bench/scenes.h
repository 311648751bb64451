// SPDX-License-Identifier: Apache-2.0
// Scenes of any size for the benchmarks.
#pragma once
#include <cmath>

#include "core/base/random.h"
#include "core/world/prototypes.h"
#include "core/world/world.h"

namespace drubble::bench {

inline void addGround(world::Scene& s) {
  s.materials.push_back({"plain", 1000, 0.5, 0.5, 0.1, true});
  s.prototypes.push_back(world::groundPrototype("ground", Vec3::UnitY(), 100));
  s.prototypes.back().material = MaterialId(0);
  world::Piece piece;
  piece.name = "ground";
  piece.prototype = PrototypeId(0);
  piece.role = world::Role::Static;
  s.pieces.push_back(piece);
}

inline void addPiece(world::Scene& s, std::size_t prototype, const Vec3& at, const Quat& turn) {
  world::Piece piece;
  piece.name = "p" + std::to_string(s.pieces.size());
  piece.prototype = PrototypeId(prototype);
  piece.start = {at, turn};
  s.pieces.push_back(piece);
}

// `count` cubes of 1 m packed side by side and one upon another, as nearly a cube of them as can be: each
// touches six others, with four points each. Sleep is off, steps are fixed.
inline world::Scene packedBoxes(int count, int substeps, int iterations) {
  world::Scene s;
  addGround(s);
  s.prototypes.push_back(world::boxPrototype("box", Vec3::Ones(), 1000));
  s.prototypes.back().material = MaterialId(0);
  const int side = static_cast<int>(std::ceil(std::cbrt(count)));
  for (int i = 0; i < count; ++i)
    addPiece(s, 1, vec3(i % side, i / (side * side) + 0.5, i / side % side), Quat::Identity());
  s.solver.sleep_speed = 0;
  s.solver.substeps = substeps;
  s.solver.iterations = iterations;
  s.last_frame = 1000000;
  return s;
}

// `count` pieces of a prototype in a grid of columns over the ground, each a little turned: they fall into a
// heap.
inline world::Scene fallingHeap(world::Prototype p, int count, double spacing, int columns) {
  world::Scene s;
  addGround(s);
  p.material = MaterialId(0);
  s.prototypes.push_back(std::move(p));
  RandomStream r(5, "heap");
  for (int i = 0; i < count; ++i) {
    const int layer = i / (columns * columns), x = i % columns, z = i / columns % columns;
    const Vec3 vary = 0.1 * spacing * vec3(r.between(-1, 1), r.between(-1, 1), r.between(-1, 1));
    addPiece(s, 1, spacing * vec3(x - 0.5 * columns, layer + 1, z - 0.5 * columns) + vary, r.turn());
  }
  s.last_frame = 1000000;
  return s;
}

}  // namespace drubble::bench
