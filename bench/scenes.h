// SPDX-License-Identifier: Apache-2.0
// Scenes of any size for the benchmarks.
#pragma once
#include <cmath>

#include "core/base/random.h"
#include "core/shape/hull.h"
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

// Blocks of 1 m laid in layers, each upon four below and 5 cm from its neighbours, every layer a row narrower: a
// pile that stands, with patches of four points, about fifteen a block. At least `count` of them. Sleep is off, steps are
// fixed.
inline world::Scene laidBlocks(world::Prototype block, int count, int substeps, int iterations) {
  world::Scene s;
  addGround(s);
  block.material = MaterialId(0);
  s.prototypes.push_back(std::move(block));
  int layers = 0;
  for (int made = 0; made < count; ++layers) made += (layers + 1) * (layers + 1);
  for (int layer = 0; layer < layers; ++layer) {
    const int rows = layers - layer;
    const double shift = layer * 0.5;
    for (int i = 0; i < rows * rows; ++i)
      addPiece(s, 1, vec3(1.05 * (i % rows + shift), layer + 0.5, 1.05 * (i / rows + shift)),
               Quat::Identity());
  }
  s.solver.sleep_speed = 0;
  s.solver.substeps = substeps;
  s.solver.iterations = iterations;
  s.last_frame = 1000000;
  return s;
}

// A block of 1 m with its eight corners cut off: a hull of 24 corners.
inline world::Prototype chamferedBlock() {
  std::vector<Vec3> corners;
  for (const double x : {-1.0, 1.0})
    for (const double y : {-1.0, 1.0})
      for (const double z : {-1.0, 1.0})
        for (int k = 0; k < 3; ++k) {
          Vec3 c = 0.5 * vec3(x, y, z);
          c[k] *= 0.84;
          corners.push_back(c);
        }
  const shape::Polyhedron hull = shape::convexHull(corners);
  mesh::TriangleMesh m;
  m.vertices = hull.vertices;
  for (const shape::Face& f : hull.faces)
    for (std::uint32_t k = 2; k < f.count; ++k)
      m.triangles.push_back({hull.loops[f.first], hull.loops[f.first + k - 1], hull.loops[f.first + k]});
  return world::meshPrototype("block", m, world::ShapeChoice::Hull, 1000);
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
