// SPDX-License-Identifier: Apache-2.0
// Driven, held, sleeping and one-way pieces.
#include <catch2/catch.hpp>
#include <cmath>

#include "../../../tests/support/stage.h"
#include "core/base/trig.h"
#include "core/measure/penetration.h"
#include "core/world/predict.h"

using namespace drubble;
using drubble::test::Stage;

namespace {

// Makes piece i kinematic and leads its body frame through places at frames.
world::Mover& lead(Stage& s, std::size_t i, std::vector<act::Key> keys) {
  s.scene.pieces[i].role = world::Role::Kinematic;
  world::Mover m;
  m.piece = PieceId(i);
  m.path.rest = s.scene.pieces[i].start;
  m.path.at.keys = std::move(keys);
  s.scene.movers.push_back(m);
  return s.scene.movers.back();
}

}  // namespace

TEST_CASE("a moving tray carries its load by friction and leaves it behind when it goes too fast") {
  for (const bool fast : {false, true}) {
    Stage s;
    s.surface(0.4, 0);
    const std::size_t tray = s.box(vec3(6, 0.1, 1), vec3(0, -0.05, 0));
    const std::size_t load = s.box(Vec3::Constant(0.2), vec3(0, 0.1, 0));
    // From rest to a constant speed at once: friction takes v / (mu g) to follow.
    const double v = fast ? 3.0 : 0.5, seconds = 1;
    lead(s, tray, {{1, vec3(0, -0.05, 0)}, {1 + 24 * seconds, vec3(v * seconds, -0.05, 0)}});
    s.frames(24);
    const double slide = 0.4 * 9.81, catch_up = v / slide;
    const double law =
        catch_up < seconds ? v * seconds - 0.5 * v * catch_up : 0.5 * slide * seconds * seconds;
    CHECK(s.position(tray).x() == Approx(v * seconds).margin(1e-12));
    CHECK(s.position(load).x() == Approx(law).epsilon(0.02));
    CHECK_FALSE(s.asleep(load));
    s.frames(48);  // stopped: the load slides on, then rests and sleeps
    CHECK(s.asleep(load));
  }
}

TEST_CASE(
    "a sleeping stack on something that starts to move goes with it whole, and none stands in its way") {
  Stage s;
  s.surface(0.5, 0);
  const std::size_t tray = s.box(vec3(1, 0.1, 1), vec3(0, 0.5, 0));
  std::vector<std::size_t> stack, beside;
  for (int k = 0; k < 5; ++k) stack.push_back(s.box(Vec3::Constant(0.3), vec3(0, 0.7 + 0.3 * k, 0)));
  const std::size_t wall = s.box(vec3(0.2, 1, 1), vec3(2, 0.5, 0));
  s.scene.pieces[wall].role = world::Role::Static;
  for (int k = 0; k < 3; ++k) beside.push_back(s.box(Vec3::Constant(0.3), vec3(2, 1.15 + 0.3 * k, 0)));
  // 0.3 m in 24 frames, slowly at first: up to 1.8 m/s2.
  lead(s, tray, {{1, vec3(0, 0.5, 0)}, {30, vec3(0, 0.5, 0)}, {54, vec3(0.1, 0.8, 0)}}).path.at.ease =
      act::Ease::Smooth;
  s.scene.watches.push_back({"tray", {PieceId(tray)}});
  s.frames(29);
  for (const std::size_t i : stack) CHECK(s.asleep(i));
  const double weight = 5 * s.world().traits()[stack[0]].weight;
  for (int f = 30; f < 54; ++f) {
    s.frames(1);
    INFO("frame " << f + 1);
    const double force = s.world().watchForces()[0].norm();
    CHECK(force > 0.7 * weight);
    CHECK(force < 1.3 * weight);
    for (const std::size_t i : beside) CHECK(s.asleep(i));
  }
  for (std::size_t k = 0; k < stack.size(); ++k)
    CHECK(s.position(stack[k]).y() == Approx(1.0 + 0.3 * static_cast<double>(k)).margin(2e-3));
}

TEST_CASE("a mover pushes what stands in its way with its true speed") {
  Stage s;
  s.surface(0, 0);
  s.scene.gravity = Vec3::Zero();
  const std::size_t ram = s.box(vec3(0.2, 1, 1), vec3(-1, 0, 0));
  const std::size_t crate = s.box(Vec3::Constant(0.3), vec3(0, 0, 0));
  lead(s, ram, {{1, vec3(-1, 0, 0)}, {25, vec3(1, 0, 0)}});
  s.frames(20);
  CHECK(s.velocity(crate).x() == Approx(2.0).epsilon(1e-3));
  measure::PenetrationMeter meter;
  CHECK(meter.measure(s.world()).worst_share < 0.01);
  s.frames(10);  // it stops: the crate flies on
  CHECK(s.velocity(crate).x() == Approx(2.0).epsilon(1e-3));
}

