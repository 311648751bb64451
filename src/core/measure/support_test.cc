// SPDX-License-Identifier: Apache-2.0
#include "core/measure/support.h"

#include <catch2/catch.hpp>

#include "../../../tests/support/stage.h"

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

}  // namespace drubble::measure
