// SPDX-License-Identifier: Apache-2.0
// Concave bodies felt as convex parts: what they hold, what hangs in them, and that seams are not felt.
#include <catch2/catch.hpp>
#include <cmath>

#include "../support/stage.h"
#include "core/base/trig.h"
#include "core/mesh/test_solids.h"

using namespace drubble;
using drubble::test::Stage;

namespace {

// Stands where its mesh does: its centre of mass is moved off the origin as far as it is in the mesh.
world::Prototype inParts(const mesh::TriangleMesh& m, double tolerance, int most, double density) {
  const mesh::MassProperties solid = mesh::massProperties(m);
  mesh::TriangleMesh body = m;
  for (Vec3& v : body.vertices) v -= solid.centre;
  double lost = 0;
  shape::Shape s = world::partsWithin(shape::convexParts(body, {tolerance, most}), 64, lost);
  REQUIRE(s.kind == shape::Kind::Joined);
  return world::shapedPrototype("parts", m, std::move(s), solid, density);
}

}  // namespace

TEST_CASE("a box slides over the seams between parts as over one face") {
  for (const double angle : {0.0, 0.2, 0.9}) {
    Stage s;
    s.surface(0, 0);
    world::Prototype plate = inParts(mesh::transformed(mesh::gear(9), vec3(4, 1, 4), {}), 0.02, 32, 1000);
    s.add(plate, -plate.origin, Vec3::Zero(), world::Role::Static);
    const SinCos way = sinCos(angle);
    const Vec3 start = vec3(-1.1 * way.cos, 0.2, -1.1 * way.sin + 0.07), speed = vec3(way.cos, 0, way.sin);
    const std::size_t box = s.box(vec3(0.2, 0.2, 0.2), start, speed, 500);
    s.frames(48);
    INFO("angle " << angle);
    CHECK((s.position(box) - start - 2 * speed).norm() < 2e-3);
    CHECK((s.velocity(box) - speed).norm() < 2e-3);
  }
}

TEST_CASE("a chain of twenty rings hangs", "[slow]") {
  Stage s;
  s.surface(0.4, 0);
  const world::Prototype ring = inParts(mesh::torus(0.1, 0.02, 32, 12), 0.003, 24, 7800);
  for (int k = 0; k <= 20; ++k) {
    // Inner radius 0.08, bar 0.04 thick: links hang 0.16 apart; at first a little less.
    const std::size_t i = s.add(ring, vec3(0, -0.1585 * k, 0), Vec3::Zero(),
                                k == 0 ? world::Role::Static : world::Role::Dynamic);
    const Quat up = turnXyz(vec3(0.5 * kPi, 0, 0));
    s.scene.pieces[i].start.turn = k % 2 == 0 ? up : Quat(turnXyz(vec3(0, 0.5 * kPi, 0)) * up);
  }
  s.frames(96);
  for (std::size_t k = 1; k <= 20; ++k) {
    const Vec3 from = s.position(k - 1) - s.position(k);
    INFO("link " << k);
    CHECK(from.y() == Approx(0.16).margin(0.005));
    CHECK(absolute(from.x()) + absolute(from.z()) < 0.02);
  }
}

TEST_CASE("a pot of parts holds balls down to its floor", "[slow]") {
  Stage s;
  s.surface(0.4, 0.1);
  s.ground();
  const world::Prototype pot = inParts(mesh::pot(0.06, 48, 4), 0.015, 48, 2500);
  const std::size_t holder = s.add(pot, -pot.origin);
  std::vector<std::size_t> balls;
  for (int k = 0; k < 4; ++k)
    balls.push_back(
        s.sphere(0.12, vec3(k % 2 == 0 ? -0.15 : 0.15, 0.3 + 0.3 * k, 0.02 * k), Vec3::Zero(), 800));
  s.frames(120);
  CHECK((s.position(holder) + pot.origin).norm() < 0.005);
  double lowest = 1;
  for (const std::size_t b : balls) {
    const Vec3& at = s.position(b);
    CHECK(std::sqrt(at.x() * at.x() + at.z() * at.z()) < 0.44 - 0.11);
    lowest = std::min(lowest, at.y());
  }
  CHECK(lowest == Approx(0.18).margin(0.01));
}
