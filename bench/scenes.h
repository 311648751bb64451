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

// `count` oval floats poured into an open hold with a paddle that goes to and fro through them for ever. Substeps are
// fixed.
inline world::Scene stirredHold(int count, int substeps) {
  world::Scene s;
  addGround(s);
  world::Prototype oval = world::ellipsoidPrototype("float", vec3(0.15, 0.1, 0.15), 300);
  const double spacing = 0.32;
  const int columns = static_cast<int>(std::ceil(std::cbrt(count)));
  const double width = spacing * (columns + 1), height = 1.5 * width;
  const world::Prototype wall = world::boxPrototype("wall", vec3(0.2, height, width + 0.4), 1000),
                         paddle = world::boxPrototype("paddle", vec3(0.3, 0.8 * width, 0.5 * width), 1000);
  for (world::Prototype p : {oval, wall, paddle}) {
    p.material = MaterialId(0);
    s.prototypes.push_back(p);
  }
  for (const double side : {-1.0, 1.0}) {
    const double away = side * (0.5 * width + 0.1);
    addPiece(s, 2, vec3(away, 0.5 * height, 0), Quat::Identity());
    s.pieces.back().role = world::Role::Static;
    addPiece(s, 2, vec3(0, 0.5 * height, away), turnAbout(Vec3::UnitY(), 0.5 * 3.14159265358979));
    s.pieces.back().role = world::Role::Static;
  }
  addPiece(s, 3, vec3(0, 0.5 * width, 0), Quat::Identity());
  s.pieces.back().role = world::Role::Kinematic;
  world::Mover mover;
  mover.piece = PieceId(s.pieces.size() - 1);
  for (int k = 0; k <= 20; ++k) {
    const double x = k % 4 == 1 ? 1 : k % 4 == 3 ? -1 : 0;
    mover.path.at.keys.push_back({1.0 + 24 * k, vec3(0.3 * width * x, 0.5 * width, 0)});
  }
  s.movers.push_back(mover);
  RandomStream r(7, "hold");
  for (int i = 0, cell = 0; i < count; ++cell) {
    const Vec3 at = spacing * vec3(cell % columns - 0.5 * (columns - 1), cell / (columns * columns) + 0.6,
                                   cell / columns % columns - 0.5 * (columns - 1));
    if (std::abs(at.x()) < 0.35 && std::abs(at.z()) < 0.25 * width + 0.2) continue;  // the paddle is there
    addPiece(s, 1, at, r.turn());
    ++i;
  }
  s.solver.substeps = substeps;
  s.last_frame = 1000000;
  return s;
}

// A heap like fallingHeap that falls on a bumpy mesh of about `triangles` instead of a plane.
inline world::Scene heapOnTerrain(world::Prototype p, int count, double spacing, int columns, int triangles) {
  world::Scene s = fallingHeap(std::move(p), count, spacing, columns);
  const int cells = static_cast<int>(std::ceil(std::sqrt(triangles / 2.0)));
  const double width = 4 * spacing * columns;
  mesh::TriangleMesh m;
  RandomStream r(9, "terrain");
  for (int i = 0; i <= cells; ++i)
    for (int j = 0; j <= cells; ++j)
      m.vertices.push_back(vec3(width * (i / double(cells) - 0.5), r.between(0, 0.1), width * (j / double(cells) - 0.5)));
  const auto at = [&](int i, int j) { return static_cast<std::uint32_t>(i * (cells + 1) + j); };
  for (int i = 0; i < cells; ++i) {
    for (int j = 0; j < cells; ++j) {
      m.triangles.push_back({at(i, j), at(i, j + 1), at(i + 1, j)});
      m.triangles.push_back({at(i + 1, j), at(i, j + 1), at(i + 1, j + 1)});
    }
  }
  s.prototypes[0] = world::surfacePrototype("terrain", m);
  s.prototypes[0].material = MaterialId(0);
  return s;
}

}  // namespace drubble::bench
