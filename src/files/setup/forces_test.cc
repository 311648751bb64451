// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>

#include "files/setup/test_problems.h"

namespace drubble::files {

namespace {

const std::string kScene = R"(
units = "cm"
frames = [1, 30]
[[body]]
name = "quay"
ground = 0
[[body]]
name = "float"
sphere = 10
at = [0, 20, 0]
)";

BuiltScene builtFloats(const std::string& forces) {
  return buildScene(parseSetup("floats.toml", kScene + forces));
}

std::string oneProblem(const std::string& forces) { return oneProblemOf(kScene + forces); }

using Catch::Matchers::Contains;

}  // namespace

TEST_CASE("forces in a setup: units, defaults, whom they push", "[force]") {
  const world::Scene s = builtFloats(R"(
[[force]]
name = "squall"
kind = "wind"
direction = [3, 0, 4]
strength = { keys = [[1, 0], [24, 1800]] }
gusts = 0.4
[[force]]
name = "gas"
kind = "blast"
who = "float"
at = [0, 100, 0]
radius = 400
falloff = "linear"
strength = 30
frames = [12, 13]
[[force]]
name = "mud"
kind = "drag"
quadratic = 0.02
spin = 1
[[force]]
name = "off"
kind = "push"
direction = [1, 0, 0]
strength = 1
enabled = false
)")
                             .scene;
  REQUIRE(s.forces.size() == 3);
  const act::Force &wind = s.forces[0], &blast = s.forces[1], &drag = s.forces[2];
  CHECK(wind.as == act::ForceUnit::Air);
  CHECK((wind.direction - Vec3(0.6, 0, 0.8)).norm() < 1e-12);
  CHECK(wind.strengthAt(24) == Approx(18));  // m/s
  CHECK(wind.who.size() == 2);
  CHECK(blast.as == act::ForceUnit::Impulse);
  CHECK(blast.who == std::vector<PieceId>{PieceId(1)});
  CHECK(blast.strength == 30);  // N s
  CHECK(blast.at.y() == Approx(1));
  CHECK(blast.radius == Approx(4));
  CHECK(blast.falloff == act::Falloff::Linear);
  CHECK(blast.from == 12);
  CHECK(drag.strength == 1);
  CHECK(drag.quadratic == Approx(2));  // 1/m
  CHECK(wind.seed != blast.seed);
  // One more before it does not change it.
  const world::Scene more =
      builtFloats(
          "[[force]]\nname = \"first\"\nkind = \"push\"\ndirection = [1, 0, 0]\nstrength = 1\n"
          "[[force]]\nname = \"squall\"\nkind = \"wind\"\ndirection = [1, 0, 0]\nstrength = 1\n")
          .scene;
  CHECK(more.forces[1].seed == wind.seed);
}

TEST_CASE("what a force lacks is said, and a second gravity is noted", "[force]") {
  const std::string force = "[[force]]\nname = \"f\"\n";
  CHECK_THAT(oneProblem(force + "strength = 1\n"), Contains("needs a kind"));
  CHECK_THAT(oneProblem(force + "kind = \"wind\"\nstrength = 1\n"), Contains("needs direction"));
  CHECK_THAT(oneProblem(force + "kind = \"push\"\ndirection = [0, 0, 0]\nstrength = 1\n"),
             Contains("give it a direction"));
  CHECK_THAT(oneProblem(force + "kind = \"attract\"\nstrength = 1\n"), Contains("needs at"));
  CHECK_THAT(oneProblem(force + "kind = \"attract\"\nat = [0, 0, 0]\n"), Contains("needs a strength"));
  CHECK_THAT(oneProblem(force + "kind = \"blast\"\nat = [0, 0, 0]\nstrength = 1\n"),
             Contains("an impulse needs frames"));
  CHECK_THAT(oneProblem(force + "kind = \"drag\"\n"), Contains("slows nothing"));
  CHECK_THAT(oneProblem(force + "kind = \"front\"\nat = [0, 0, 0]\ndirection = [1, 0, 0]\nstrength = 1\n"),
             Contains("needs speed"));
  CHECK_THAT(oneProblem(force + "kind = \"vortex\"\nat = [0, 0, 0]\nfalloff = \"smooth\"\nstrength = 1\n"),
             Contains("needs a radius"));
  CHECK_THAT(oneProblem(force + "kind = \"vortex\"\nat = [0, 0, 0]\nframes = [40, 50]\nstrength = 1\n"),
             Contains("outside the shot's 1 to 30"));
  CHECK_THAT(oneProblem(force + "kind = \"wind\"\ndirection = [1, 0, 0]\nstrength = 1\nsize = 3\n"),
             Contains("unknown key 'size'"));
  const BuiltScene b = builtFloats(force + "kind = \"gravity\"\nwho = \"float\"\nstrength = 3\n");
  REQUIRE(b.notes.size() == 1);
  CHECK_THAT(b.notes[0], Contains("on top of the setup's own") && Contains("'float'"));
  CHECK(b.scene.forces[0].direction.y() == -1);
}

}  // namespace drubble::files
