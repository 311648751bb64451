// SPDX-License-Identifier: Apache-2.0
// Heaps that sleep, wake and leave nothing hovering.
#include <algorithm>
#include <catch2/catch.hpp>

#include "../../../tests/support/bonds.h"
#include "core/base/random.h"
#include "core/measure/penetration.h"

using namespace drubble;
using drubble::test::Stage;
namespace test = drubble::test;

TEST_CASE("a heap of a thousand boxes sleeps wholly, a touch wakes only what it must, and none hovers",
          "[slow]") {
  Stage s;
  s.surface(0.5, 0.1);
  s.ground();
  RandomStream r(5, "heap");
  for (int i = 0; i < 1000; ++i) {
    const Vec3 at = 0.36 * vec3(i % 11 - 5.5, i / 121 + 1, i / 11 % 11 - 5.5);
    s.scene.pieces[s.box(Vec3::Constant(0.2), at)].start.turn = r.turn();
  }
  const auto awake = [&] { return s.world().stats().awake; };
  int frames = 0;
  for (; frames < 240 && awake() > 0; frames += 12) s.frames(12);
  REQUIRE(awake() == 0);
  CHECK(frames < 180);
  measure::PenetrationMeter meter;
  CHECK(meter.measure(s.world()).p99_share < 0.005);

  // A small ball from nearby stirs a few; the heap sleeps again soon.
  std::size_t top = 1;
  for (std::size_t i = 1; i <= 1000; ++i)
    if (s.position(i).y() > s.position(top).y()) top = i;
  Stage again;
  again.surface(0.5, 0.1);
  again.ground();
  for (std::size_t i = 1; i <= 1000; ++i) {
    again.box(Vec3::Constant(0.2), s.position(i));
    again.scene.pieces[i].start.turn = s.world().motion().turn[i];
    again.scene.pieces[i].start_state = world::Start::Asleep;
  }
  again.sphere(0.03, s.position(top) + vec3(0, 0.3, 0));
  std::uint32_t most = 0;
  for (int f = 0; f < 48; ++f) {
    again.frames(1);
    most = std::max(most, again.world().stats().awake);
  }
  CHECK(most > 0);
  CHECK(most < 60);
}

// Of what was borne by one that has come away since, however calmly that went: it has to come down.
TEST_CASE("no sleeper goes without what bore it", "[slow]") {
  Stage s;
  s.surface(0.6, 0.2);
  s.ground();
  const auto fixed = [&](const Vec3& size, const Vec3& at) {
    s.scene.pieces[s.box(size, at)].role = world::Role::Static;
  };
  for (const double side : {-0.6, 0.6}) fixed(vec3(2, 6, 0.2), vec3(-1, 3, side));
  fixed(vec3(0.2, 2, 1.4), vec3(-2.1, 1, 0));
  const std::size_t gate = s.box(vec3(0.1, 2, 1.4), vec3(0.05, 1, 0));
  s.scene.pieces[gate].role = world::Role::Kinematic;
  world::Mover lift;
  lift.piece = PieceId(gate);
  lift.path.rest = s.scene.pieces[gate].start;
  lift.path.at.keys = {{1, vec3(0.05, 1, 0)}, {60, vec3(0.05, 1, 0)}, {160, vec3(0.05, 3, 0)}};
  s.scene.movers.push_back(lift);
  RandomStream r(GENERATE(1, 2), "floats");
  for (int i = 0; i < 150; ++i) {
    const Vec3 at = vec3(-1.76 + 0.38 * (i % 5), 0.35 + 0.38 * (i / 10), 0.22 - 0.44 * (i / 5 % 2));
    const std::size_t oval = s.add(world::ellipsoidPrototype("float", vec3(0.16, 0.11, 0.16), 200), at);
    s.scene.pieces[oval].start.turn = r.turn();
  }
  int sleepers = 0, hovering = 0;
  for (int f = 0; f < 150; ++f) {
    s.frames(1);
    const world::World& w = s.world();
    for (const solve::Contact& c : w.contacts())
      for (const auto& [sleeper, other] : {std::pair(c.a, c.b), std::pair(c.b, c.a)}) {
        if (w.sleepOf(sleeper.index()) != world::Sleep::Asleep ||
            w.sleepOf(other.index()) != world::Sleep::Awake)
          continue;
        ++sleepers;
        hovering += c.totalForce() == 0 &&
                    static_cast<double>(c.asleep_force) > 0.2 * w.traits()[sleeper.index()].weight;
      }
  }
  CAPTURE(sleepers);
  CHECK(sleepers > 100);
  CHECK(hovering == 0);
}

TEST_CASE("what a piece leaves behind when it is pulled out of a sleeping packing comes down") {
  Stage s;
  s.surface(0.5, 0);
  s.ground();
  for (int y = 0; y < 6; ++y)
    for (int x = 0; x < 4; ++x)
      s.box(vec3(0.3, 0.2, 0.3), vec3(0.3 * x + (y % 2 == 0 ? 0 : 0.15), 0.1 + 0.2 * y, 0));
  const std::size_t pulled = 2;  // the lowest row's second
  s.scene.pieces[pulled].role = world::Role::Kinematic;
  world::Mover m;
  m.piece = PieceId(pulled);
  m.path.rest = s.scene.pieces[pulled].start;
  const Vec3 at = s.scene.pieces[pulled].start.position;
  m.path.at.keys = {{1, at}, {73, at}, {97, at + vec3(0, 0, 2)}};
  s.scene.movers.push_back(m);
  s.frames(72);
  CHECK(s.world().stats().awake == 0);
  s.frames(120);
  CHECK(s.world().stats().awake == 0);
  // Nothing hovers: put there again awake, nothing falls.
  Stage again;
  again.surface(0.5, 0);
  again.ground();
  for (std::size_t i = 1; i < s.scene.pieces.size(); ++i) {
    again.box(vec3(0.3, 0.2, 0.3), s.position(i));
    again.scene.pieces.back().start.turn = s.world().motion().turn[i];
  }
  again.frames(24);
  for (std::size_t i = 1; i < s.scene.pieces.size(); ++i)
    CHECK((again.position(i) - s.position(i)).norm() < 0.002);
}

TEST_CASE("nothing sleeps by itself under what bonds hold together", "[bond]") {
  const bool bonded = GENERATE(false, true);
  Stage s;
  s.material(test::stone(1e7));
  s.ground();
  if (bonded) {
    const std::size_t beam = s.box(vec3(1.5, 0.2, 0.4), vec3(-0.75, 0.3, 0));
    s.box(vec3(1.5, 0.2, 0.4), vec3(0.75, 0.3, 0));
    test::bondAll(s, beam);
    REQUIRE(s.scene.bonds.size() == 1);
  } else {
    s.box(vec3(3, 0.2, 0.4), vec3(0, 0.3, 0));
  }
  const std::size_t one = s.box(Vec3::Constant(0.2), vec3(-1.2, 0.1, 0)),
                    other = s.box(Vec3::Constant(0.2), vec3(1.2, 0.1, 0));
  // It rolls along the beam all the while, and later on the ground for ever.
  const std::size_t ball = s.sphere(0.1, vec3(-1.4, 0.5, 0), vec3(0.4, 0, 0));
  s.scene.pieces[ball].spin = vec3(0, 0, -4);
  s.frames(60);
  REQUIRE(s.position(ball).y() > 0.45);
  for (const std::size_t i : {one, other}) CHECK((s.world().sleepOf(i) == world::Sleep::Awake) == bonded);
  s.frames(140);
  REQUIRE(s.position(ball).y() < 0.2);
  CHECK(s.world().stats().awake == 1);
}
