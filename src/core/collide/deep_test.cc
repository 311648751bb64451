// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>
#include <limits>

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

// The corners and sides of what a shape of corners is, in the world.
struct Cornered {
  std::vector<Vec3> corners, normals, edges;
};

Cornered corneredOf(const shape::Shape& s, const Pose& at) {
  Cornered out;
  for (const Vec3& v : s.convex->vertices) out.corners.push_back(at.toWorld(v));
  for (const shape::Face& f : s.convex->faces) out.normals.push_back(at.turn * f.normal);
  for (const shape::Edge& e : s.convex->edges) out.edges.push_back(out.corners[e.b] - out.corners[e.a]);
  return out;
}

// The least by which the two overlap along any side of either or square to an edge of each; less than 0: they
// are apart (Gottschalk, Separating axis theorem, 1996).
double leastOverlapOfAll(const Cornered& a, const Cornered& b) {
  double least_overlap = std::numeric_limits<double>::infinity();
  const auto look = [&](const Vec3& n) {
    double high = -std::numeric_limits<double>::infinity(), low = -high;
    for (const Vec3& v : a.corners) high = greatest(high, n.dot(v));
    for (const Vec3& v : b.corners) low = least(low, n.dot(v));
    least_overlap = least(least_overlap, high - low);
  };
  for (const Vec3& n : a.normals) look(n);
  for (const Vec3& n : b.normals) look(-n);
  for (const Vec3& u : a.edges)
    for (const Vec3& v : b.edges) {
      const Vec3 n = u.cross(v);
      if (n.squaredNorm() < 1e-12 * u.squaredNorm() * v.squaredNorm()) continue;
      look(n.normalized());
      look(-n.normalized());
    }
  return least_overlap;
}

shape::Shape splinter(RandomStream& random) {
  const Vec3 half = vec3(random.between(0.1, 0.4), random.between(0.02, 0.15), random.between(0.02, 0.1));
  std::vector<Vec3> points;
  for (int k = 0; k < 12; ++k)
    points.push_back(
        half.cwiseProduct(vec3(random.between(-1, 1), random.between(-1, 1), random.between(-1, 1))));
  return shape::convex(points);
}

}  // namespace

TEST_CASE("how deep splinters overlap is felt, whichever of edges and faces they meet with") {
  RandomStream random(5, "splinters");
  int deep = 0;
  for (int n = 0; n < 6000; ++n) {
    const shape::Shape a = splinter(random), b = splinter(random);
    const Pose at_a{Vec3::Zero(), random.turn()},
        at_b{vec3(random.between(-0.15, 0.15), random.between(-0.15, 0.15), random.between(-0.15, 0.15)),
             random.turn()};
    const double depth = leastOverlapOfAll(corneredOf(a, at_a), corneredOf(b, at_b));
    if (depth < 0.002) continue;
    ++deep;
    Manifolds found;
    collide(a, at_a, b, at_b, 0.03, found);
    CAPTURE(n, depth);
    REQUIRE(found.size() == 1);
    CHECK(-found[0].leastGap() > 0.9 * depth);
    CHECK(-found[0].leastGap() < 1.1 * depth);
  }
  CHECK(deep > 1000);
}

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
