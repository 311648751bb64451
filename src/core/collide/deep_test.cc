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

TEST_CASE("a cask that lies deep in a slat is held at both ends of it, however both lean") {
  const Vec3 half = vec3(0.15, 0.016, 0.08);
  const shape::Shape cask = shape::cylinder(0.25, 0.7, Vec3::UnitX()), slat = shape::box(-half, half);
  RandomStream random(3, "casks");
  for (int n = 0; n < 200; ++n) {
    const double depth = random.between(0.004, 0.015);
    const Pose lying{vec3(random.between(-0.1, 0.1), 0.25 + half.y() - depth, random.between(-0.03, 0.03)),
                     turnAbout(Vec3::UnitX(), random.between(0, 3)) *
                         turnAbout(Vec3::UnitX().cross(random.turn() * Vec3::UnitX()).normalized(), 1e-3)};
    const Pose leans{Vec3::Zero(), turnAbout(random.turn() * Vec3::UnitX(), 1e-3)};
    Manifolds found;
    collide(cask, lying, slat, leans, 0.01, found);
    CAPTURE(n, depth);
    REQUIRE(found.size() == 1);
    REQUIRE(found[0].count >= 2);
    double low = 1, high = -1;
    for (int k = 0; k < found[0].count; ++k) {
      const Point& p = found[0].points[static_cast<std::size_t>(k)];
      if (p.gap > -0.8 * depth) continue;
      low = least(low, p.position.x());
      high = greatest(high, p.position.x());
      CHECK(p.gap == Approx(-depth).margin(2e-3));
    }
    CHECK(low == Approx(-half.x()).margin(1e-3));
    CHECK(high == Approx(half.x()).margin(1e-3));
  }
}

}  // namespace drubble::collide
