// SPDX-License-Identifier: Apache-2.0
// Pouring as a user does it: a tray that fills, what is told of it, and going on from what was poured.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "../support/program.h"

using Catch::Matchers::Contains;
using drubble::test::Program;
using drubble::test::Ran;
using nlohmann::json;

namespace {

const std::string kTray = R"(
title = "corks into a tray"
frames = [1, 60]
seed = 4
[[body]]
name = "quay"
ground = 0
[[body]]
name = "side"
box = [0.05, 0.4, 0.9]
[[body]]
name = "end"
box = [0.8, 0.4, 0.05]
[[group]]
name = "tray"
joined = true
role = "static"
parts = [
  { of = "side", at = [0.425, 0.2, 0] }, { of = "side", at = [-0.425, 0.2, 0] },
  { of = "end", at = [0, 0.2, 0.425] }, { of = "end", at = [0, 0.2, -0.425] } ]
[[body]]
name = "cork"
sphere = 0.05
material = "cork"
[[pour]]
name = "corks"
copies = { cork = 1 }
size = [0.8, 1.2]
from = { disc = [0, 0.9, 0, 0.3] }
rate = 150
frames = [1, 37]
speed = [0.5, 1]
[[watch]]
name = "load"
who = "corks/**"
inside = { container = "tray" }
)";

}  // namespace

TEST_CASE("a tray is filled: the same with any threads, told in the report, drawn before the run") {
  const Program p;
  p.write("tray.toml", kTray);
  const Ran ran = p.run({"run", "tray.toml", "-o", "a.drub", "--threads", "1", "--json"});
  REQUIRE(ran.code == 0);
  const json two = json::parse(p.run({"run", "tray.toml", "-o", "b.drub", "--threads", "2", "--json"}).out);
  CHECK(json::parse(ran.out)["motion_digest"] == two["motion_digest"]);
  const Ran told = p.run({"report", "a.drub"});
  CHECK_THAT(told.out, Contains("poured       corks: 225 of 225"));
  const json report = json::parse(p.run({"report", "a.drub", "--json"}).out);
  CHECK(report["pours"]["corks"]["planned"] == 225);
  CHECK(report["pours"]["corks"]["changes"].back()["born"] == 225);
  const json& fill = report["fills"]["load"].back();
  CHECK(fill["count"] > 200);
  // 225 corks of about 0.53 litres, at a packing of 0.5 to 0.65, over 0.64 square metres.
  const double litres = fill["volume"].get<double>() * 1000;
  CHECK(litres > 95);
  CHECK(litres < 140);
  CHECK(fill["height"] > 0.2);
  CHECK(fill["height"] < 0.45);
  const json seed = json::parse(
      p.run({"run", "tray.toml", "-o", "c.drub", "--set", "seed=5", "--frames", "1-20", "--json"}).out);
  const json same =
      json::parse(p.run({"run", "tray.toml", "-o", "d.drub", "--frames", "1-20", "--json"}).out);
  CHECK(seed["motion_digest"] != same["motion_digest"]);
  CHECK(p.run({"draw", "tray.toml", "--quick", "--size", "320x200", "-o", "source.png"}).code == 0);
  CHECK(p.run({"draw", "a.drub", "--quick", "--size", "320x200", "--frame", "10", "-o", "ten.png"}).code ==
        0);
}

TEST_CASE("what was poured and settled stands there at the next start, and nothing is poured twice") {
  const Program p;
  p.write("tray.toml", kTray);
  const Ran settled = p.run({"settle", "tray.toml", "-o", "full.drub"});
  REQUIRE(settled.code == 0);
  p.write("shot.toml", "start_from = { cache = \"full.drub\" }\n" + kTray);
  REQUIRE(p.run({"run", "shot.toml", "-o", "shot.drub"}).code == 0);
  const json report = json::parse(p.run({"report", "shot.drub", "--json"}).out);
  CHECK(report["rest_frame"] == 1);
  CHECK(report["outcome"]["share_moved"] == 0);
  CHECK(report["pours"]["corks"]["changes"].back()["born"] == 0);
}

TEST_CASE("frames before the shot are simulated and not kept") {
  const Program p;
  p.write("tray.toml", kTray);
  REQUIRE(p.run({"run", "tray.toml", "-o", "whole.drub", "--set", "frames=[1,30]"}).code == 0);
  REQUIRE(
      p.run({"run", "tray.toml", "-o", "late.drub", "--set", "frames=[21,30]", "--set", "preroll=20"}).code ==
      0);
  const json whole = json::parse(p.run({"report", "whole.drub", "--json"}).out);
  const json late = json::parse(p.run({"report", "late.drub", "--json"}).out);
  CHECK(late["frames"] == json({21, 30}));
  CHECK(late["motion_digest"] == whole["motion_digest"]);
  CHECK(late["per_frame"].size() == 10);
  CHECK(late["watches"]["load"]["landing"]["frame"] >= 21);
  CHECK(whole["watches"]["load"]["pieces"] == 225);                 // all that is planned for the whole shot
  CHECK(whole["pours"]["corks"]["changes"].back()["born"] <= 181);  // so many are due in 29 frames
  CHECK(whole["pours"]["corks"]["changes"].back()["born"] > 150);
  CHECK(whole["watches"]["load"]["landing"]["pair"][1] == "quay");
  CHECK(whole["watches"]["load"]["bounces"].size() > 5);
}

TEST_CASE("a pour that is told when its tray is full stops there") {
  const Program p;
  p.write("tray.toml", kTray);
  REQUIRE(p.run({"run", "tray.toml", "-o", "a.drub", "--set",
                 "pour.corks.until={ inside = { container = \"tray\" }, height = 0.12 }"})
              .code == 0);
  const json report = json::parse(p.run({"report", "a.drub", "--json"}).out);
  const json last = report["pours"]["corks"]["changes"].back();
  CHECK(last["full"] == true);
  CHECK(last["born"] > 60);
  CHECK(last["born"] < 215);
}
