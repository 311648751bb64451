// SPDX-License-Identifier: Apache-2.0
#include "core/measure/touch.h"

#include <catch2/catch.hpp>

#include "../../../tests/support/stage.h"

using namespace drubble;
using drubble::test::Stage;

TEST_CASE("a box at rest touches the ground with its weight, over its base", "[touch]") {
  Stage s;
  s.ground();
  const std::size_t box = s.box(vec3(0.4, 0.3, 0.6), vec3(2, 0.15, 1));
  s.box(vec3(0.2, 0.2, 0.2), vec3(8, 0.1, 0));
  s.frames(30);
  const std::vector<PieceId> who = {PieceId(box)};
  const std::vector<measure::Touch> all = measure::touches(s.world(), who);
  REQUIRE(all.size() == 1);
  CHECK(all[0].a == PieceId(0));
  CHECK(all[0].force == Approx(0.4 * 0.3 * 0.6 * 1000 * 9.81).epsilon(1e-3));
  CHECK(all[0].area == Approx(0.4 * 0.6).epsilon(1e-3));
  CHECK((all[0].place - vec3(2, 0, 1)).norm() < 1e-3);
  CHECK((all[0].normal - vec3(0, 1, 0)).norm() < 1e-6);
  CHECK(all[0].speed < 1e-6);
}

TEST_CASE("what slides says how fast, and a ball touches in a point", "[touch]") {
  Stage s;
  s.surface(0, 0);
  s.ground();
  const std::size_t box = s.box(vec3(0.4, 0.4, 0.4), vec3(0, 0.2, 0), vec3(1.5, 0, 0));
  const std::size_t ball = s.sphere(0.2, vec3(5, 0.2, 0));
  s.frames(12);
  const std::vector<PieceId> who = {PieceId(box), PieceId(ball)};
  const std::vector<measure::Touch> all = measure::touches(s.world(), who);
  REQUIRE(all.size() == 2);
  CHECK(all[0].sliding == Approx(1.5).epsilon(1e-3));
  CHECK(all[0].speed >= all[0].sliding - 1e-12);
  CHECK(all[1].area == 0);
}
