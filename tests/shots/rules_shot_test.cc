// SPDX-License-Identifier: Apache-2.0
// Rules as a user meets them: a wall of casks whose chock is knocked away, told of at the end of the run.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "../support/program.h"

using Catch::Matchers::Contains;
using drubble::test::Program;
using drubble::test::Ran;
using nlohmann::json;

namespace {

const std::string kCasks = R"(
title = "the chock is knocked away"
frames = [1, 72]
[[body]]
name = "slip"
box = [8, 0.2, 2]
at = [0, -0.1, 0]
turn = [0, 0, -12]
role = "static"
material = "granite"
[[body]]
name = "chock"
box = [0.3, 0.5, 2]
at = [2.2, -0.3, 0]
turn = [0, 0, -12]
role = "static"
[[body]]
name = "cask"
cylinder = [0.3, 1]
material = "oak"
[[place]]
name = "casks"
copies = { cask = 1 }
count = [4, 1, 1]
spacing = [0.7, 1, 1]
at = [-0.5, 1.2, 0]
turn = [90, 0, 0]
[[rule]]
name = "knocked away"
who = "chock"
when = { hit_harder_than = 0.3, touched_by = "casks/*" }
then = "remove"
delay = 0.2
[[rule]]
name = "over the edge"
who = "casks/*"
when = { outside = { box = [-4, -3, -2, 2.5, 3, 2] } }
then = "remove"
[[rule]]
name = "never"
who = "casks/*"
when = { frame = 2, faster_than = 900 }
then = "freeze"
)";

}  // namespace

TEST_CASE("rules: done in the run, told at its end, the same with any threads") {
  const Program p;
  p.write("casks.toml", kCasks);
  const Ran ran = p.run({"run", "casks.toml", "-o", "a.drub", "--threads", "1"});
  REQUIRE(ran.code == 0);
  CHECK_THAT(ran.out, Contains("rule 'knocked away': remove 1 time, first 'chock' in frame"));
  CHECK_THAT(ran.out, Contains("rule 'never' never came to it: freeze for 4 pieces"));
  const json a = json::parse(p.run({"report", "a.drub", "--json"}).out);
  CHECK(a["rules"]["knocked away"]["times"] == 1);
  CHECK(a["rules"]["never"]["times"] == 0);
  CHECK(a["rules"]["over the edge"]["done"].size() > 0);
  const json poses = json::parse(p.run({"report", "a.drub", "--json", "--poses", "--frame", "72"}).out);
  CHECK(poses["poses"][1]["state"] == "gone");
  REQUIRE(p.run({"run", "casks.toml", "-o", "b.drub", "--threads", "3"}).code == 0);
  const json b = json::parse(p.run({"report", "b.drub", "--json"}).out);
  CHECK(a["motion_digest"] == b["motion_digest"]);
}

TEST_CASE("a rule that can never come to it is refused, with its place") {
  const Program p;
  p.write("casks.toml",
          kCasks + "[[rule]]\nname = \"late\"\nwho = \"casks/*\"\nwhen = { frame = 400 }\nthen = \"wake\"\n");
  const Ran ran = p.run({"run", "casks.toml", "-o", "a.drub"});
  CHECK(ran.code == 2);
  CHECK_THAT(ran.err, Contains("casks.toml:") && Contains("rule 'late' waits for frame 400"));
}
