// SPDX-License-Identifier: Apache-2.0
#include "core/cut/patterns.h"

#include <catch2/catch.hpp>

#include "core/base/error.h"
#include "core/mesh/mass.h"
#include "core/mesh/tree.h"

using namespace drubble;
using namespace drubble::cut;

TEST_CASE(
    "scattered sites stand within the mesh, more of them where more are asked for; a seed is one pattern") {
  const mesh::TriangleMesh m = mesh::sphereMesh(1, 16);
  const mesh::Tree tree(m);
  More ball;
  ball.centre = vec3(0.5, 0, 0);
  ball.radius = 0.2;
  ball.count = 30;
  const Scatter how{50, {ball}};
  const std::vector<Vec3> sites = scatter(m, how, 4, "a");
  REQUIRE(sites.size() == 80);
  int near = 0;
  for (const Vec3& s : sites) {
    CHECK(tree.inside(m, s));
    near += (s - vec3(0.5, 0, 0)).norm() <= 0.2;
  }
  CHECK(near >= 30);
  CHECK(scatter(m, how, 4, "a") == sites);
  CHECK(scatter(m, how, 5, "a") != sites);
  CHECK(scatter(m, how, 4, "b") != sites);
  More outside = ball;
  outside.centre = vec3(9, 0, 0);
  CHECK_THROWS_AS(scatter(m, {1, {outside}}, 4, "a"), Error);
}

TEST_CASE("an impact's sites lie in one plane, the closer the nearer they are to it") {
  const mesh::TriangleMesh pane = mesh::boxMesh(vec3(1, 0.02, 1));
  CHECK(thinnestAxis(pane) == Vec3::UnitY());
  Impact how;
  how.at = vec3(0.1, 0.3, -0.1);
  how.axis = thinnestAxis(pane);
  const std::vector<Vec3> sites = impact(pane, how, 1, "pane");
  CHECK(sites.size() > 50);
  double inner = 0, outer = 0;  // how many in a ring of the same area
  for (const Vec3& s : sites) {
    CHECK(absolute(s.y()) < 1e-12);
    const double away = (s - vec3(0.1, 0, -0.1)).norm();
    inner += away < 0.2;
    outer += away > 0.4 && away < 0.447;
  }
  CHECK(inner > 3 * outer);
}

TEST_CASE("more sites stand in balls, boxes, meshes and along lines, as many as asked") {
  const mesh::TriangleMesh m = mesh::boxMesh(vec3(2, 2, 2));
  More ball, box, solid, line;
  ball.centre = vec3(0.8, 0, 0);
  ball.radius = 0.1;
  box.region = Region::Box;
  box.box = {vec3(-0.9, -0.9, -0.9), vec3(-0.7, -0.7, -0.7)};
  solid.region = Region::Mesh;
  solid.mesh = mesh::transformed(mesh::sphereMesh(0.1, 8), Vec3::Ones(), {vec3(0, 0.8, 0), Quat::Identity()});
  line.region = Region::Line;
  line.line = {vec3(0, -0.5, 0), vec3(0.5, -0.5, 0), vec3(0.5, -0.5, 0.5)};
  line.radius = 0.05;
  for (More* more : {&ball, &box, &solid, &line}) more->count = 50;
  const std::vector<Vec3> sites = scatter(m, {0, {ball, box, solid, line}}, 4, "x");
  REQUIRE(sites.size() == 200);
  const auto count = [&](const auto& in) { return std::count_if(sites.begin(), sites.end(), in); };
  CHECK(count([&](const Vec3& p) { return (p - ball.centre).norm() <= 0.1; }) == 50);
  CHECK(count([&](const Vec3& p) { return box.box.contains(p); }) == 50);
  CHECK(count([&](const Vec3& p) { return (p - vec3(0, 0.8, 0)).norm() <= 0.1; }) == 50);
  const auto off = [](const Vec3& p, const Vec3& a, const Vec3& b) {
    const double t = clamped((p - a).dot(b - a) / (b - a).squaredNorm(), 0, 1);
    return (p - a - t * (b - a)).norm();
  };
  CHECK(count([&](const Vec3& p) {
          return off(p, line.line[0], line.line[1]) <= 0.05 || off(p, line.line[1], line.line[2]) <= 0.05;
        }) == 50);
}

TEST_CASE("evened cells are more of a size") {
  const mesh::TriangleMesh m = mesh::boxMesh(vec3(1, 1, 1));
  const std::vector<Vec3> sites = scatter(m, {100, {}}, 4, "x");
  const auto spread = [&](const std::vector<Vec3>& at) {
    double sum = 0;
    for (const Piece& p : cutIntoCells(m, at).pieces) {
      const double off = 100 * mesh::massProperties(p.mesh).volume - 1;
      sum += off * off / 100;
    }
    return std::sqrt(sum);
  };
  const double once = spread(sites), after = spread(evened(m, sites, 3, {}));
  CHECK(after < 0.6 * once);
}

TEST_CASE("parallel cuts: slabs as thick as asked, tilted by no more than asked") {
  const mesh::TriangleMesh m = mesh::boxMesh(vec3(1, 2, 1));
  for (const Piece& p : cutIntoCells(m, parallel(m, {Vec3::UnitY(), 8, 0, 0}, 1, "x")).pieces)
    CHECK(p.mesh.bounds().size().y() == Approx(0.25));
  const Cut tilted = cutIntoCells(m, parallel(m, {Vec3::UnitY(), 8, 0.1, 0.3}, 1, "x"));
  CHECK(tilted.pieces.size() == 8);
  double most = 0;
  for (const Interface& i : tilted.interfaces)
    most = std::max(most, std::acos(std::min(1.0, std::abs(i.normal.y()))));
  CHECK(most > 0.01);
  CHECK(most <= 0.1);
}

TEST_CASE(
    "a smooth line goes through its places without a bend in them, and straight where they are in line") {
  const std::vector<Vec3> corner = {vec3(0, 0, 0), vec3(1, 0, 0), vec3(1, 1, 0), vec3(2, 1, 0)};
  const std::vector<Vec3> curve = smoothed(corner);
  REQUIRE(curve.size() == 3 * 16 + 1);
  for (std::size_t k = 0; k < corner.size(); ++k) CHECK((curve[16 * k] - corner[k]).norm() == 0);
  for (std::size_t k = 1; k + 1 < curve.size(); ++k) {
    const Vec3 in = (curve[k] - curve[k - 1]).normalized(), out = (curve[k + 1] - curve[k]).normalized();
    CHECK(in.dot(out) > 0.94);  // 20 degrees; the places' own corners have 90
  }
  for (const Vec3& p : smoothed(std::vector<Vec3>{vec3(0, 0, 0), vec3(1, 2, 0), vec3(2, 4, 0)}))
    CHECK(p.y() == Approx(2 * p.x()).margin(1e-12));
}
