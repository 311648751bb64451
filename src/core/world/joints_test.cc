// SPDX-License-Identifier: Apache-2.0
// Joined pieces among others: sleep, waking, collisions, saving, threads.
#include <catch2/catch.hpp>
#include <cmath>

#include "../../../tests/support/stage.h"

using namespace drubble;
using drubble::test::Stage;
using solve::JointKind;

namespace {

// Planks that hang in an arc between two banks, and a load on them.
void bridge(Stage& s, int planks, double load) {
  const double half = 0.15 * planks, sag = 0.1 * half;
  const auto knot = [&](int k) {
    const double x = 0.3 * k - half;
    return vec3(x, sag * (x * x / (half * half) - 1), 0);
  };
  std::size_t before = Stage::kWorld;
  for (int k = 0; k <= planks; ++k) {
    std::size_t now = Stage::kWorld;
    if (k < planks) {
      const Vec3 along = knot(k + 1) - knot(k);
      now = s.box(vec3(0.26, 0.05, 1), 0.5 * (knot(k) + knot(k + 1)));
      s.scene.pieces[now].start.turn = turnAbout(Vec3::UnitZ(), std::atan2(along.y(), along.x()));
    }
    for (const double z : {-0.45, 0.45}) {
      const std::size_t a = now == Stage::kWorld ? before : now, b = now == Stage::kWorld ? now : before;
      s.join(JointKind::Ball, a, b, knot(k) + vec3(0, 0, z));
    }
    before = now;
  }
  s.box(vec3(0.5, 0.5, 0.5), knot(planks / 2) + vec3(0, 0.3, 0), Vec3::Zero(), load / 0.125);
}

}  // namespace

TEST_CASE("a rope bridge of forty planks bears a load a hundred times a plank's weight", "[slow]") {
  Stage s;
  bridge(s, 40, 1300);
  const std::size_t load = s.scene.pieces.size() - 1;
  const auto energyOf = [&] { return s.world().stats().kinetic + s.world().stats().potential; };
  const double start = energyOf();
  s.frames(72);
  const double energy = energyOf();
  double apart = 0, deepest = 0;
  for (const world::SceneJoint& j : s.scene.joints) {
    const auto placeOf = [&](const solve::JointSide& x) {
      return x.piece.valid() ? s.world().motion().pose(x.piece.index()).toWorld(x.at) : x.at;
    };
    apart = std::max(apart, (placeOf(j.joint.a) - placeOf(j.joint.b)).norm());
  }
  for (const solve::Contact& c : s.world().contacts()) deepest = std::min(deepest, c.patch.leastGap());
  s.world().eachContact([&](const solve::Contact& c) { deepest = std::min(deepest, c.patch.leastGap()); });
  CHECK(apart < 5e-4);
  CHECK(deepest > -0.02 * 0.05);
  CHECK(absolute(s.position(load).x()) < 0.3);
  CHECK(absolute(s.position(load).z()) < 0.02);
  CHECK(energy < start);  // what swings has it from the load's way down
}

TEST_CASE("what is joined sleeps together, and wakes together with what rests on it") {
  Stage s;
  s.ground();
  const std::size_t a = s.box(vec3(1, 0.2, 0.2), vec3(0, 0.1, 0)),
                    b = s.box(vec3(1, 0.2, 0.2), vec3(1.1, 0.1, 0)),
                    rider = s.box(Vec3::Constant(0.2), vec3(-0.2, 0.3, 0));
  s.join(JointKind::Hinge, a, b, vec3(0.55, 0.1, 0), Vec3::UnitZ());
  world::SceneJoint& lift = s.scene.joints.emplace_back();
  lift.joint.kind = JointKind::Spring;
  lift.joint.a = world::sideAt(s.scene, PieceId(b), vec3(1.6, 0.2, 0), Quat::Identity());
  lift.joint.b = world::sideAt(s.scene, PieceId(), vec3(1.6, 2, 0), Quat::Identity());
  lift.joint.length = 1.8;
  lift.stiffness.keys = {{1, Vec3::Zero()}, {48, Vec3::Zero()}, {49, vec3(4000, 0, 0)}};
  lift.length.keys = {{1, vec3(1.8, 0, 0)}, {60, vec3(1.8, 0, 0)}, {72, vec3(1, 0, 0)}};
  s.frames(40);
  for (const std::size_t i : {a, b, rider}) CHECK(s.asleep(i));
  s.frames(28);
  for (const std::size_t i : {a, b, rider}) CHECK_FALSE(s.asleep(i));
}

