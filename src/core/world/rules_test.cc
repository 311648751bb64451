// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>
#include <cmath>

#include "../../../tests/support/bonds.h"
#include "core/base/trig.h"
#include "core/world/bonding.h"

namespace drubble::world {

namespace {

using test::Stage;

Rule& rule(Stage& s, const std::vector<std::size_t>& who, Deed then) {
  Rule& r = s.scene.rules.emplace_back();
  r.name = "r" + std::to_string(s.scene.rules.size());
  for (const std::size_t i : who) r.who.push_back(PieceId(i));
  r.then = then;
  return r;
}

// A block on a pillar that is static, both on the ground.
struct OnPillar {
  Stage s;
  std::size_t pillar, block;
  OnPillar() {
    s.ground();
    pillar =
        s.add(boxPrototype("pillar", Vec3(0.4, 1, 0.4), 1000), Vec3(0, 0.5, 0), Vec3::Zero(), Role::Static);
    block = s.box(Vec3(0.4, 0.4, 0.4), Vec3(0, 1.2, 0));
  }
};

// Two cubes that one bond holds, in the air.
struct Pair {
  Stage s;
  std::size_t a, b;
  explicit Pair(double tension = 1e7) {
    s.scene.gravity = Vec3::Zero();
    s.material(test::stone(tension));
    a = s.box(Vec3(1, 1, 1), Vec3(0, 5, 0));
    b = s.box(Vec3(1, 1, 1), Vec3(1, 5, 0));
    test::bondAll(s, a);
  }
};

double energyOf(const FrameStats& f) { return f.kinetic + f.potential; }

}  // namespace

TEST_CASE("a rule takes away what bears a sleeper, and the sleeper falls", "[rule]") {
  OnPillar x;
  rule(x.s, {x.pillar}, Deed::Remove).when.from = 40;
  x.s.frames(38);  // to frame 39
  REQUIRE(x.s.asleep(x.block));
  CHECK(x.s.world().sleepOf(x.pillar) == Sleep::Fixed);
  x.s.frames(1);
  REQUIRE(x.s.world().ruleDeeds().size() == 1);
  CHECK(x.s.world().ruleDeeds()[0].piece == PieceId(x.pillar));
  CHECK(x.s.world().sleepOf(x.pillar) == Sleep::Gone);
  // Free fall from the frame's end on: 1 m less the rest of the way to the ground.
  x.s.frames(4);
  CHECK(x.s.world().ruleDeeds().empty());
  const double t = 4.0 / 24;
  CHECK(x.s.position(x.block).y() == Approx(1.2 - 0.5 * 9.81 * t * t).margin(1e-3));
  x.s.frames(60);
  CHECK(x.s.position(x.block).y() == Approx(0.2).margin(2e-3));
  CHECK(x.s.asleep(x.block));
}

TEST_CASE("what a rule releases falls, takes along what stands on it, and gains nothing", "[rule]") {
  OnPillar x;
  x.s.scene.pieces[x.pillar].start.position.y() = 2.5;
  x.s.scene.pieces[x.block].start.position.y() = 3.2;
  rule(x.s, {x.pillar}, Deed::Release).when.from = 40;
  x.s.frames(38);
  REQUIRE(x.s.asleep(x.block));
  Watcher nobody;
  double before = energyOf(x.s.world().stats());
  for (int f = 0; f < 60; ++f) {
    const FrameStats now = x.s.world().advance(nobody);
    CHECK(energyOf(now) - before - now.work < 1e-3 * 1600);
    before = energyOf(now);
    if (f == 5) {
      CHECK(x.s.position(x.pillar).y() < 2.4);
      CHECK(x.s.position(x.block).y() < 3.1);
    }
  }
  CHECK(x.s.position(x.pillar).y() == Approx(0.5).margin(5e-3));
}

TEST_CASE("a rule freezes what stays slow for long enough, and nothing moves it any more", "[rule]") {
  Stage s;
  s.ground();
  const std::size_t block = s.box(Vec3(0.4, 0.4, 0.4), Vec3(0, 0.5, 0));
  const std::size_t ball = s.sphere(0.3, Vec3(-4, 0.3, 0), Vec3(4, 0, 0), 20000);
  Rule& r = rule(s, {block, ball}, Deed::Freeze);
  r.when.slower_than = 0.05;
  r.when.seconds = 0.25;
  s.scene.solver.sleep_after = 10;  // nothing sleeps before
  int frozen = 0;
  for (int f = 1; f < 24 && frozen == 0; ++f) {
    s.frames(1);
    if (!s.world().ruleDeeds().empty()) frozen = f;
  }
  CHECK(s.world().sleepOf(block) == Sleep::Frozen);
  CHECK(s.world().sleepOf(ball) == Sleep::Awake);
  CHECK(frozen >= 6);  // a quarter of a second after it came to lie
  const Vec3 at = s.position(block);
  s.frames(48);
  CHECK((s.position(block) - at).norm() == 0);
  CHECK(s.position(ball).x() < 0);  // it came back
}

TEST_CASE("a rule waits, and does it once or each time", "[rule]") {
  Stage s;
  s.scene.gravity = Vec3::Zero();
  const std::size_t ball = s.sphere(0.1, Vec3(0, 0, 0), Vec3(2.4, 0, 0));  // 0.1 m a frame
  Rule& late = rule(s, {ball}, Deed::Wake);
  late.when.inside.emplace().box = Box{Vec3(0.95, -1, -1), Vec3(9, 1, 1)};
  late.delay = 0.25;  // 6 frames
  Rule& often = rule(s, {ball}, Deed::Wake);
  Region& ball_about = often.when.outside.emplace();
  ball_about.centre = Vec3(0.77, 0, 0);
  ball_about.radius = 0.5;
  often.again = true;
  std::vector<int> first, second;
  for (int f = 2; f < 40; ++f) {
    s.frames(1);
    for (const RuleDeed& d : s.world().ruleDeeds()) (d.rule == 0 ? first : second).push_back(f);
  }
  CHECK(first == std::vector<int>{17});      // comes in on the way to frame 11, by the last of its substeps
  CHECK(second == std::vector<int>{2, 14});  // out, in from 0.27 to 1.27, out again
}

TEST_CASE("a hit that is hard enough lets go what is static, within the hit", "[rule]") {
  for (const double speed : {2.0, 8.0}) {
    Stage s;
    s.scene.gravity = Vec3::Zero();
    const std::size_t post =
        s.add(spherePrototype("post", 0.2, 1000), Vec3(1, 0, 0), Vec3::Zero(), Role::Static);
    const std::size_t ball = s.sphere(0.2, Vec3(0, 0, 0), Vec3(speed, 0, 0));
    Rule& r = rule(s, {post}, Deed::Release);
    r.when.hit_harder_than = 5;
    s.surface(0, 1);
    for (Prototype& p : s.scene.prototypes) p.material = MaterialId(s.scene.materials.size() - 1);
    s.frames(12);
    if (speed > 5) {  // as if it had been free all along: the whole speed goes over
      CHECK(s.velocity(post).x() == Approx(speed).epsilon(1e-6));
      CHECK(s.velocity(ball).x() == Approx(0).margin(1e-6));
    } else {
      CHECK(s.velocity(post).norm() == 0);
      CHECK(s.velocity(ball).x() == Approx(-speed).epsilon(1e-6));
    }
  }
}

TEST_CASE("rules break bonds and weaken them; a broken bond sets off another rule", "[rule][bond]") {
  Pair p;
  const std::size_t far = p.s.box(Vec3(1, 1, 1), Vec3(9, 5, 0));
  p.s.scene.pieces[p.a].spin = Vec3(0, 0, 1);
  rule(p.s, {p.a}, Deed::BreakBonds).when.from = 5;
  rule(p.s, {p.b, far}, Deed::Remove).when.bond_broken = true;
  p.s.frames(3);
  CHECK(p.s.world().clusters().size() == 1);
  p.s.frames(1);
  CHECK(p.s.world().clusters().empty());
  REQUIRE(p.s.world().bondBreaks().size() == 1);
  CHECK(p.s.world().bondBreaks()[0].why == bond::Why::Cue);
  // The face lies between the two, wherever they are.
  const Vec3 middle = 0.5 * (p.s.position(p.a) + p.s.position(p.b));
  CHECK((p.s.world().bondBreaks()[0].place - middle).norm() < 1e-9);

  Pair whirls(1e4);  // holds the swing of its halves, and would not hold a tenth of it
  whirls.s.scene.pieces[whirls.a].velocity = Vec3(0, -1, 0);
  whirls.s.scene.pieces[whirls.b].velocity = Vec3(0, 1, 0);
  Rule& weaker = rule(whirls.s, {whirls.a}, Deed::Strength);
  weaker.when.from = 10;
  weaker.to = 0.01;
  whirls.s.frames(8);
  CHECK(whirls.s.world().clusters().size() == 1);
  whirls.s.frames(4);
  CHECK(whirls.s.world().clusters().empty());
}

TEST_CASE("a bonded piece that is frozen holds the others up, until it is released", "[rule][bond]") {
  Pair p;
  p.s.scene.gravity = Vec3(0, -9.81, 0);
  rule(p.s, {p.a}, Deed::Freeze).when.from = 3;
  rule(p.s, {p.a}, Deed::Release).when.from = 20;
  p.s.frames(2);
  const Vec3 a = p.s.position(p.a), b = p.s.position(p.b);
  CHECK(a.y() < 5);
  p.s.frames(16);
  CHECK(p.s.world().sleepOf(p.a) == Sleep::Frozen);
  CHECK((p.s.position(p.a) - a).norm() == 0);
  CHECK((p.s.position(p.b) - b).norm() == 0);
  CHECK(p.s.world().clusters()[0].anchored());
  p.s.frames(5);
  CHECK(p.s.world().sleepOf(p.a) == Sleep::Awake);
  CHECK(p.s.world().sleepOf(p.b) == Sleep::Awake);
  const double t = 4.0 / 24;
  for (const std::size_t i : {p.a, p.b})
    CHECK(p.s.position(i).y() == Approx(a.y() - 0.5 * 9.81 * t * t).epsilon(1e-9));
}

TEST_CASE("what is removed takes its bonds and its joints along", "[rule][bond]") {
  Pair p;
  const std::size_t hung = p.s.box(Vec3(0.5, 0.5, 0.5), Vec3(0, 4, 0));
  p.s.join(solve::JointKind::Ball, p.a, hung, Vec3(0, 4.4, 0));
  rule(p.s, {p.a}, Deed::Remove).when.from = 4;
  p.s.frames(3);
  CHECK(p.s.world().jointBreaks().size() == 1);
  CHECK(p.s.world().jointStates()[0].broken);
  CHECK(p.s.world().bondBreaks().size() == 1);
  CHECK(p.s.world().clusterOf(p.b) == kNoCluster);
  p.s.frames(3);
}

TEST_CASE("rules are where they were in a restored world", "[rule]") {
  const auto made = [] {
    auto x = std::make_unique<OnPillar>();
    Rule& r = rule(x->s, {x->block}, Deed::Freeze);
    r.when.slower_than = 0.1;
    r.when.seconds = 0.2;
    r.delay = 0.1;
    rule(x->s, {x->pillar}, Deed::Remove).when.from = 6;
    Rule& back = rule(x->s, {x->block}, Deed::Release);
    back.when.older_than = 0.6;
    return x;
  };
  const auto straight = made();
  Watcher nobody;
  for (int f = 0; f < 24; ++f) {
    const auto other = made();
    other->s.world().restore(straight->s.world().save());
    straight->s.frames(1);
    other->s.frames(1);
    CAPTURE(f);
    REQUIRE(other->s.world().digest() == straight->s.world().digest());
    REQUIRE(other->s.world().save() == straight->s.world().save());
  }
  CHECK(straight->s.world().sleepOf(straight->pillar) == Sleep::Gone);
}

TEST_CASE("nothing is at rest for good while a rule waits for its frame", "[rule]") {
  OnPillar x;
  rule(x.s, {x.pillar}, Deed::Remove).when.from = 60;
  x.s.frames(40);
  REQUIRE(x.s.asleep(x.block));
  CHECK_FALSE(x.s.world().allAtRest());
  x.s.frames(100);
  CHECK(x.s.world().allAtRest());
}

TEST_CASE("a rule that changes the material lets slip what stood on a slope, awake or asleep", "[rule]") {
  for (const bool restored : {false, true}) {
    Stage s, again;
    std::size_t block = 0;
    for (Stage* x : {&s, &again}) {
      const double slope = 15 * kDegree;
      x->ground(Vec3(std::sin(slope), std::cos(slope), 0));
      block = x->box(Vec3(0.4, 0.2, 0.4), 0.1 * Vec3(std::sin(slope), std::cos(slope), 0));
      x->scene.pieces[block].start.turn = turnAbout(Vec3::UnitZ(), -slope);
      Material ice{"ice", 900, 0.02, 0.02, 0, true};
      x->scene.materials.push_back(ice);
      Rule& r = rule(*x, {0, block}, Deed::Material);
      r.when.from = 40;
      r.material = MaterialId(x->scene.materials.size() - 1);
    }
    s.frames(38);
    REQUIRE(s.asleep(block));
    s.frames(1);  // to the frame in which it is done
    const Vec3 stood = s.position(block);
    CHECK(stood.norm() < 0.11);
    s.frames(3);
    Stage& goes = restored ? again : s;
    if (restored) goes.world().restore(s.world().save());
    goes.frames(21);
    // One second, with little friction.
    const double pull = 9.81 * (std::sin(15 * kDegree) - 0.02 * std::cos(15 * kDegree));
    const double way = (goes.position(block) - stood).norm();
    CHECK(way == Approx(0.5 * pull).epsilon(0.01));
    CHECK(goes.velocity(block).norm() == Approx(pull).epsilon(0.01));
  }
}

TEST_CASE("what a rule makes static holds up what lands on it", "[rule]") {
  Stage s;
  s.ground();
  const std::size_t shelf = s.box(Vec3(1, 0.1, 1), Vec3(0, 2, 0)),
                    block = s.box(Vec3(0.3, 0.3, 0.3), Vec3(0, 3, 0));
  rule(s, {shelf}, Deed::Fix).when.from = 4;
  s.frames(60);
  CHECK(s.world().sleepOf(shelf) == Sleep::Fixed);
  CHECK(s.velocity(shelf).isZero(0));
  CHECK(s.position(block).y() - s.position(shelf).y() == Approx(0.2).margin(2e-3));
  CHECK(s.position(shelf).y() > 1.8);
}

}  // namespace drubble::world
