// SPDX-License-Identifier: Apache-2.0
#include "files/cache/moments.h"

#include <catch2/catch.hpp>

#include "core/base/trig.h"
#include "files/cache/format.h"

using namespace drubble;
using namespace drubble::files;

namespace {

PieceMoment moment(const Vec3& place, const Vec3& velocity, const Quat& turn, const Vec3& spin) {
  return {{place, turn}, velocity, spin, kFlagAwake};
}

}  // namespace

TEST_CASE("between frames of free flight a piece is on its parabola, with its speed", "[moments]") {
  const double dt = 1.0 / 24, g = 9.81;
  const auto flight = [&](double t) {
    return moment(vec3(3 * t, 2 + 4 * t - 0.5 * g * t * t, 0), vec3(3, 4 - g * t, 0), Quat::Identity(),
                  Vec3::Zero());
  };
  for (const double s : {0.1, 0.5, 0.9}) {
    const PieceMoment m = between(flight(0.3), flight(0.3 + dt), dt, s), exact = flight(0.3 + s * dt);
    CHECK((m.pose.position - exact.pose.position).norm() < 1e-12);
    CHECK((m.velocity - exact.velocity).norm() < 1e-10);
  }
}

TEST_CASE("what spins by more than half a turn in a frame goes round the way it spins", "[moments]") {
  const double dt = 1.0 / 24;
  const Vec3 axis = vec3(1, 2, 2) / 3;
  for (const double speed : {20.0, 100.0, 200.0}) {  // rad/s: 48 to 477 degrees a frame
    const Vec3 spin = speed * axis;
    const PieceMoment a = moment(Vec3::Zero(), Vec3::Zero(), Quat::Identity(), spin);
    const PieceMoment b = moment(Vec3::Zero(), Vec3::Zero(), turnAbout(axis, speed * dt), spin);
    const PieceMoment m = between(a, b, dt, 0.4);
    CHECK(turnBetween(turnAbout(axis, 0.4 * speed * dt), m.pose.turn).norm() < 1e-9);
    CHECK((m.spin - spin).norm() < 1e-6);
  }
}

TEST_CASE("what is hit between frames goes straight, and never beyond where it was", "[moments]") {
  const double dt = 1.0 / 24;
  const PieceMoment a = moment(vec3(0, 0.2, 0), vec3(0, -20, 0), Quat::Identity(), Vec3::Zero());
  const PieceMoment b = moment(vec3(0, 0, 0), Vec3::Zero(), Quat::Identity(), Vec3::Zero());
  double way = 0;
  for (int k = 0; k < 10; ++k) {
    const PieceMoment m = between(a, b, dt, (k + 0.5) / 10);
    CHECK(m.pose.position.y() >= 0);
    CHECK(m.pose.position.y() <= 0.2);
    way += m.velocity.y() * dt / 10;
  }
  CHECK(way == Approx(-0.2));
}

TEST_CASE("what is not there at either end stays where it was", "[moments]") {
  PieceMoment a = moment(vec3(1, 2, 3), vec3(0, 5, 0), Quat::Identity(), Vec3::Zero()), b = a;
  b.pose.position = vec3(9, 9, 9);
  a.flags = kFlagUnborn;
  CHECK(between(a, b, 0.04, 0.5).pose.position == vec3(1, 2, 3));
  CHECK_FALSE(between(a, b, 0.04, 0.5).there());
}
