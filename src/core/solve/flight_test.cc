// SPDX-License-Identifier: Apache-2.0
#include "core/solve/flight.h"

#include <catch2/catch.hpp>

#include "core/base/random.h"

using namespace drubble;
using namespace drubble::solve;

namespace {

// Moments about skew principal axes; as a top where two of them are alike.
Traits traitsOf(const Vec3& moments, bool top) {
  Traits t;
  t.round = false;
  t.moments = moments;
  t.principal = turnBy(vec3(0.2, -0.3, 0.1));
  t.inertia = t.principal * moments.asDiagonal() * t.principal.conjugate();
  t.inverse_inertia = t.inertia.inverse();
  if (top) t.top = {t.principal * Vec3::UnitZ(), moments.z(), moments.x()};
  return t;
}

Vec3 momentumOf(const Traits& t, const Quat& turn, const Vec3& spin) {
  return turn * (t.inertia * (turn.conjugate() * spin));
}

}  // namespace

TEST_CASE("a top turns as the finest steps of any body do, and keeps momentum and energy at any step") {
  for (const double along : {0.3, 1.7}) {
    const Vec3 moments = vec3(1, 1, along);
    const Traits top = traitsOf(moments, true), any = traitsOf(moments, false);
    const Quat start = turnBy(vec3(0.4, 0.1, -0.2));
    const Vec3 spin = vec3(2, -1, 3);
    Quat coarse = start, fine = start;
    Vec3 coarse_spin = spin, fine_spin = spin;
    for (int k = 0; k < 20; ++k) spinFreely(top, 0.05, coarse, coarse_spin);
    for (int k = 0; k < 20000; ++k) spinFreely(any, 5e-5, fine, fine_spin);
    INFO("moment along the axis " << along);
    CHECK(turnBetween(coarse, fine).norm() < 1e-7);
    CHECK((coarse_spin - fine_spin).norm() < 1e-7);
    const Vec3 before = momentumOf(top, start, spin), after = momentumOf(top, coarse, coarse_spin);
    CHECK((after - before).norm() < 1e-13 * before.norm());
    CHECK(absolute(after.dot(coarse_spin) / before.dot(spin) - 1) < 1e-13);
  }
}

TEST_CASE("a million turns of a top leave its energy where it was") {
  const Traits top = traitsOf(vec3(1, 1, 0.4), true);
  Quat turn = Quat::Identity();
  Vec3 spin = vec3(5, 1, -4);
  const double before = momentumOf(top, turn, spin).dot(spin);
  for (int k = 0; k < 1'000'000; ++k) spinFreely(top, 0.003, turn, spin);
  CHECK(absolute(momentumOf(top, turn, spin).dot(spin) / before - 1) < 1e-9);
}

TEST_CASE("a top's inertia in the world is that of its moments") {
  const Traits top = traitsOf(vec3(2, 2, 0.7), true), any = traitsOf(vec3(2, 2, 0.7), false);
  RandomStream random(3, "tops");
  for (int k = 0; k < 50; ++k) {
    const Quat turn = random.turn();
    CHECK((inverseInertiaWorld(top, turn) - inverseInertiaWorld(any, turn)).norm() < 1e-14);
  }
}
