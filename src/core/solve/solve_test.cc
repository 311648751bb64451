// SPDX-License-Identifier: Apache-2.0
#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <set>

#include "core/base/random.h"
#include "core/base/trig.h"
#include "core/solve/flight.h"
#include "core/solve/links.h"
#include "core/solve/spring.h"
#include "core/solve/substep.h"

using namespace drubble;
using namespace drubble::solve;

namespace {

// Balls of one kilogram and 0.2 m across; piece 0 is fixed.
struct Balls {
  TraitsList traits;
  Motion motion;
  std::vector<std::uint32_t> active, body_of;

  explicit Balls(std::size_t count, bool rolling = true) {
    for (std::size_t i = 0; i < count; ++i) {
      Traits t;
      if (i > 0) {
        t.inverse_mass = 1;
        t.inertia = 0.004 * Mat3::Identity();
        if (rolling) t.inverse_inertia = 250 * Mat3::Identity();
        t.moments = Vec3::Constant(0.004);
        t.dynamic = true;
        t.roundness = shape::Roundness::Ball;
        t.weight = 9.81;
        t.spring_rate = springRate(0.2, 9.81);
      }
      t.size = 0.2;
      t.inner_radius = t.outer_radius = 0.1;
      traits.push_back(t);
      motion.position.push_back(vec3(0.2 * static_cast<double>(i), 0, 0));
      motion.velocity.push_back(Vec3::Zero());
      motion.spin.push_back(Vec3::Zero());
      motion.turn.push_back(Quat::Identity());
      body_of.push_back(static_cast<std::uint32_t>(i));
      if (i > 0) active.push_back(static_cast<std::uint32_t>(i));
    }
  }
  SubstepInput input(double h, const Vec3& gravity = vec3(0, -9.81, 0)) const {
    return {traits, motion, active, body_of, gravity, h, 8};
  }
  Contact touch(std::size_t a, std::size_t b, const Vec3& normal, double gap = 0) const {
    Contact c;
    c.a = PieceId(a);
    c.b = PieceId(b);
    c.patch.direction = normal.cast<float>();
    c.patch.count = 1;
    c.patch.middle = motion.position[a] + (0.1 + 0.5 * gap) * normal;
    c.patch.gap[0] = static_cast<float>(gap);
    return c;
  }
};

// Of forty bodies, all but the first of which move.
Links linksOfBalls(const Balls& balls, const Contacts& contacts) {
  Bodies bodies(40);
  for (std::size_t i = 1; i < bodies.size(); ++i) {
    bodies[i].piece = u32(i);
    bodies[i].inverse_mass = Vec3::Ones();
  }
  BlockInput in{bodies, balls.body_of, balls.traits, contacts, 0.001};
  const BodyBriefs briefs = briefsOf(in);
  in.briefs = &briefs;
  return linksOf(in, 9.81);
}

}  // namespace

TEST_CASE("no two contacts of a colour share a moving body; what is fixed takes no colour") {
  const Balls balls(40);
  Contacts contacts;
  RandomStream random(1, "pairs");
  std::set<std::pair<std::size_t, std::size_t>> pairs;
  while (pairs.size() < 120) {
    const auto a = static_cast<std::size_t>(random.between(0, 40)),
               b = static_cast<std::size_t>(random.between(0, 40));
    if (a < b) pairs.insert({a, b});
  }
  for (const auto& [a, b] : pairs) contacts.push_back(balls.touch(a, b, Vec3::UnitX()));
  const Links links = linksOfBalls(balls, contacts);
  std::set<std::pair<int, std::size_t>> used;
  for (std::size_t i = 0; i < contacts.size(); ++i) {
    REQUIRE(links[i].colour < kColours);
    for (const PieceId p : {contacts[i].a, contacts[i].b})
      if (p.index() != 0) CHECK(used.insert({links[i].colour, p.index()}).second);
  }
}

TEST_CASE("a body with more contacts than there are colours overflows, and is still solved") {
  Balls balls(40);
  Contacts contacts;
  for (std::size_t i = 2; i < 40; ++i) contacts.push_back(balls.touch(1, i, Vec3::UnitX()));
  const Links links = linksOfBalls(balls, contacts);
  CHECK(std::count_if(links.begin(), links.end(), [](const Link& l) { return l.colour == kOverflow; }) ==
        38 - kColours);
  balls.motion.velocity[1] = vec3(0.01, 0, 0);  // too slow for an impact
  const Proposal p = solveSubstep(balls.input(0.01, Vec3::Zero()), contacts);
  double momentum = 0;
  for (std::size_t k = 1; k < p.bodies.size(); ++k) momentum += p.bodies[k].velocity.x();
  CHECK(momentum == Approx(0.01).epsilon(1e-5));
  CHECK(p.bodies[39].velocity.x() > 0);
}