TEST_CASE("joined pieces do not collide unless they are to; parted by a break they do") {
  Stage s;
  s.scene.gravity = Vec3::Zero();
  const std::size_t a = s.box(Vec3::Constant(0.4), Vec3::Zero()),
                    b = s.box(Vec3::Constant(0.4), vec3(0.2, 0, 0));
  s.join(JointKind::Fixed, a, b, vec3(0.1, 0, 0)).breaks_force = 1e-3;
  s.frames(4);
  CHECK(s.world().contacts().empty());
  CHECK((s.position(b) - s.position(a)).norm() == Approx(0.2).epsilon(1e-6));
  s.scene.joints[0].joint.breaks_force = -1;  // not looked at any more: the world keeps its own
  Stage t;
  t.scene = s.scene;
  t.scene.joints[0].joint.breaks_force = -1;
  t.frames(24);
  CHECK(t.world().jointStates()[0].broken);
  CHECK((t.position(b) - t.position(a)).norm() > 0.39);
}

namespace {

// Goes on from a save after any frame, and comes to the same on three threads.
void checkSameBits(Stage& straight, int frames) {
  for (int n = 0; n < frames; ++n) {
    const Bytes saved = straight.world().save();
    straight.frames(1);
    Stage again;
    again.scene = straight.scene;
    again.world().restore(saved);
    again.frames(1);
    REQUIRE(again.world().digest() == straight.world().digest());
  }
  world::Watcher nobody;
  world::World three(straight.scene, {3});
  for (int n = 0; n < frames; ++n) three.advance(nobody);
  CHECK(three.digest() == straight.world().digest());
}

}  // namespace

TEST_CASE("jointed motion goes on from a save after any frame, and is the same on any number of threads",
          "[threads]") {
  Stage s;
  bridge(s, 12, 200);
  s.tie(JointKind::Spring, 5, Stage::kWorld, vec3(1.5, 0, 0), vec3(1.5, 2, 0)).stiffness = 300;
  s.scene.joints[3].joint.breaks_force = 2500;
  checkSameBits(s, 20);
}

TEST_CASE("a heavy load across two light machines: the same bits on any number of threads, and from a save",
          "[threads][slow]") {
  Stage s;
  s.ground();
  for (const double x : {-0.5, 0.5}) {
    const std::size_t top = s.box(vec3(0.6, 0.05, 0.6), vec3(x, 0.525, 0), Vec3::Zero(), 60);
    for (const double z : {-0.25, 0.25}) {
      const std::size_t leg = s.box(vec3(0.3, 0.5, 0.05), vec3(x, 0.25, z), Vec3::Zero(), 60);
      s.join(JointKind::Hinge, leg, top, vec3(x, 0.5, z), Vec3::UnitX()).friction = 40;
    }
  }
  const std::size_t load = s.box(vec3(1.4, 0.3, 0.5), vec3(0.05, 0.75, 0.02), vec3(0.3, -0.5, 0.1), 2000);
  checkSameBits(s, 12);
  CHECK(s.position(load).y() > 0.7);  // it stands
}

TEST_CASE("a watch tells what bears on it, awake and asleep, and takes hits into account") {
  Stage s;
  s.ground();
  const std::size_t scale = s.add(world::boxPrototype("scale", vec3(1, 0.1, 1), 1000), vec3(0, 0.05, 0),
                                  Vec3::Zero(), world::Role::Static);
  for (int k = 0; k < 3; ++k) s.box(Vec3::Constant(0.2), vec3(0, 0.3 + 0.25 * k, 0));  // 8 kg each
  s.scene.watches.push_back({"scale", {PieceId(scale)}});
  double impulse = 0;
  for (int f = 0; f < 48; ++f) {
    s.frames(1);
    impulse += s.world().watchForces()[0].y() / 24;
    if (f == 6) CHECK_FALSE(s.asleep(2));
  }
  CHECK(s.asleep(2));
  CHECK(s.world().watchForces()[0].y() == Approx(-3 * 8 * 9.81).epsilon(1e-3));
  // All that fell has been stopped; forces are those at the substeps' ends, which sample what rises and
  // falls.
  CHECK(impulse == Approx(-3 * 8 * 9.81 * 2).epsilon(0.05));
}