TEST_CASE("a released mover goes on with its speed and spin") {
  Stage s;
  s.scene.gravity = Vec3::Zero();
  const std::size_t i = s.box(vec3(0.2, 0.3, 0.4), Vec3::Zero());
  world::Mover& m = lead(s, i, {{1, vec3(0, 0, 0)}, {25, vec3(0, 5, 0)}});
  m.path.turn.keys = {{1, Vec3::Zero()}, {25, vec3(0, 0, kPi)}};
  m.release_frame = 13;
  s.frames(12);
  CHECK(s.world().sleepOf(i) == world::Sleep::Driven);
  const Vec3 at = s.position(i);
  s.frames(12);
  CHECK(s.world().sleepOf(i) == world::Sleep::Awake);
  CHECK((s.position(i) - at - vec3(0, 2.5, 0)).norm() < 1e-6);
  CHECK(s.world().motion().spin[i].z() == Approx(kPi).epsilon(1e-6));
}

TEST_CASE("a prediction finds when and what a mover will hit") {
  Stage s;
  const std::size_t ball = s.sphere(0.1, vec3(-3, 0, 0));
  const std::size_t near = s.box(Vec3::Ones(), vec3(1.5, 0, 0));
  s.box(Vec3::Ones(), vec3(4, 0, 0));
  lead(s, ball, {{1, vec3(-3, 0, 0)}, {25, vec3(3, 0, 0)}});
  const auto hit = world::predictHit(s.scene, s.scene.movers[0], s.scene.last_frame);
  REQUIRE(hit.has_value());
  CHECK(hit->other == PieceId(near));
  CHECK(hit->frame == Approx(1 + 24 * (3.0 + 1.0 - 0.1) / 6).margin(2e-3));  // its front meets x = 1
  CHECK(hit->speed == Approx(6.0).epsilon(1e-6));
}

TEST_CASE("a held piece stays under gravity and light touches, and a hard hit frees it alone") {
  Stage s;
  s.surface(0.5, 0);
  const std::size_t a = s.box(Vec3::Constant(0.2), vec3(0, 2, 0));
  const std::size_t b = s.box(Vec3::Constant(0.2), vec3(0, 2, 0.2));
  const std::size_t soft = s.sphere(0.05, vec3(-0.3, 2, 0), vec3(0.4, 0, 0));
  const std::size_t hard =
      s.sphere(0.05, vec3(-6, 2 + 0.5 * 9.81 * 0.145 * 0.145 * 4, 0), vec3(20, 0, 0), 4000);
  for (const std::size_t i : {a, b}) {
    s.scene.pieces[i].start_state = world::Start::Held;
    s.scene.pieces[i].wake_above = 1;
  }
  s.scene.prototypes[s.scene.pieces[soft].prototype.index()].traits.gravity_share = 0;
  s.frames(5);
  CHECK(s.world().sleepOf(a) == world::Sleep::Held);
  CHECK(s.position(a).y() == 2);
  s.frames(20);
  CHECK(s.world().sleepOf(a) == world::Sleep::Awake);
  CHECK(s.position(a).x() > 0.1);
  CHECK(s.world().sleepOf(b) == world::Sleep::Held);
  CHECK(s.velocity(hard).x() < 19);
}

TEST_CASE("what starts asleep stays so in mid-air until it is touched") {
  Stage s;
  s.surface(0.5, 0);
  const std::size_t a = s.box(Vec3::Constant(0.2), vec3(0, 2, 0));
  s.scene.pieces[a].start_state = world::Start::Asleep;
  s.sphere(0.05, vec3(-2, 2, 0), vec3(4, 2.45, 0), 4000);
  s.frames(8);
  CHECK(s.asleep(a));
  CHECK(s.position(a).y() == 2);
  s.frames(16);
  CHECK_FALSE(s.asleep(a));
  CHECK(s.position(a).y() < 2);
}

