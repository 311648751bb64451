// SPDX-License-Identifier: Apache-2.0
// Which points of a patch are kept.
#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>

#include "core/collide/pairs.h"

using namespace drubble;
using namespace drubble::collide;

TEST_CASE("four kept points span the patch") {
  std::vector<Point> ring;
  for (std::uint32_t i = 0; i < 16; ++i)
    ring.push_back({vec3(std::cos(i * 0.3927), 0, std::sin(i * 0.3927)), i == 3 ? -0.01 : 0.0, i});
  Manifold m;
  m.normal = Vec3::UnitY();
  keepFour(ring, m);
  REQUIRE(m.count == 4);
  CHECK(m.points[0].feature == 3);
  CHECK(m.points[1].feature == 11);
  CHECK(m.points[2].feature + m.points[3].feature == 7 + 15);
}

TEST_CASE("a corner that touches is kept before one that hovers farther out") {
  // A tilted pad: two corners close together bear, the others hover.
  const std::vector<Point> pad = {{vec3(0.10, 0, 0.08), -5e-5, 1},    {vec3(0.06, 0, 0.10), -3e-5, 2},
                                  {vec3(-0.08, 0, -0.05), 1.7e-3, 3}, {vec3(0.08, 0, -0.10), 1.3e-3, 4},
                                  {vec3(-0.06, 0, 0.09), 6e-4, 5},    {vec3(0.09, 0, -0.08), 1.2e-3, 6}};
  Manifold m;
  m.normal = Vec3::UnitY();
  keepFour(pad, m);
  std::vector<std::uint32_t> kept;
  for (int i = 0; i < m.count; ++i) kept.push_back(m.points[static_cast<std::size_t>(i)].feature);
  CHECK(std::count(kept.begin(), kept.end(), 1u) == 1);
  CHECK(std::count(kept.begin(), kept.end(), 2u) == 1);
}

TEST_CASE("of two corners that bear side by side both are kept, however far out the others hover") {
  const std::vector<Point> pad = {
      {vec3(-0.1397, 0, 0.0108), -1.19e-5, 1}, {vec3(-0.1392, 0, 0.0070), -0.9e-5, 2},
      {vec3(0.0662, 0, -0.0350), 1.70e-3, 3},  {vec3(-0.0885, 0, -0.0513), 0.52e-3, 4},
      {vec3(0.0090, 0, 0.1409), 0.90e-3, 5},   {vec3(0.0531, 0, 0.0909), 1.66e-3, 6}};
  Manifold m;
  m.normal = Vec3::UnitY();
  keepFour(pad, m);
  REQUIRE(m.count >= 3);
  CHECK(m.points[0].feature == 1);
  CHECK(m.points[1].feature == 2);
}

TEST_CASE("of a slab that bears along one side both corners of the other side are kept") {
  // Two slabs, one turned a little: eight corners, of which those of one side touch.
  std::vector<Point> corners;
  for (const auto& [x, z] :
       {std::pair(-0.30, -0.18), std::pair(-0.30, 0.17), std::pair(-0.28, 0.20), std::pair(0.27, 0.20),
        std::pair(0.30, 0.16), std::pair(0.30, -0.17), std::pair(0.28, -0.20), std::pair(-0.27, -0.20)})
    corners.push_back({vec3(x, 0, z), 0.004 * (x + 0.30), u32(corners.size())});
  Manifold m;
  m.normal = Vec3::UnitY();
  keepFour(corners, m);
  REQUIRE(m.count == 4);
  Box near, far;
  for (const Point& p : m.points) (p.position.x() < 0 ? near : far).add(p.position);
  CHECK(near.size().z() > 0.3);
  CHECK(far.size().z() > 0.3);
}

TEST_CASE("of a disc's rim one point stands for those beside it; the others are where it may turn to") {
  std::vector<Point> rim;
  for (int k = 0; k < 16; ++k) {
    const Vec3 p = 0.3 * (turnAbout(Vec3::UnitY(), k * std::acos(-1.0) / 8) * Vec3::UnitX());
    rim.push_back({p, -2e-3 + 0.01 * (0.3 - p.x()), static_cast<std::uint32_t>(k)});
  }
  Manifold m;
  m.normal = Vec3::UnitY();
  keepFour(rim, m, Rim::Smooth);
  REQUIRE(m.count == 4);
  Box extent;
  for (const Point& p : m.points) extent.add(p.position);
  CHECK(m.points[0].feature == 0);
  CHECK(extent.size().x() > 0.5);
  CHECK(extent.low.z() < -0.2);
  CHECK(extent.high.z() > 0.2);
}

TEST_CASE("a thin disc that touches at its rim has points where it may come down; a cube within reach only") {
  const shape::Shape floor = shape::box(vec3(-1, -1, -1), vec3(1, 0, 1));
  const auto farthest = [&](const shape::Shape& s) {
    const Quat tilt = turnAbout(Vec3::UnitZ(), 0.05);
    const double down = -shape::reachAlong(s, tilt.conjugate() * -Vec3::UnitY());
    Manifolds found;
    collide::collide(floor, {Vec3::Zero(), Quat::Identity()}, s, {vec3(0, -down - 1e-4, 0), tilt}, 0.01,
                     found);
    REQUIRE(found.size() == 1);
    double most = 0;
    for (int k = 0; k < found[0].count; ++k)
      most = greatest(most, found[0].points[static_cast<std::size_t>(k)].gap);
    CHECK(found[0].leastGap() == Approx(-1e-4).margin(1e-6));
    return most;
  };
  CHECK(farthest(shape::cylinder(0.3, 0.04, Vec3::UnitY())) == Approx(0.6 * 0.05).epsilon(0.01));
  CHECK(farthest(shape::box(Vec3::Constant(-0.3), Vec3::Constant(0.3))) < 0.01);
}
