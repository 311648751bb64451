// SPDX-License-Identifier: Apache-2.0
// Pieces that a rule hands over to their keys, and pieces that go with another.
#include <catch2/catch.hpp>
#include <cmath>

#include "../../../tests/support/bonds.h"
#include "core/base/trig.h"
#include "core/world/bonding.h"

namespace drubble::world {

namespace {

using test::Stage;

Mover& lead(Stage& s, std::size_t i, std::vector<act::Key> keys, std::vector<act::Key> turns = {}) {
  Mover m;
  m.piece = PieceId(i);
  m.path.rest = s.scene.pieces[i].start;
  m.path.at.keys = std::move(keys);
  m.path.turn.keys = std::move(turns);
  s.scene.movers.push_back(m);
  return s.scene.movers.back();
}

void takeOver(Stage& s, std::size_t i, double frame) {
  Rule& r = s.scene.rules.emplace_back();
  r.name = "take over";
  r.who = {PieceId(i)};
  r.when.from = frame;
  r.then = Deed::Drive;
}

// A crane's arm that rises and swings, and a crate that falls until the arm has it, with its keys.
struct Crane {
  Stage s;
  std::size_t arm, crate;
  explicit Crane(bool led) {
    s.ground();
    arm = s.add(boxPrototype("arm", Vec3(2, 0.2, 0.2), 1000), Vec3(0, 6, 0), Vec3::Zero(), Role::Kinematic);
    crate = s.box(Vec3(0.5, 0.5, 0.5), Vec3(3, 4, 0), Vec3(0.3, 0, 0));
    const std::vector<act::Key> rises = {{1, Vec3(0, 6, 0)}, {25, Vec3(0, 8, 0)}},
                                swings = {{1, Vec3::Zero()}, {25, Vec3(0, 0.5 * kPi, 0)}};
    lead(s, arm, rises, swings);
    Mover& m = lead(s, crate, rises, swings);
    m.waits = true;
    if (led) {
      const Pose from = s.scene.pieces[arm].start, to = s.scene.pieces[crate].start;
      m.leader = PieceId(arm);
      m.hold = {from.toBody(to.position), from.turn.conjugate() * to.turn};
    }
    takeOver(s, crate, 9);
  }
  Pose pose(std::size_t i) { return s.world().motion().pose(i); }
};

}  // namespace

TEST_CASE("what a rule makes kinematic goes on from where it is, as its keys would have moved it", "[rule]") {
  Crane x(false);
  x.s.frames(8);
  const Pose then = x.pose(x.crate);
  CHECK(then.position.y() == Approx(4 - 0.5 * 9.81 / 9));  // a third of a second
  x.s.frames(16);
  CHECK(x.s.world().sleepOf(x.crate) == Sleep::Driven);
  // From frame 9 to 25: two thirds of what the keys do.
  const Pose now = x.pose(x.crate);
  CHECK((now.position - then.position - Vec3(0, 4.0 / 3, 0)).norm() < 1e-9);
  CHECK((turnBetween(then.turn, now.turn) - Vec3(0, kPi / 3, 0)).norm() < 1e-9);
}

TEST_CASE("what goes with a leader keeps its place to it from then on", "[rule]") {
  Crane x(true);
  x.s.frames(8);
  const Pose arm = x.pose(x.arm), crate = x.pose(x.crate);
  const Vec3 held = arm.toBody(crate.position);
  for (int f = 0; f < 16; ++f) {
    x.s.frames(1);
    CHECK((x.pose(x.arm).toBody(x.pose(x.crate).position) - held).norm() < 1e-9);
    CHECK((turnBetween(x.pose(x.arm).turn, x.pose(x.crate).turn) - turnBetween(arm.turn, crate.turn)).norm() <
          1e-9);
  }
  CHECK((x.pose(x.crate).position - crate.position).norm() > 2);
}

TEST_CASE("one that goes with a leader from the start pushes what stands in its way with its true speed") {
  Stage s;
  s.scene.gravity = Vec3::Zero();
  const std::size_t arm =
      s.add(boxPrototype("arm", Vec3(0.2, 0.2, 0.2), 1000), Vec3::Zero(), Vec3::Zero(), Role::Kinematic);
  const std::size_t shovel =
      s.add(boxPrototype("shovel", Vec3(0.2, 1, 1), 1000), Vec3(2, 0, 0), Vec3::Zero(), Role::Kinematic);
  const std::size_t ball = s.sphere(0.2, Vec3(2, 0, -1));
  lead(s, arm, {{1, Vec3::Zero()}}, {{1, Vec3::Zero()}, {49, Vec3(0, kPi, 0)}});
  Mover& m = lead(s, shovel, {{1, Vec3::Zero()}}, {{1, Vec3::Zero()}, {49, Vec3(0, kPi, 0)}});
  m.leader = PieceId(arm);
  m.hold.position = Vec3(2, 0, 0);
  s.frames(48);
  CHECK((s.position(shovel) - Vec3(-2, 0, 0)).norm() < 1e-9);
  CHECK(s.velocity(ball).norm() > 2);  // pi m/s at the shovel's middle, half a turn a second
}

TEST_CASE("a held piece taken over carries what is bonded to it; a later rule lets both go", "[rule][bond]") {
  Stage s;
  s.material(test::stone(1e8));
  s.ground();
  const std::size_t a = s.box(Vec3(1, 1, 1), Vec3(0, 5, 0)), b = s.box(Vec3(1, 1, 1), Vec3(1, 5, 0));
  s.scene.pieces[a].start_state = s.scene.pieces[b].start_state = Start::Held;
  test::bondAll(s, a);
  REQUIRE(s.scene.bonds.size() == 1);
  lead(s, a, {{1, Vec3(0, 5, 0)}, {25, Vec3(0, 7, 0)}}).waits = true;
  takeOver(s, a, 13);
  Rule& drop = s.scene.rules.emplace_back();
  drop.name = "drop";
  drop.who = {PieceId(a)};
  drop.when.from = 21;
  drop.then = Deed::Release;
  s.frames(12);
  CHECK(s.position(b) == Vec3(1, 5, 0));
  s.frames(8);
  CHECK((s.position(a) - Vec3(0, 5 + 2.0 / 3, 0)).norm() < 1e-9);
  CHECK((s.position(b) - Vec3(1, 5 + 2.0 / 3, 0)).norm() < 1e-9);
  s.frames(4);  // thrown up with 2 m/s, for a sixth of a second
  CHECK(s.position(b).y() == Approx(5 + 2.0 / 3 + 2.0 / 6 - 0.5 * 9.81 / 36).epsilon(1e-4));
  CHECK_FALSE(s.world().bondBroken(0));
}

TEST_CASE("a world restored after any frame of a take-over goes on bit for bit", "[rule]") {
  for (const bool led : {false, true}) {
    Crane straight(led);
    straight.s.scene.movers.back().release_frame = 17;
    for (int f = 0; f < 24; ++f) {
      Crane other(led);
      other.s.scene.movers.back().release_frame = 17;
      other.s.world().restore(straight.s.world().save());
      straight.s.frames(1);
      other.s.frames(1);
      CAPTURE(led, f);
      REQUIRE(other.s.world().save() == straight.s.world().save());
    }
    CHECK(straight.s.world().sleepOf(straight.crate) == Sleep::Awake);
  }
}

}  // namespace drubble::world
