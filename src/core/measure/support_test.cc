// SPDX-License-Identifier: Apache-2.0
#include "core/measure/support.h"

#include <catch2/catch.hpp>

#include "../../../tests/support/stage.h"
#include "core/base/trig.h"

namespace drubble::measure {

TEST_CASE("what rests on nothing is found, and nothing else") {
  test::Stage s;
  s.ground();
  const std::size_t below = s.box(Vec3(0.4, 0.4, 0.4), Vec3(0, 0.2, 0)),
                    above = s.box(Vec3(0.3, 0.3, 0.3), Vec3(0, 0.55, 0));
  const std::size_t held = s.box(Vec3(0.3, 0.3, 0.3), Vec3(3, 1, 0)),
                    hung = s.box(Vec3(0.3, 0.3, 0.3), Vec3(6, 1, 0));
  const std::size_t frozen = s.box(Vec3(0.3, 0.3, 0.3), Vec3(9, 2, 0));
  s.scene.pieces[held].start_state = world::Start::Held;
  s.join(solve::JointKind::Ball, hung, test::Stage::kWorld, Vec3(6, 1.15, 0));
  world::Rule& r = s.scene.rules.emplace_back();
  r.name = "stop";
  r.who = {PieceId(frozen)};
  r.when.from = 5;
  r.then = world::Deed::Freeze;
  s.frames(2);
  CHECK(restOnNothing(s.world()) == std::vector<PieceId>{PieceId(held)});  // the others still move
  s.frames(60);
  REQUIRE(s.asleep(below));
  REQUIRE(s.asleep(above));
  REQUIRE(s.asleep(hung));
  CHECK(restOnNothing(s.world()) == std::vector<PieceId>{PieceId(held), PieceId(frozen)});
}

TEST_CASE("what is wedged between two walls rests, where friction holds it") {
  test::Stage s;
  s.surface(0.8, 0);
  const auto still = [&](const Vec3& size, const Vec3& at, world::Role role) {
    return s.add(world::boxPrototype("wall", size, 1000), at, Vec3::Zero(), role);
  };
  still(Vec3(0.2, 2, 1), Vec3(-0.3, 2, 0), world::Role::Static);
  const std::size_t jaw = still(Vec3(0.2, 2, 1), Vec3(0.31, 2, 0), world::Role::Kinematic),
                    floor = still(Vec3(0.3, 0.2, 1), Vec3(0, 1.75, 0), world::Role::Static);
  const std::size_t wedged = s.box(Vec3(0.4, 0.3, 0.3), Vec3(0, 2, 0)),
                    held = s.box(Vec3(0.3, 0.3, 0.3), Vec3(3, 2, 0));
  s.scene.pieces[held].start_state = world::Start::Held;
  // The jaw closes on it, and then the floor goes.
  world::Mover m;
  m.piece = PieceId(jaw);
  m.path.rest = s.scene.pieces[jaw].start;
  m.path.at.keys = {{1, Vec3(0.31, 2, 0)}, {13, Vec3(0.2998, 2, 0)}};
  s.scene.movers.push_back(m);
  world::Rule& r = s.scene.rules.emplace_back();
  r.name = "go";
  r.who = {PieceId(floor)};
  r.when.from = 20;
  r.then = world::Deed::Remove;
  s.frames(96);
  REQUIRE(s.asleep(wedged));
  CHECK(s.position(wedged).y() > 1.99);
  CHECK(restOnNothing(s.world()) == std::vector<PieceId>{PieceId(held)});
}

TEST_CASE("what stands on its rim or its end, and what lies above the rest, is found") {
  test::Stage s;
  s.ground();
  std::vector<std::size_t> lying;
  for (int k = 0; k < 20; ++k) lying.push_back(s.box(Vec3(0.3, 0.1, 0.3), Vec3(k, 0.05, 0)));
  const std::size_t rim = s.box(Vec3(0.3, 0.1, 0.3), Vec3(0, 0.15, 3));
  s.scene.pieces[rim].start.turn = turnAbout(Vec3::UnitX(), 0.5 * kPi);
  const std::size_t end = s.box(Vec3(0.2, 0.8, 0.2), Vec3(3, 0.4, 3)),
                    plank = s.box(Vec3(0.8, 0.2, 0.2), Vec3(6, 0.1, 3));
  const std::size_t table = s.box(Vec3(1, 1.5, 1), Vec3(9, 0.75, 3)),
                    high = s.box(Vec3(0.3, 0.1, 0.3), Vec3(9, 1.55, 3));
  s.scene.pieces[table].role = world::Role::Static;
  s.frames(60);
  REQUIRE(s.asleep(high));
  REQUIRE(s.asleep(plank));
  CHECK(restOnEdge(s.world()) == std::vector<PieceId>{PieceId(rim), PieceId(end)});
  CHECK(restTooHigh(s.world()) == std::vector<PieceId>{PieceId(high)});
}

}  // namespace drubble::measure
