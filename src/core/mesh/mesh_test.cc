// SPDX-License-Identifier: Apache-2.0
#include "core/mesh/mesh.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>

#include "core/base/random.h"
#include "core/base/trig.h"
#include "core/mesh/mass.h"
#include "core/mesh/test_solids.h"
#include "core/mesh/tree.h"

using namespace drubble;
using namespace drubble::mesh;

TEST_CASE("a box mesh has the closed form's volume, centre and inertia, wherever it is") {
  const Vec3 size = vec3(0.4, 1.2, 2.5), place = vec3(10, -3, 7);
  const TriangleMesh m = transformed(boxMesh(size), Vec3::Ones(), {place, Quat::Identity()});
  const MassProperties got = massProperties(m), law = boxMass(size);
  CHECK(got.volume == Approx(law.volume).epsilon(1e-12));
  CHECK((got.centre - place).norm() < 1e-12);
  CHECK((got.inertia - law.inertia).norm() < 1e-10 * law.inertia.norm());
}

TEST_CASE("inertia turns with the mesh") {
  RandomStream random(3, "turn");
  const Quat turn = random.turn();
  const TriangleMesh m = transformed(boxMesh(vec3(1, 2, 3)), Vec3::Ones(), {Vec3::Zero(), turn});
  const Mat3 r = turn.toRotationMatrix();
  const Mat3 law = r * boxMass(vec3(1, 2, 3)).inertia * r.transpose();
  CHECK((massProperties(m).inertia - law).norm() < 1e-12 * law.norm());
}

TEST_CASE("a fine sphere and a fine torus come close to the smooth solids") {
  const MassProperties ball = massProperties(sphereMesh(0.5, 96)), law = sphereMass(0.5);
  CHECK(ball.volume == Approx(law.volume).epsilon(2e-3));
  CHECK(ball.inertia(0, 0) == Approx(law.inertia(0, 0)).epsilon(3e-3));
  const MassProperties ring = massProperties(torus(1, 0.25, 192, 96));
  CHECK(ring.volume == Approx(2 * kPi * kPi * 0.25 * 0.25).epsilon(2e-3));
  // About the axis: m (R^2 + 3/4 r^2), at density 1.
  CHECK(ring.inertia(1, 1) == Approx(ring.volume * (1 + 0.75 * 0.0625)).epsilon(3e-3));
}

TEST_CASE("an inside-out mesh has a negative volume") {
  TriangleMesh m = boxMesh(Vec3::Ones());
  for (Triangle& t : m.triangles) std::swap(t[1], t[2]);
  CHECK(massProperties(m).volume == Approx(-1));
}

TEST_CASE("closedness tells open, flipped and crowded edges apart") {
  TriangleMesh m = boxMesh(Vec3::Ones());
  CHECK(closedness(m).closed());
  TriangleMesh open = m;
  open.triangles.pop_back();
  CHECK(closedness(open).open_edges == 3);
  CHECK(closedness(open).flipped_edges == 0);
  TriangleMesh flipped = m;
  std::swap(flipped.triangles[0][0], flipped.triangles[0][1]);
  CHECK(closedness(flipped).flipped_edges == 3);
  TriangleMesh crowded = m;
  crowded.triangles.push_back(m.triangles[0]);
  CHECK(closedness(crowded).crowded_edges == 3);
  CHECK(closedness(crowded).flat_triangles == 0);
}

TEST_CASE("welding joins corners at one place and drops what collapses") {
  TriangleMesh soup;
  const TriangleMesh box = boxMesh(Vec3::Ones());
  for (const Triangle& t : box.triangles) {
    for (const std::uint32_t v : t) soup.vertices.push_back(box.vertices[v]);
    const std::uint32_t n = u32(soup.vertices.size());
    soup.triangles.push_back({n - 3, n - 2, n - 1});
  }
  soup.triangles.push_back({0, 0, 1});
  CHECK_FALSE(closedness(soup).closed());
  const TriangleMesh joined = welded(soup);
  CHECK(joined.vertices.size() == 8);
  CHECK(joined.triangles.size() == 12);
  CHECK(closedness(joined).closed());
}

TEST_CASE("the tree's nearest point and inside test agree with looking at every triangle") {
  const TriangleMesh m = torus(1, 0.3, 40, 20);
  const Tree tree(m);
  RandomStream random(5, "points");
  for (int i = 0; i < 400; ++i) {
    const Vec3 p = vec3(random.between(-1.6, 1.6), random.between(-0.6, 0.6), random.between(-1.6, 1.6));
    double least_distance = 1e9;
    for (const Triangle& t : m.triangles)
      least_distance = least(
          least_distance,
          (nearestOnTriangle(p, m.vertices[t[0]], m.vertices[t[1]], m.vertices[t[2]]).point - p).norm());
    CHECK(tree.nearest(m, p).distance == Approx(least_distance).epsilon(1e-12));
    const double ring = std::sqrt(p.x() * p.x() + p.z() * p.z()) - 1,
                 depth = 0.3 - std::sqrt(ring * ring + p.y() * p.y());
    if (absolute(depth) > 0.02) CHECK(tree.inside(m, p) == (depth > 0));
  }
}

TEST_CASE("the tree's overlap query finds every triangle whose box meets the given one") {
  const TriangleMesh m = torus(1, 0.3, 30, 15);
  const Tree tree(m);
  RandomStream random(6, "boxes");
  for (int i = 0; i < 50; ++i) {
    Box query;
    for (int k = 0; k < 2; ++k)
      query.add(vec3(random.between(-1.4, 1.4), random.between(-0.4, 0.4), random.between(-1.4, 1.4)));
    std::vector<std::uint32_t> found, expected;
    tree.overlapping(query, found);
    for (std::uint32_t t = 0; t < m.triangles.size(); ++t) {
      Box b;
      for (const std::uint32_t v : m.triangles[t]) b.add(m.vertices[v]);
      if (b.overlaps(query)) expected.push_back(t);
    }
    for (const std::uint32_t t : expected) CHECK(std::binary_search(found.begin(), found.end(), t));
  }
}

TEST_CASE("neighbours lie across the shared edge") {
  const TriangleMesh m = boxMesh(Vec3::Ones());
  const auto across = neighbours(m);
  for (std::uint32_t t = 0; t < m.triangles.size(); ++t) {
    for (std::size_t k = 0; k < 3; ++k) {
      REQUIRE(across[t][k] != kNoTriangle);
      const Triangle& o = m.triangles[across[t][k]];
      for (const std::uint32_t v : {m.triangles[t][k], m.triangles[t][(k + 1) % 3]})
        CHECK(std::count(o.begin(), o.end(), v) == 1);
    }
  }
}