// Two balls, each with far more others about it than there are colours.
TEST_CASE("what happens to a crowd about one body hangs on no other crowd") {
  constexpr std::size_t kMany = 120, kFewer = 115;
  Balls both(2 + kMany + kFewer + 1);
  Contacts all, mine;
  const std::size_t second = kMany + 2;
  for (const auto& [middle, others] : {std::pair(std::size_t{1}, kMany), std::pair(second, kFewer)})
    for (std::size_t i = 1; i <= others; ++i) {
      all.push_back(both.touch(middle, middle + i, i % 2 == 0 ? Vec3::UnitX() : Vec3::UnitY()));
      if (middle == second) mine.push_back(all.back());
    }
  for (const std::size_t middle : {std::size_t{1}, second})
    both.motion.velocity[middle] = vec3(0.01, 0.02, 0);
  const Proposal p = solveSubstep(both.input(0.01, Vec3::Zero()), all),
                 q = solveSubstep(both.input(0.01, Vec3::Zero()), mine);
  REQUIRE(p.bodies.size() == q.bodies.size());
  std::size_t moved = 0;
  for (std::size_t k = second; k < p.bodies.size(); ++k) {
    CHECK(p.bodies[k].velocity == q.bodies[k].velocity);
    CHECK(p.bodies[k].position == q.bodies[k].position);
    moved += p.bodies[k].velocity.x() > 0 || p.bodies[k].velocity.y() > 0;
  }
  CHECK(moved > kFewer / 2);
  Vec3 momentum = Vec3::Zero();
  for (std::size_t k = second; k < p.bodies.size(); ++k) momentum += p.bodies[k].velocity;
  CHECK((momentum - vec3(0.01, 0.02, 0)).norm() < 1e-6);
}

TEST_CASE("a fresh patch inherits forces by feature, then by place, and not across another normal") {
  const Balls balls(2);
  Contact old = balls.touch(0, 1, Vec3::UnitX());
  old.patch.count = 2;
  old.patch.arm[1] = Vec3f(0, 0.05f, 0);
  old.patch.feature = {7, 8, 0, 0};
  old.normal_force = {10, 20, 0, 0};
  old.friction_force = Vec3f(0, 3, 0);
  Contact fresh = old;
  fresh.normal_force = {};
  fresh.friction_force.setZero();
  std::swap(fresh.patch.arm[0], fresh.patch.arm[1]);
  std::swap(fresh.patch.feature[0], fresh.patch.feature[1]);
  inherit(&old, &old + 1, &fresh, &fresh + 1, 0.01);
  CHECK(fresh.normal_force[0] == 20);
  CHECK(fresh.normal_force[1] == 10);
  CHECK(fresh.friction_force == Vec3f(0, 3, 0));

  Contact moved = old;
  moved.normal_force = {};
  moved.patch.feature = {100, 101, 0, 0};  // new names, nearly the old places
  moved.patch.arm[0] += Vec3f(0, 0.002f, 0);
  inherit(&old, &old + 1, &moved, &moved + 1, 0.01);
  CHECK(moved.normal_force[0] == 10);
  CHECK(moved.normal_force[1] == 20);

  Contact turned = old;
  turned.normal_force = {};
  turned.patch.direction = Vec3f::UnitY();
  inherit(&old, &old + 1, &turned, &turned + 1, 0.01);
  CHECK(turned.totalForce() == 0);
}

TEST_CASE("a substep proposes and changes nothing; a free ball is on its parabola") {
  Balls balls(2);
  balls.motion.velocity[1] = vec3(3, 4, 0);
  const Motion before = balls.motion;
  const Proposal p = solveSubstep(balls.input(0.25), {});
  CHECK(before.position[1] == balls.motion.position[1]);
  CHECK(before.velocity[1] == balls.motion.velocity[1]);
  const Vec3 law = before.position[1] + 0.25 * vec3(3, 4, 0) + 0.5 * 0.0625 * vec3(0, -9.81, 0);
  CHECK((p.bodies[1].position - law).norm() < 1e-14);
  CHECK((p.bodies[1].velocity - vec3(3, 4 - 9.81 * 0.25, 0)).norm() < 1e-14);
}

