// SPDX-License-Identifier: Apache-2.0
// Bonds as a user meets them: told before the run, broken in it, seen and counted after it.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "../support/program.h"

using Catch::Matchers::Contains;
using drubble::test::Program;
using drubble::test::Ran;
using nlohmann::json;

namespace {

// A slipway wall on its sill, and a buoy that comes at it.
const std::string kWall = R"(
title = "a buoy against a wall"
frames = [1, 20]
seed = 5
[[body]]
name = "sill"
ground = 0
material = "granite"
[[body]]
name = "wall"
box = [2, 1.2, 0.3]
origin = "base"
material = "brick"
start = "asleep"
[[cut]]
of = "wall"
count = 60
[[body]]
name = "buoy"
sphere = 0.2
at = [0.1, 0.7, 1.2]
velocity = [0, 0, -12]
material = "cast_iron"
[[bond]]
name = "mortar"
among = "wall/*"
material = "mortar"
strength = 2
vary = 0.2
[[bond]]
name = "foot"
between = ["wall/*", "sill"]
reach = 0.01
material = "mortar"
)";

json reportOf(const Program& p, const std::string& cache) {
  return json::parse(p.run({"report", cache, "--json"}).out);
}

}  // namespace

TEST_CASE("bonds: told before the run, broken in it, counted after it, the same with any threads") {
  const Program p;
  p.write("wall.toml", kWall);
  const json before = json::parse(p.run({"cut", "wall.toml", "--json"}).out)["bonds"];
  CHECK(before["clusters"] == 1);
  CHECK(before["anchored"] == 1);
  CHECK(before["largest"] == 60);
  CHECK(before["loose"].empty());
  CHECK(before["tables"][1]["anchors"] == before["tables"][1]["bonds"]);
  CHECK_THAT(p.run({"cut", "wall.toml"}).out, Contains("bonds 'mortar'") && Contains("hang on something"));
  REQUIRE(p.run({"run", "wall.toml", "-o", "one.drub", "--threads", "1"}).code == 0);
  REQUIRE(p.run({"run", "wall.toml", "-o", "two.drub", "--threads", "3"}).code == 0);
  const json one = reportOf(p, "one.drub"), two = reportOf(p, "two.drub");
  CHECK(one["motion_digest"] == two["motion_digest"]);
  const json& damage = one["damage"];
  CHECK(damage["bonds"] == before["count"]);
  CHECK(damage["broken"] > 10);
  CHECK(damage["broken"] < damage["bonds"]);
  CHECK(damage["share"].get<double>() ==
        Approx(damage["broken"].get<double>() / damage["bonds"].get<double>()));
  CHECK(damage["first_break_factor"] > 1);
  CHECK(p.sql("one.drub", "SELECT count(DISTINCT bond) = count(*) FROM bond_breaks") == "1\n");
  CHECK_THAT(p.run({"report", "one.drub"}).out, Contains("broken") && Contains("times the strength"));
  // What the report says would just have held does hold.
  const double factor = 1.05 * damage["first_break_factor"].get<double>();
  REQUIRE(
      p.run({"run", "wall.toml", "-o", "holds.drub", "--set", "bond.*.strength*=" + std::to_string(factor)})
          .code == 0);
  const json holds = reportOf(p, "holds.drub");
  CHECK(holds["damage"]["broken"] == 0);
  CHECK(holds["asleep"] == 60);
  CHECK(
      p.run({"draw", "one.drub", "--show", "bonds", "--frame", "12", "--size", "160x100", "--quick"}).code ==
      0);
  CHECK(p.run({"draw", "one.drub", "--colour", "cluster", "--frames", "1,20", "--size", "160x100", "--quick"})
            .code == 0);
  const Ran several = p.run({"draw", "one.drub", "--show", "bonds", "--frames", "1,20"});
  CHECK(several.code == 2);
  CHECK_THAT(several.err, Contains("one frame"));
}

TEST_CASE("check tells of bonds that join nothing, and of pieces that hang on nothing") {
  const Program p;
  p.write("wall.toml", kWall + "[[bond]]\nname = \"stray\"\nbetween = [\"buoy\", \"wall/*\"]\n");
  CHECK_THAT(p.run({"check", "wall.toml"}).out, Contains("bond 'stray'") && Contains("joins nothing"));
  std::string some = kWall;
  some.replace(some.find("among = \"wall/*\""), 16, "among = \"wall/000*\"");
  some.replace(some.find("[\"wall/*\", \"sill\"]"), 18, "[\"wall/0001\", \"sill\"]");
  p.write("some.toml", some);
  CHECK_THAT(p.run({"check", "some.toml"}).out, Contains("hang on nothing"));
  p.write("plain.toml", kWall.substr(0, kWall.find("[[bond]]")));
  const Ran none = p.run({"draw", "plain.toml", "--show", "bonds"});
  CHECK(none.code == 2);
  CHECK_THAT(none.err, Contains("no bonds to show"));
}

TEST_CASE("report: how far bonds that yield have gone") {
  const Program p;
  p.write("cask.toml", R"(
frames = [1, 8]
[[body]]
name = "davit"
box = [0.4, 0.4, 0.4]
at = [0, 2.4, 0]
role = "static"
material = "oak"
[[body]]
name = "cask"
box = [0.4, 0.4, 0.4]
at = [0, 2, 0]
mass = 46
material = "oak"
[[bond]]
name = "strap"
between = ["cask", "davit"]
reach = 0.01
kind = "yielding"
force = 4512.6  # ten times what hangs on it
)");
  REQUIRE(p.run({"run", "cask.toml", "-o", "holds.drub"}).code == 0);
  const json holds = reportOf(p, "holds.drub")["damage"]["yielded"];
  CHECK(holds["load"].get<double>() == Approx(0.1).epsilon(0.02));
  CHECK(holds["strain"] == 0);
  CHECK(holds["pair"] == json({"davit", "cask"}));
  CHECK_THAT(p.run({"report", "holds.drub"}).out, Contains("none gave: one bore at most 10"));
  REQUIRE(p.run({"run", "cask.toml", "-o", "gives.drub", "--set", "bond.strap.force=406.1"}).code == 0);
  const json gives = reportOf(p, "gives.drub")["damage"]["yielded"];
  // It falls with a tenth of its weight, and parts when it has come three tenths of 0.4 m.
  const double t = 7.0 / 24, fallen = 0.5 * 0.981 * t * t;
  CHECK(gives["strain"].get<double>() == Approx(fallen / 0.12).epsilon(0.03));
  CHECK(gives["frame"] == 8);
  CHECK_THAT(p.run({"report", "gives.drub"}).out,
             Contains("of the strain at which it parts (frame 8, 'davit' from 'cask')"));
}
