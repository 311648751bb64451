// SPDX-License-Identifier: Apache-2.0
// What `run` can be asked besides running: limits, rest, statistics, instructions.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "../support/program.h"

using Catch::Contains;
using drubble::test::Program;
using drubble::test::Ran;
using nlohmann::json;

namespace {

// Crates that drop half a metre onto a quay, and lie still after a second.
const char* kCrates = R"(frames = [1, 120]
[[body]]
name = "quay"
ground = 0
material = "concrete"
[[body]]
name = "crate"
box = [0.4, 0.3, 0.35]
material = "pine"
[[place]]
name = "load"
copies = { crate = 1 }
count = [3, 3, 3]
spacing = [0.65, 0.6, 0.65]
at = [0, 0.5, 0]
vary = { turn = [5, 180, 5] }
)";

const char* kMotion = "SELECT frame, digest, hash, hex(data) FROM frames ORDER BY frame";

}  // namespace

TEST_CASE("every set of instructions gives the same frame blocks; one that there is not is refused") {
  const Program p;
  p.write("crates.toml", kCrates);
  std::string first;
  for (const char* lanes : {"scalar", "sse2", "avx2", "auto"}) {
    const Ran r =
        p.run({"run", "crates.toml", "-o", "crates.drub", "--force", "--lanes", lanes, "--frames", "1-30"});
    if (r.code == 2 && std::string(lanes) == "avx2") {
      CHECK_THAT(r.err, Contains("this machine has no avx2"));
      continue;
    }
    REQUIRE(r.code == 0);
    const std::string blocks = p.sql("crates.drub", kMotion);
    if (first.empty()) first = blocks;
    CHECK(blocks.size() > 1000);
    CHECK(blocks == first);
  }
  const Ran wrong = p.run({"run", "crates.toml", "--lanes", "wide"});
  CHECK(wrong.code == 2);
  CHECK_THAT(wrong.err, Contains("none of auto, scalar, sse2, avx2"));
}

TEST_CASE("--stop-at-rest ends with the frame in which the last piece falls asleep") {
  const Program p;
  p.write("crates.toml", kCrates);
  const Ran r = p.run({"run", "crates.toml", "-o", "crates.drub", "--stop-at-rest", "--json"});
  REQUIRE(r.code == 0);
  const json told = json::parse(r.out);
  CHECK_FALSE(told["stopped"].get<bool>());
  const int last = told["last_frame"];
  CHECK(last > 12);
  CHECK(last < 120);
  const json report = json::parse(p.run({"report", "crates.drub", "--json"}).out);
  CHECK(report["asleep"] == 27);
  const json& frames = report["per_frame"];
  CHECK(frames.back()["awake"] == 0);
  CHECK(frames[frames.size() - 2]["awake"] > 0);

  // What is keyed to move later is not at rest.
  p.write("late.toml", std::string(kCrates) + R"(
[[body]]
name = "gate"
box = [0.1, 0.5, 2]
at = [5, 0.3, 0]
role = "kinematic"
[[motion]]
who = "gate"
keys = [{ frame = 100, at = [5, 0.3, 0] }, { frame = 110, at = [6, 0.3, 0] }]
)");
  const Ran late = p.run({"run", "late.toml", "-o", "late.drub", "--stop-at-rest", "--json"});
  REQUIRE(late.code == 0);
  CHECK(json::parse(late.out)["last_frame"] >= 110);
}

TEST_CASE("--stop-when stops after the frame that passes the limit, says by what, and keeps all frames") {
  const Program p;
  p.write("crates.toml", kCrates);
  const Ran r = p.run({"run", "crates.toml", "-o", "crates.drub", "--stop-when", "speed=2", "--json"});
  CHECK(r.code == 3);
  CHECK_THAT(r.err, Contains("stopped as asked at frame"));
  const json told = json::parse(r.out);
  CHECK(told["stopped"].get<bool>());
  CHECK_THAT(told["limit"].get<std::string>(),
             Contains("speed 2.") && Contains("above 2") && Contains("load/"));
  const int last = told["last_frame"];
  CHECK(last == 6);  // 9.81 m/s2 for 5 frames of a 24th: 2.04 m/s
  CHECK(p.sql("crates.drub", "SELECT count(*) FROM frames") == "6\n");
  CHECK_THAT(p.run({"report", "crates.drub"}).out, Contains("stopped"));

  // A limit that nothing passes changes nothing; several may be given.
  const Ran whole = p.run({"run", "crates.toml", "-o", "whole.drub", "--frames", "1-20", "--stop-when",
                           "penetration=0.5", "--stop-when", "contacts=100000"});
  CHECK(whole.code == 0);
  for (const char* wrong : {"speed", "speed=", "speed=fast", "speed=-1", "heat=3", "=3"})
    CHECK(p.run({"run", "crates.toml", "-o", "other.drub", "--stop-when", wrong}).code == 2);
  CHECK_FALSE(std::filesystem::exists(p.folder() / "other.drub"));
}

TEST_CASE("--stats tells where the time went") {
  const Program p;
  p.write("crates.toml", kCrates);
  const Ran r = p.run({"run", "crates.toml", "-o", "crates.drub", "--frames", "1-40", "--stats", "--json"});
  REQUIRE(r.code == 0);
  const json told = json::parse(r.out), stats = told["stats"];
  double sum = 0;
  for (const char* part : {"nearness", "pairs", "impacts", "prepare", "passes", "motion", "guard", "sleep",
                           "other", "setup", "measures", "cache", "between"}) {
    CHECK(stats["seconds"][part] >= 0);
    sum += stats["seconds"][part].get<double>();
  }
  CHECK(sum == Approx(told["seconds"].get<double>()).epsilon(0.05));
  CHECK(stats["seconds"]["pairs"] > 0);
  CHECK(stats["most_awake"] == 27);
  CHECK(stats["substeps"] >= 2 * 39);
  CHECK(stats["internal_steps"] > stats["substeps"]);
  CHECK(stats["hits"] > 0);
  CHECK_THAT(p.run({"run", "crates.toml", "-o", "crates.drub", "--force", "--frames", "1-4", "--stats"}).out,
             Contains("passes") && Contains("internal steps") && Contains("%"));
}
