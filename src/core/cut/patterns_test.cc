// SPDX-License-Identifier: Apache-2.0
#include "core/cut/patterns.h"

#include <catch2/catch.hpp>

#include "core/base/error.h"
#include "core/mesh/tree.h"

using namespace drubble;
using namespace drubble::cut;

TEST_CASE(
    "scattered sites stand within the mesh, more of them where more are asked for; a seed is one pattern") {
  const mesh::TriangleMesh m = mesh::sphereMesh(1, 16);
  const mesh::Tree tree(m);
  const Scatter how{50, {{vec3(0.5, 0, 0), 0.2, 30}}};
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
  CHECK_THROWS_AS(scatter(m, {1, {{vec3(9, 0, 0), 0.2, 1}}}, 4, "a"), Error);
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