TEST_CASE("pair rules: no contact, one way, pair friction, adhesion; the last that matches wins") {
  using Rule = world::PairRule;
  Stage s;
  s.surface(0.5, 0);
  s.scene.gravity = Vec3::Zero();
  const std::size_t target = s.box(Vec3::Constant(0.4), vec3(0, 0, 0));
  const std::size_t ball = s.sphere(0.1, vec3(-1, 0, 0), vec3(3, 0, 0), 8000);
  Rule ghost;
  ghost.a = {PieceId(target)};
  ghost.b = {PieceId(ball)};
  SECTION("passes through") {
    ghost.collide = false;
    s.scene.pair_rules = {ghost};
    s.frames(24);
    CHECK(s.position(ball).x() == Approx(2.0));
    CHECK(s.position(target).x() == 0);
  }
  SECTION("a later rule brings the contact back") {
    Rule back = ghost;
    ghost.collide = false;
    back.collide = true;
    s.scene.pair_rules = {ghost, back};
    s.frames(24);
    CHECK(s.position(target).x() > 0.1);
  }
  SECTION("the ball moves the target and is not slowed") {
    ghost.one_way = Rule::OneWay::BMovesA;
    s.scene.pair_rules = {ghost};
    s.frames(24);
    CHECK(s.velocity(ball).x() == Approx(3.0));
    CHECK(s.velocity(target).x() >= 3.0 - 1e-3);
  }
  SECTION("the target does not move and stops the ball") {
    ghost.one_way = Rule::OneWay::AMovesB;
    s.scene.pair_rules = {ghost};
    s.frames(24);
    CHECK(s.position(target).x() == 0);
    CHECK(absolute(s.velocity(ball).x()) < 1e-3);
  }
}

TEST_CASE("adhesion holds a box under a ceiling, up to its strength") {
  for (const double share : {1.2, 0.8}) {
    Stage s;
    s.surface(0.5, 0);
    const std::size_t ceiling = s.add(world::boxPrototype("c", vec3(2, 0.2, 2), 1000), vec3(0, 1.1, 0),
                                      Vec3::Zero(), world::Role::Static);
    const std::size_t box = s.box(Vec3::Constant(0.2), vec3(0, 0.9, 0));
    world::PairRule stick;
    stick.a = {PieceId(ceiling)};
    stick.b = {PieceId(box)};
    stick.adhesion = share * 1000 * 0.2 * 9.81;  // weight over face
    s.scene.pair_rules = {stick};
    s.frames(24);
    INFO("adhesion at " << share << " of the weight");
    CHECK((s.position(box).y() > 0.899) == (share > 1));
  }
}

TEST_CASE("locked axes stay where they are") {
  Stage s;
  s.surface(0.3, 0.4);
  s.ground();
  const std::size_t i = s.box(vec3(0.3, 0.2, 0.1), vec3(0, 1, 0), vec3(1, 0, 2));
  solve::Traits& t = s.scene.prototypes[s.scene.pieces[i].prototype.index()].traits;
  t.free_travel = vec3(1, 1, 0);
  t.free_turn = vec3(0, 0, 1);
  s.scene.pieces[i].spin = vec3(3, 2, 1);
  s.frames(60);
  CHECK(s.position(i).z() == 0);
  CHECK(s.position(i).x() > 0.2);
  const Quat q = s.world().motion().turn[i];
  CHECK(absolute(q.x()) + absolute(q.y()) < 1e-9);
}

TEST_CASE("rolling resistance stops a ball where its lever says") {
  Stage s;
  s.material({"m", 1000, 0.6, 0.6, 0, true, 0.02, 0});
  s.ground();
  const std::size_t i = s.sphere(0.2, vec3(0, 0.2, 0), vec3(1, 0, 0));
  s.scene.pieces[i].spin = vec3(0, 0, -5);
  s.frames(24 * 8);
  // a = g c / (1 + I / m r2) with c the lever over the radius.
  CHECK(s.position(i).x() == Approx(0.5 / (0.02 * 9.81 / 1.4)).epsilon(0.03));
  CHECK(s.velocity(i).norm() < 1e-3);
}

TEST_CASE("shapes that overlap where meshes do not feel nothing, and the rest only shrinks") {
  // Two halves of a cup shape: hulls of hollow meshes that interlock without touching.
  const auto angle = [](double side) {
    mesh::TriangleMesh m = mesh::boxMesh(vec3(0.4, 0.1, 0.3));
    mesh::append(m, mesh::transformed(mesh::boxMesh(vec3(0.1, 0.4, 0.3)), Vec3::Ones(),
                                      {vec3(side * 0.15, 0.25, 0), Quat::Identity()}));
    return m;
  };
  Stage s;
  s.scene.gravity = Vec3::Zero();
  const std::size_t a =
      s.add(world::meshPrototype("a", angle(1), world::ShapeChoice::Hull, 1000), vec3(0, 0, 0));
  const std::size_t b =
      s.add(world::meshPrototype("b", angle(1), world::ShapeChoice::Hull, 1000), vec3(-0.15, 0.15, 0));
  const std::vector<world::StartOverlap> start = world::startOverlaps(s.scene);
  REQUIRE(start.size() == 1);
  CHECK(start[0].felt > 0.03);
  CHECK(start[0].real == 0);
  s.frames(24);
  CHECK(s.velocity(a).norm() < 1e-6);
  CHECK(s.velocity(b).norm() < 1e-6);
}

