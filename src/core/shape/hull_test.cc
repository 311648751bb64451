// SPDX-License-Identifier: Apache-2.0
#include "core/shape/hull.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <set>

#include "core/base/error.h"
#include "core/base/random.h"
#include "core/mesh/mass.h"

using namespace drubble;
using namespace drubble::shape;

namespace {

std::vector<Vec3> cloud(std::uint64_t seed, int count, bool on_grid) {
  RandomStream random(seed, "cloud");
  std::vector<Vec3> points;
  for (int i = 0; i < count; ++i) {
    Vec3 p = vec3(random.between(-1, 1), random.between(-1, 1), random.between(-1, 1));
    if (on_grid)
      for (int k = 0; k < 3; ++k) p[k] = static_cast<int>(3 * p[k]) / 3.0;
    points.push_back(p);
  }
  return points;
}

}  // namespace

TEST_CASE("a box's hull has six faces of four corners") {
  const Polyhedron p = convexHull(mesh::boxMesh(vec3(1, 2, 3)).vertices);
  CHECK(whyInvalid(p).empty());
  CHECK(p.vertices.size() == 8);
  CHECK(p.faces.size() == 6);
  CHECK(p.edges.size() == 12);
  CHECK(p.inner_radius == Approx(0.5));
  CHECK(mesh::massProperties(meshOf(p)).volume == Approx(6));
}

TEST_CASE("points inside, on faces and on edges leave a box's hull as it is") {
  std::vector<Vec3> points;
  for (int x = 0; x <= 4; ++x)
    for (int y = 0; y <= 4; ++y)
      for (int z = 0; z <= 4; ++z) points.push_back(0.1 * vec3(x, y, z));
  const Polyhedron p = convexHull(points);
  CHECK(whyInvalid(p).empty());
  CHECK(p.vertices.size() == 8);
  CHECK(p.faces.size() == 6);
}

TEST_CASE("hulls of random clouds hold all points and reach as far as they do, in every direction") {
  const bool on_grid = GENERATE(false, true);
  for (std::uint64_t seed = 0; seed < 60; ++seed) {
    const std::vector<Vec3> points = cloud(seed, 8 + static_cast<int>(seed) * 3, on_grid);
    const Polyhedron p = convexHull(points);
    INFO("seed " << seed << ", " << points.size() << " points" << (on_grid ? " on a grid" : ""));
    CHECK(whyInvalid(p) == "");
    CHECK(static_cast<int>(p.vertices.size()) - static_cast<int>(p.edges.size()) +
              static_cast<int>(p.faces.size()) ==
          2);
    for (const Face& f : p.faces)
      for (const Vec3& v : points) CHECK(f.normal.dot(v) - f.offset < 1e-6);
    RandomStream random(seed, "directions");
    for (int i = 0; i < 50; ++i) {
      const Vec3 d = random.turn() * Vec3::UnitX();
      double farthest = -1e9;
      for (const Vec3& v : points) farthest = greatest(farthest, d.dot(v));
      CHECK(p.reach(d) == Approx(farthest).margin(1e-6));
    }
  }
}

TEST_CASE("every plane through three points with all others behind it is a face (brute force)") {
  for (std::uint64_t seed = 100; seed < 120; ++seed) {
    const std::vector<Vec3> points = cloud(seed, 14, false);
    const Polyhedron p = convexHull(points);
    std::size_t supporting = 0;
    for (std::size_t i = 0; i < points.size(); ++i)
      for (std::size_t j = i + 1; j < points.size(); ++j)
        for (std::size_t k = j + 1; k < points.size(); ++k) {
          const Vec3 n = (points[j] - points[i]).cross(points[k] - points[i]).normalized();
          int front = 0, back = 0;
          for (const Vec3& v : points) {
            const double d = n.dot(v - points[i]);
            front += d > 1e-12;
            back += d < -1e-12;
          }
          supporting += front == 0 || back == 0;
        }
    CHECK(p.faces.size() == supporting);
  }
}

TEST_CASE("a fine ball's hull keeps its corners and its volume") {
  const mesh::TriangleMesh ball = mesh::sphereMesh(0.3, 20);
  const Polyhedron p = convexHull(ball.vertices);
  CHECK(whyInvalid(p) == "");
  CHECK(p.vertices.size() == ball.vertices.size());
  CHECK(mesh::massProperties(meshOf(p)).volume == Approx(mesh::massProperties(ball).volume));
}

TEST_CASE("no hull loses a point, however many lie nearly on its edges and faces") {
  for (std::uint64_t i = 0; i < 1200; ++i) {
    RandomStream r(3, "hulls", i);
    const auto among = [&](std::size_t n) { return static_cast<std::size_t>(r.between(0, double(n))); };
    std::vector<Vec3> points;
    const std::size_t corners = 4 + among(8);
    const double flat = i % 3 == 0 ? 1 : 0.1;
    for (std::size_t k = 0; k < corners; ++k)
      points.push_back(vec3(r.between(-1, 1), r.between(-1, 1), r.between(-flat, flat)));
    for (std::size_t a = 0; a < corners; ++a)
      for (std::size_t b = a + 1; b < corners; ++b)
        for (int k = 0; k < 3; ++k) points.push_back(points[a] + r.unit() * (points[b] - points[a]));
    for (int k = 0; k < 40; ++k) {
      const Vec3 &a = points[among(corners)], &b = points[among(corners)], &c = points[among(corners)];
      const double u = r.unit(), v = r.unit() * (1 - u);
      points.push_back(a + u * (b - a) + v * (c - a));
    }
    const Quat turn = r.turn();
    const double noise = std::pow(10.0, -r.between(5, 12));
    for (Vec3& p : points) p = turn * p + noise * vec3(r.between(-1, 1), r.between(-1, 1), r.between(-1, 1));
    const Polyhedron hull = convexHull(points);
    double lost = 0;
    for (const Face& f : hull.faces)
      for (const Vec3& p : points) lost = greatest(lost, f.normal.dot(p) - f.offset);
    CAPTURE(i);
    CHECK(lost < 1e-6);
    const std::string why = whyInvalid(hull);
    CHECK((why.empty() || why.starts_with("I3")));  // flattened faces: by up to 1e-7 of the width, not radius
  }
}

TEST_CASE("flat, straight and single clouds are refused") {
  const std::vector<Vec3> flat = {vec3(0, 0, 0), vec3(1, 0, 0), vec3(0, 1, 0), vec3(1, 1, 0),
                                  vec3(0.4, 0.3, 0)};
  const std::vector<Vec3> line = {vec3(0, 0, 0), vec3(1, 1, 1), vec3(2, 2, 2), vec3(3, 3, 3)};
  const std::vector<Vec3> one(6, vec3(1, 2, 3));
  for (const auto& points : {flat, line, one}) CHECK_THROWS_AS(convexHull(points), Error);
}