TEST_CASE("a hit keeps momentum to rounding, and is told with its speed") {
  Balls balls(3);
  balls.motion.position[1] = vec3(5, 0, 0);
  balls.motion.position[2] = vec3(5.21, 0.03, 0);
  balls.motion.velocity[1] = vec3(4, 0, 0);
  balls.motion.spin[1] = vec3(0, 0, 20);
  const Vec3 between = balls.motion.position[2] - balls.motion.position[1];
  Contact c = balls.touch(1, 2, between.normalized(), between.norm() - 0.2);
  c.surfaces = {0.4f, 0.3f, 0.8f};
  const Proposal p = solveSubstep(balls.input(0.02, Vec3::Zero()), {c});
  REQUIRE(p.hits.size() == 1);
  CHECK(p.hits[0].speed == Approx(4 * between.normalized().x()));
  CHECK((p.bodies[1].velocity + p.bodies[2].velocity - vec3(4, 0, 0)).norm() < 1e-12);
  const auto turning = [](const ActiveBody& b) {
    return Vec3(b.position.cross(b.velocity) + 0.004 * b.spin);
  };
  const Vec3 law = vec3(5, 0, 0).cross(vec3(4, 0, 0)) + 0.004 * vec3(0, 0, 20);
  CHECK((turning(p.bodies[1]) + turning(p.bodies[2]) - law).norm() < 0.01);  // a touch apart when they meet
  const double parting = between.normalized().dot(p.bodies[2].velocity - p.bodies[1].velocity);
  CHECK(parting == Approx(0.8 * p.hits[0].speed).epsilon(1e-6));
}

TEST_CASE("the loads found beforehand carry the weight above") {
  Balls balls(4);
  for (std::size_t i = 0; i < 4; ++i) balls.motion.position[i] = vec3(0, 0.2 * static_cast<double>(i), 0);
  Contacts column;
  for (std::size_t i = 0; i + 1 < 4; ++i) column.push_back(balls.touch(i, i + 1, Vec3::UnitY()));
  findLoads(balls.input(1.0 / 96), 300, column);
  for (std::size_t i = 0; i < 3; ++i)
    CHECK(static_cast<double>(column[i].totalForce()) ==
          Approx(9.81 * static_cast<double>(3 - i)).epsilon(1e-3));
}

TEST_CASE("friction holds up to its cone and slides at it") {
  for (const double push : {2.0, 6.0}) {  // m/s2 sideways, against friction 0.4 of 9.81
    Balls balls(2, false);
    balls.motion.position[0] = vec3(0, -0.2, 0);
    balls.motion.position[1] = Vec3::Zero();
    Contact c = balls.touch(0, 1, Vec3::UnitY());
    c.surfaces = {0.4f, 0.4f, 0};
    Contacts contacts{c};
    const SubstepInput in = balls.input(0.01, vec3(push, -9.81, 0));
    findLoads(in, 300, contacts);
    const Proposal p = solveSubstep(in, contacts);
    const double law = push < 0.4 * 9.81 ? 0 : (push - 0.4 * 9.81) * 0.01;
    CHECK(p.bodies[1].velocity.x() ==
          Approx(law).margin(push < 3 ? 1e-5 : 0.1 * law));  // law 4 measures sliding
  }
}

TEST_CASE("rotations by a vector agree with sine and cosine") {
  RandomStream random(4, "turns");
  for (int i = 0; i < 200; ++i) {
    const Vec3 axis = random.turn() * Vec3::UnitX();
    const double angle = random.between(0, 0.5);
    const Quat a = turnBy(axis * angle), b = turnAbout(axis, angle);
    CHECK((a.coeffs() - b.coeffs()).norm() < 1e-9);
    CHECK(a.norm() == Approx(1).epsilon(1e-14));
  }
}

TEST_CASE("a spring does not hang on the step, and is never stiffer than the step can follow") {
  CHECK(springRate(0.1, 9.81) == Approx(std::sqrt(8 * 9.81 / (2e-4 * 0.1))));
  CHECK(mostSpringRate(0.001) * 0.001 == Approx(1.6));
  const Softness stiff = springSoftness(mostSpringRate(0.001), 0.001, 2), soft = springSoftness(10, 0.001, 2);
  CHECK(stiff.mass_scale > soft.mass_scale);
  for (const Softness& s : {stiff, soft}) CHECK(s.mass_scale + s.impulse_scale == Approx(1));
  CHECK(stiffening(1) == 1);
  CHECK(stiffening(100) > 1);
}
