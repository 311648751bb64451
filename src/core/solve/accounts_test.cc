// SPDX-License-Identifier: Apache-2.0
#include "core/solve/accounts.h"

#include <catch2/catch.hpp>

#include "core/base/trig.h"
#include "core/solve/flight.h"

namespace drubble::solve {

namespace {

// Two slabs of 2 kg whose inner balls have a radius of 0.1 m, and what they stand in for the solver.
struct TwoSlabs {
  TraitsList traits;
  Bodies bodies = Bodies(3);
  BodyRows rows = BodyRows(3);
  PagedVector<Speeds> loaded = PagedVector<Speeds>(3);

  TwoSlabs() {
    Traits t;
    t.dynamic = true;
    t.inverse_mass = 0.5;
    t.moments = vec3(0.3, 0.2, 0.1);
    t.inertia = t.moments.asDiagonal();
    t.inverse_inertia = t.inertia.inverse();
    t.inner_radius = 0.1;
    t.outer_radius = 1;
    for (std::uint32_t k = 0; k < 2; ++k) {
      traits.push_back(t);
      bodies[k + 1].piece = k;
      bodies[k + 1].inverse_mass = Vec3::Constant(0.5);
      bodies[k + 1].inverse_inertia = t.inverse_inertia;
    }
    for (std::size_t i = 0; i < 3; ++i) rows[i] = BodyRow{};
  }
};

}  // namespace

TEST_CASE("who comes farther than a fiftieth of its inner ball within a substep is astir") {
  TwoSlabs two;
  Accounts accounts(two.bodies, two.traits, {}, nullptr);
  two.rows[1].moved[0] = 0.0015f;
  two.rows[2].moved[0] = 0.0015f;
  CHECK_FALSE(accounts.begin(two.rows, 0.001));
  two.rows[2].velocity[0] = 1;  // by the end of the internal step it will have
  CHECK(accounts.begin(two.rows, 0.001));
  CHECK_FALSE(accounts[1].astir);
  CHECK(accounts[2].astir);
  CHECK(accounts[2].cornered);
  SECTION("not what joints move") {
    Accounts tied(two.bodies, two.traits, {0, 0, 1}, nullptr);
    CHECK_FALSE(tied.begin(two.rows, 0.001));
  }
  SECTION("what is round is, but its touch goes along with it") {
    two.bodies[2].rounded = true;
    Accounts round(two.bodies, two.traits, {}, nullptr);
    CHECK(round.begin(two.rows, 0.001));
    CHECK_FALSE(round[2].cornered);
  }
}

TEST_CASE("an open account gives what was given to the body as it lies now, and the couple") {
  TwoSlabs two;
  Accounts accounts(two.bodies, two.traits, {}, nullptr);
  ActiveBody& b = two.bodies[1];
  b.turn = turnBy(vec3(0.2, -0.5, 0.4));
  two.rows[1].spin[0] = 3;
  two.rows[1].spin[1] = -1;
  two.rows[1].velocity[2] = 0.5f;
  two.rows[1].moved[0] = 0.5f;
  REQUIRE(accounts.begin(two.rows, 0));
  accounts[1].open = true;
  accounts[1].couple = vec3(0.01, 0.02, -0.03);
  const Vec3 pushed = vec3(3, -1, 0);
  accounts.balance(Pass::PushOut, two.loaded, two.rows, two.bodies);
  // Velocities wait until all has settled; what the spin got with this correction is the momentum meant.
  CHECK(b.velocity.isZero(0));
  const Mat3 inertia = inverseInertiaWorld(two.traits[0], b.turn).inverse();
  const Vec3 meant = vec3(0.3 * 3, 0.2 * -1, 0) + vec3(0.01, 0.02, -0.03);
  CHECK((inertia * (b.spin + pushed) - meant).norm() < 1e-12);
  // After it settled only what came since is looked at, and the velocity is what the impulses add up to.
  accounts[1].impulse = vec3(0, 0, 1.01);
  two.rows[1].spin[2] = 2;
  accounts.balance(Pass::Settle, two.loaded, two.rows, two.bodies);
  CHECK((inertia * (b.spin + pushed + vec3(0, 0, 2)) - meant - vec3(0, 0, 0.1 * 2)).norm() < 1e-12);
  CHECK((b.velocity - vec3(0, 0, 1.01 / 2 - 0.5)).norm() < 1e-12);
  CHECK(two.bodies[2].spin.isZero(0));
}

}  // namespace drubble::solve
