// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>

#include "core/base/random.h"
#include "core/collide/pairs.h"
#include "core/mesh/tree.h"

namespace drubble::collide {

namespace {

// A sheet of 24 by 24 cells of 0.25 m, up and down by as much.
mesh::TriangleMesh roughSheet(RandomStream& random) {
  constexpr std::uint32_t kCells = 24;
  mesh::TriangleMesh m;
  for (std::uint32_t i = 0; i <= kCells; ++i)
    for (std::uint32_t j = 0; j <= kCells; ++j)
      m.vertices.push_back(vec3(0.25 * i - 3, random.between(-0.15, 0.15), 0.25 * j - 3));
  const auto at = [](std::uint32_t i, std::uint32_t j) { return i * (kCells + 1) + j; };
  for (std::uint32_t i = 0; i < kCells; ++i)
    for (std::uint32_t j = 0; j < kCells; ++j) {
      m.triangles.push_back({at(i, j), at(i, j + 1), at(i + 1, j)});
      m.triangles.push_back({at(i + 1, j), at(i, j + 1), at(i + 1, j + 1)});
    }
  return m;
}

}  // namespace

TEST_CASE("what is sunk into a rough surface by more than its thickness is felt, whatever edges say") {
  RandomStream random(8, "deep");
  const mesh::TriangleMesh m = roughSheet(random);
  const mesh::Tree tree(m);
  const shape::Shape sheet = shape::surface(m);
  int deep = 0;
  for (int n = 0; n < 3000; ++n) {
    const Vec3 axes = vec3(random.between(0.08, 0.2), random.between(0.08, 0.2), random.between(0.08, 0.2));
    const bool round = n % 3 == 0;
    const shape::Shape s = round ? shape::sphere(axes.x()) : shape::ellipsoid(axes);
    const Vec3 at = vec3(random.between(-2, 2), random.between(-0.2, 0.3), random.between(-2, 2));
    if (tree.nearest(m, at).distance > 0.999 * s.inner_radius) continue;
    ++deep;
    INFO((round ? "ball " : "ellipsoid ") << n);
    CHECK(overlapDepth(s, {at, random.turn()}, sheet, Pose{}) > 0);
  }
  CHECK(deep > 500);
}

}  // namespace drubble::collide
