// SPDX-License-Identifier: Apache-2.0
// Hits of bodies that tumble: what every hit keeps, whatever stands how.
#include "core/solve/impact.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "../../../tests/support/stage.h"
#include "core/base/random.h"

using namespace drubble;
using drubble::test::Stage;

namespace {

struct Totals {
  Vec3 momentum = Vec3::Zero(), turning = Vec3::Zero();
  double energy = 0;
};

Totals totalsOf(const world::World& w) {
  Totals out;
  for (std::size_t i = 0; i < w.motion().size(); ++i) {
    const solve::Traits& t = w.traits()[i];
    const Vec3 p = t.mass() * w.motion().velocity[i];
    const Mat3 turn = w.motion().turn[i].toRotationMatrix();
    const Vec3 own = turn * t.inertia * turn.transpose() * w.motion().spin[i];
    out.momentum += p;
    out.turning += w.motion().position[i].cross(p) + own;
    out.energy += 0.5 * p.dot(w.motion().velocity[i]) + 0.5 * own.dot(w.motion().spin[i]);
  }
  return out;
}

// Two boxes fly at each other, turned and spinning anyhow.
void twoBoxes(Stage& s, RandomStream& r, double friction, double bounce) {
  s.scene.gravity = Vec3::Zero();
  s.surface(friction, bounce);
  for (const double side : {-1.0, 1.0}) {
    const Vec3 size = vec3(r.between(0.1, 0.3), r.between(0.1, 0.3), r.between(0.1, 0.3));
    const std::size_t i = s.box(size, vec3(0.4 * side, r.between(-0.05, 0.05), r.between(-0.05, 0.05)),
                                vec3(-side * r.between(0.5, 4), r.between(-0.3, 0.3), r.between(-0.3, 0.3)),
                                r.between(300, 3000));
    s.scene.pieces[i].start.turn = r.turn();
    s.scene.pieces[i].spin = 6 * vec3(r.between(-1, 1), r.between(-1, 1), r.between(-1, 1));
  }
}

}  // namespace

TEST_CASE("a hit keeps momentum and angular momentum, and makes no energy") {
  RandomStream r(31, "hits");
  int hits = 0;
  double lost = 0;
  for (int k = 0; k < 120; ++k) {
    Stage s;
    const double bounce = k % 3 == 0 ? 1 : r.between(0, 0.9);
    twoBoxes(s, r, k % 2 == 0 ? 0 : r.between(0.1, 0.9), bounce);
    const Totals before = totalsOf(s.world());
    world::Watcher nobody;
    for (int f = 0; f < 16; ++f) {
      s.world().advance(nobody);
      for (const solve::Hit& h : s.world().hits()) {
        ++hits;
        CHECK(h.impulse > 0);
        CHECK(h.speed > 0);
        CHECK(h.normal.norm() == Approx(1).epsilon(1e-9));
      }
    }
    const Totals after = totalsOf(s.world());
    const double scale = s.world().traits()[0].mass() + s.world().traits()[1].mass();
    INFO("pair " << k);
    CHECK((after.momentum - before.momentum).norm() < 1e-5 * scale);
    CHECK((after.turning - before.turning).norm() <
          4e-3 * scale);  // of one to ten: arms of 0.2 m at metres a second
    CHECK(after.energy < before.energy * (1 + 1e-3));
    lost += after.energy < 0.999 * before.energy;
  }
  CHECK(hits > 120);
  CHECK(lost > 40);
}

TEST_CASE("the impulse along a hit's tangent stays within friction's cone; without friction there is none") {
  RandomStream r(32, "cone");
  for (const double friction : {0.0, 0.2, 0.6}) {
    double most = 0;
    for (int k = 0; k < 40; ++k) {
      Stage s;
      s.scene.gravity = Vec3::Zero();
      s.surface(friction, 0.5);
      s.sphere(0.1, vec3(-0.3, 0, 0), vec3(3, r.between(-1, 1), r.between(-1, 1)));
      s.scene.pieces.back().spin = 150 * vec3(0, r.between(-1, 1), r.between(-1, 1));
      s.add(world::boxPrototype("wall", vec3(0.1, 3, 3), 1000), vec3(0.05, 0, 0), Vec3::Zero(),
            world::Role::Static);
      const Vec3 v = s.velocity(0);
      s.frames(6);
      const Vec3 change = s.velocity(0) - v;
      REQUIRE(change.x() == Approx(-4.5).epsilon(1e-6));  // 3 m/s in, half of it back
      const double across = std::sqrt(change.y() * change.y() + change.z() * change.z()) / 4.5;
      CHECK(across <=
            static_cast<double>(static_cast<float>(friction)) * (1 + 1e-9));  // as a contact keeps it
      most = std::max(most, across);
    }
    CHECK(most >= 0.99 * friction);  // at up to 150 rad/s some slide
  }
}

TEST_CASE("a dozen boxes laid in a row, touching, hand a blow on to the last") {
  Stage s;
  s.scene.gravity = Vec3::Zero();
  s.surface(0.3, 1);
  for (int i = 0; i < 12; ++i) s.box(Vec3::Constant(0.2), vec3(0.2 * i, 0, 0));
  const std::size_t first = s.box(Vec3::Constant(0.2), vec3(-0.7, 0, 0), vec3(2, 0, 0));
  s.frames(12);
  CHECK(s.velocity(11).x() == Approx(2).epsilon(1e-4));
  for (std::size_t i = 0; i < 11; ++i) CHECK(s.velocity(i).norm() < 1e-3);
  CHECK(s.velocity(first).norm() < 1e-3);
}

TEST_CASE("what overlaps is eased apart at a bounded speed and keeps hardly any of it") {
  // Without weight, friction or bounce nothing else is there to slow it down.
  for (const double share : {0.02, 0.1, 0.3}) {
    Stage s;
    s.scene.gravity = Vec3::Zero();
    s.surface(0, 0);
    s.box(Vec3::Constant(0.2), Vec3::Zero());
    s.box(Vec3::Constant(0.2), vec3(0.2 * (1 - share), 0, 0));
    double fastest = 0, before = s.position(0).x(), parted = 0;
    for (int f = 0; f < 48; ++f) {
      s.frames(1);
      fastest = std::max(fastest, std::abs(s.position(0).x() - before) * 24);
      before = s.position(0).x();
    }
    parted = s.position(1).x() - s.position(0).x();
    INFO("overlap of " << share << ", left with " << s.velocity(0).norm() << " m/s");
    CHECK(parted > 0.2 * 0.998);
    CHECK(fastest < 2 * 0.2);                  // two sizes a second between them, each half of it
    CHECK(s.velocity(0).norm() < 0.05 * 0.2);  // of a size a second
  }
}
