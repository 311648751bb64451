// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>
#include <filesystem>

#include "files/cache/format.h"
#include "files/cache/reader.h"
#include "files/setup/test_problems.h"
#include "files/simulate.h"

namespace drubble::files {

namespace {

const std::string kScene = R"(
frames = [1, 30]
[[body]]
name = "quay"
ground = 0
[[body]]
name = "trestle"
box = [1, 0.5, 1]
origin = "base"
role = "static"
[[body]]
name = "cask"
box = [0.5, 0.5, 0.5]
at = [0, 0.75, 0]
start = "asleep"
)";

BuiltScene builtStand(const std::string& rules) {
  return buildScene(parseSetup("stand.toml", kScene + rules));
}

std::string oneProblem(const std::string& rules) { return oneProblemOf(kScene + rules); }

using Catch::Matchers::Contains;

}  // namespace

TEST_CASE("a rule says whom it is for, what it waits for and what it does", "[rule]") {
  const world::Scene s = builtStand(R"(
[[rule]]
name = "gate"
who = ["trestle", "cask"]
when = { frames = [3, 9], hit_harder_than = 2, touched_by = "cask", inside = { sphere = [0, 1, 0, 2] }, outside = { body = "trestle" } }
then = { set = "strength", to = 0.5 }
delay = 0.25
again = true
[[rule]]
name = "still"
who = "cask"
when = { slower_than = 0.02, for = 0.3, older_than = 1 }
then = "freeze"
enabled = false
)" + std::string("[[bond]]\nname = \"b\"\nbetween = [\"cask\", \"trestle\"]\nreach = 0.01\nunbreakable = "
                 "true\n"))
                             .scene;
  REQUIRE(s.rules.size() == 1);
  const world::Rule& r = s.rules[0];
  CHECK(r.who.size() == 2);
  CHECK(r.when.from == 3);
  CHECK(r.when.to == 9);
  CHECK(r.when.hit_harder_than == 2);
  REQUIRE(r.when.touched_by.size() == 1);
  CHECK(s.pieces[r.when.touched_by[0].index()].name == "cask");
  REQUIRE(r.when.inside);
  CHECK(r.when.inside->radius == 2);
  REQUIRE(r.when.outside);
  CHECK(s.pieces[r.when.outside->body.index()].name == "trestle");
  CHECK(r.then == world::Deed::Strength);
  CHECK(r.to == 0.5);
  CHECK(r.delay == 0.25);
  CHECK(r.again);
}

TEST_CASE("what a rule lacks or cannot do is said", "[rule]") {
  const std::string rule = "[[rule]]\nname = \"r\"\nwho = \"cask\"\n";
  CHECK_THAT(oneProblem(rule + "then = \"wake\"\n"), Contains("what it waits for"));
  CHECK_THAT(oneProblem(rule + "when = { frame = 3 }\n"), Contains("needs then"));
  CHECK_THAT(oneProblem(rule + "when = {}\nthen = \"wake\"\n"), Contains("waits for nothing"));
  CHECK_THAT(oneProblem(rule + "when = { frame = 99 }\nthen = \"wake\"\n"),
             Contains("outside the shot's 1 to 30"));
  CHECK_THAT(oneProblem(rule + "when = { frame = 3 }\nthen = \"break_bonds\"\n"),
             Contains("none of its 1 pieces"));
  CHECK_THAT(oneProblem(rule + "when = { hit_harder_than = 3, for = 1 }\nthen = \"wake\"\n"),
             Contains("over at once"));
  CHECK_THAT(oneProblem(rule + "when = { inside = { body = \"tresle\" } }\nthen = \"wake\"\n"),
             Contains("no piece is called 'tresle'"));
  CHECK_THAT(oneProblem(rule + "when = { frame = 3 }\nthen = \"melt\"\n"), Contains("melt"));
  CHECK_THAT(oneProblem(rule + "when = { frame = 3 }\nthen = { set = \"strength\" }\n"),
             Contains("to = NUMBER"));
  CHECK_THAT(oneProblem(rule + "when = { frame = 3 }\nthen = { set = \"material\", to = \"granit\" }\n"),
             Contains("did you mean 'granite'?"));
  CHECK(oneProblem(rule + "when = { frame = 3 }\nthen = { set = \"material\", to = \"ice\" }\n") ==
        "0 problems");
  CHECK_THAT(oneProblem("[[rule]]\nname = \"r\"\nwho = \"quay\"\nwhen = { frame = 3 }\nthen = \"release\"\n"),
             Contains("cannot release 'quay'"));
  CHECK_THAT(oneProblem(rule + "when = { frame = 3 }\nthen = \"kinematic\"\n"),
             Contains("no [[motion]] says how it goes"));
  const std::string keys =
      "[[motion]]\nwho = \"cask\"\nkeys = [{ frame = 1, at = [0, 1, 0] }, { frame = 9, at = [0, 2, 0] }]\n";
  CHECK_THAT(oneProblem(keys), Contains("'cask' has keys but is dynamic"));
  CHECK(oneProblem(keys + rule + "when = { frame = 3 }\nthen = \"kinematic\"\n") == "0 problems");
  CHECK_THAT(oneProblem(keys + "[[rule]]\nname = \"r\"\nwho = \"trestle\"\nwhen = { frame = 3 }\nthen = "
                               "\"kinematic\"\n"),
             Contains("no [[motion]] says how it goes"));
  CHECK_THAT(oneProblem("[[rule]]\nwho = \"cask\"\nwhen = { frame = 3 }\nthen = \"wake\"\n"),
             Contains("needs a name"));
}

TEST_CASE("a cache tells what rules did, and who is gone", "[rule]") {
  const auto folder = std::filesystem::temp_directory_path() / "drubble_rules_test";
  std::filesystem::create_directories(folder);
  const Setup setup = parseSetup("stand.toml", kScene + R"(
[[rule]]
name = "knock the trestle away"
who = "trestle"
when = { frame = 10 }
then = "remove"
[[rule]]
name = "far off"
who = "cask"
when = { outside = { sphere = [0, 0, 0, 50] } }
then = "remove"
)");
  RunOptions options;
  options.cache_path = (folder / "stand.drub").string();
  options.force = true;
  const RunOutcome done = simulate(setup, options);
  REQUIRE(done.rules.size() == 2);
  CHECK(done.rules[0] == "rule 'knock the trestle away': remove 1 time, first 'trestle' in frame 10");
  CHECK(done.rules[1] == "rule 'far off' never came to it: remove for 1 piece");
  CacheReader cache(options.cache_path);
  const std::vector<CachedRule> rules = cache.rules();
  REQUIRE(rules.size() == 2);
  CHECK(rules[0].deed == "remove");
  REQUIRE(rules[0].done.size() == 1);
  CHECK(rules[0].done[0].frame == 10);
  CHECK(cache.pieces()[rules[0].done[0].piece].name == "trestle");
  CHECK(rules[1].done.empty());
  CHECK((cache.states(9)[1].flags & kFlagGone) == 0);
  CHECK((cache.states(10)[1].flags & kFlagGone) != 0);
  CHECK(cache.states(30)[2].position[1] < 0.3);
  std::filesystem::remove_all(folder);
}

}  // namespace drubble::files