TEST_CASE("a checkpoint after every frame of driven, held and released pieces goes on bit for bit") {
  const auto make = [](Stage& s) {
    s.surface(0.4, 0.2);
    s.ground();
    const std::size_t tray = s.box(vec3(1, 0.1, 1), vec3(0, 0.3, 0));
    for (int i = 0; i < 4; ++i) s.sphere(0.1, vec3(0.02 * i, 0.46 + 0.21 * i, 0));
    s.scene.pieces[s.box(Vec3::Constant(0.2), vec3(0.9, 0.5, 0))].start_state = world::Start::Held;
    lead(s, tray, {{1, vec3(0, 0.3, 0)}, {13, vec3(0.6, 0.3, 0)}}).release_frame = 10;
  };
  Stage straight;
  make(straight);
  std::vector<std::uint64_t> digests;
  for (int f = 0; f < 24; ++f) {
    straight.frames(1);
    digests.push_back(straight.world().digest());
  }
  Bytes saved;
  for (std::size_t f = 0; f < 24; ++f) {
    Stage again;
    make(again);
    if (f > 0) again.world().restore(saved);
    again.frames(1);
    REQUIRE(again.world().digest() == digests[f]);
    saved = again.world().save();
  }
}

TEST_CASE("a box slid over twenty adjoining tiles loses no more speed than friction takes") {
  for (const bool meshes : {false, true}) {
    Stage s;
    s.surface(0.3, 0);
    for (int k = 0; k < 20; ++k) {
      const Vec3 size = vec3(0.25, 0.1, 1), at = vec3(0.25 * k - 0.5, -0.05, 0);
      s.add(meshes ? world::surfacePrototype("t", mesh::boxMesh(size)) : world::boxPrototype("t", size, 1000),
            at, Vec3::Zero(), world::Role::Static);
    }
    const std::size_t box = s.box(vec3(0.4, 0.1, 0.3), vec3(0, 0.05, 0), vec3(3, 0, 0.1));
    s.frames(60);
    INFO((meshes ? "meshes" : "hulls"));
    const Vec3 off = s.position(box) - vec3(0, 0.05, 0);
    CHECK(vec3(off.x(), 0, off.z()).norm() == Approx(9.01 / (2 * 0.3 * 9.81)).epsilon(0.02));
    CHECK(absolute(off.y()) < 1e-3);
  }
}

TEST_CASE("at margin 0 things rest without a gap; with a margin they rest on their skins") {
  for (const double margin : {0.0, 0.004}) {
    Stage s;
    s.surface(0.5, 0);
    s.add(world::boxPrototype("floor", vec3(9, 1, 9), 1000), vec3(0, -0.5, 0), Vec3::Zero(),
          world::Role::Static);
    std::vector<world::Prototype> things = {world::spherePrototype("s", 0.1, 1000),
                                            world::boxPrototype("b", vec3(0.2, 0.1, 0.3), 1000),
                                            world::ellipsoidPrototype("e", vec3(0.1, 0.06, 0.08), 1000),
                                            world::capsulePrototype("c", 0.05, 0.2, Vec3::UnitX(), 1000),
                                            world::cylinderPrototype("y", 0.08, 0.2, Vec3::UnitY(), 1000),
                                            world::cylinderPrototype("z", 0.08, 0.2, Vec3::UnitZ(), 1000)};
    std::vector<std::size_t> placed;
    for (std::size_t k = 0; k < things.size(); ++k) {
      things[k].shape.margin = margin;
      const double half = -things[k].shape.bounds.low.y();
      placed.push_back(s.add(things[k], vec3(0.5 * static_cast<double>(k) - 1.2, half + margin + 0.002, 0)));
    }
    s.frames(60);
    for (std::size_t k = 0; k < things.size(); ++k) {
      const double low = shape::boundsAt(things[k].shape, s.world().motion().pose(placed[k])).low.y();
      INFO(things[k].name << " at margin " << margin);
      CHECK(absolute(low - margin) < 1e-3 * things[k].traits.size);
    }
  }
}
