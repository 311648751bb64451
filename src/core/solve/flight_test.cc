// SPDX-License-Identifier: Apache-2.0
#include "core/solve/flight.h"

#include <catch2/catch.hpp>

#include "core/base/random.h"
#include "core/solve/kernel.h"

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

TEST_CASE("four bodies side by side turn to the bit as each does alone, in every instruction set") {
  RandomStream r(9, "four");
  const auto anywhere = [&](double size) {
    return Vec3(size * vec3(r.between(-1, 1), r.between(-1, 1), r.between(-1, 1)));
  };
  for (int round = 0; round < 300; ++round) {
    const TurnKind kind =
        std::array{TurnKind::Even, TurnKind::Top, TurnKind::Any}[static_cast<std::size_t>(round % 3)];
    const bool round_axis_only = round % 2 == 1;
    const double dt = r.between(1e-4, 2e-2);
    Turns4 before{};
    before.kind = kind;
    before.round_axis_only = round_axis_only;
    std::array<Quat, 4> turn, turned;
    std::array<Vec3, 4> spin;
    const auto put = [](auto& to, std::size_t lane, const auto& v) {
      for (int k = 0; k < static_cast<int>(std::size(to)); ++k) to[k][lane] = v[k];
    };
    for (std::size_t lane = 0; lane < 4; ++lane) {
      Traits t;
      t.round = kind == TurnKind::Even;
      t.moments = vec3(r.between(0.1, 2), r.between(0.1, 2), r.between(0.1, 2));
      t.principal = r.turn();
      if (kind == TurnKind::Top) t.top = {anywhere(1).normalized(), r.between(0.1, 2), r.between(0.1, 2)};
      if (round_axis_only) t.roundness = shape::Roundness::Axis;
      t.round_axis = anywhere(1).normalized();
      const Quat start = turn[lane] = r.turn();
      turn[lane] = (turnBy(anywhere(0.3)) * start).normalized();
      spin[lane] = round % 7 == 0 ? Vec3(Vec3::Zero()) : anywhere(20);
      put(before.turn, lane, turn[lane].coeffs());
      put(before.start, lane, start.coeffs());
      put(before.spin, lane, spin[lane]);
      put(before.principal, lane, t.principal.coeffs());
      put(before.moments, lane, t.moments);
      put(before.axis, lane, t.top.axis);
      put(before.round_axis, lane, t.round_axis);
      before.along[lane] = t.top.along;
      before.across[lane] = t.top.across;
      spinFreely(t, dt, turn[lane], spin[lane]);
      turned[lane] = touchTurn(t, start, turn[lane]);
    }
    for (const Lanes lanes : {Lanes::Scalar, Lanes::Sse2, Lanes::Auto}) {
      Turns4 t = before;
      kernelOf(lanes).turnFour(t, dt);
      for (std::size_t lane = 0; lane < 4; ++lane)
        for (std::size_t k = 0; k < 4; ++k) {
          const int at = static_cast<int>(k);
          CHECK(t.turn[k][lane] == turn[lane].coeffs()[at]);
          CHECK(t.turned[k][lane] == turned[lane].coeffs()[at]);
          if (k < 3) CHECK(t.spin[k][lane] == spin[lane][at]);
        }
    }
  }
}
