// SPDX-License-Identifier: Apache-2.0
// Going on where a run stopped, and branching off from it.
#include <signal.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <nlohmann/json.hpp>
#include <thread>

#include "../support/program.h"

using Catch::Contains;
using drubble::test::Program;
using drubble::test::Ran;
using nlohmann::json;

namespace {

// A bonded wall on a quay, and a float thrown at it.
const char* kStruckWall = R"(frames = [1, 40]
seed = 3
[[body]]
name = "quay"
ground = 0
material = "concrete"
[[body]]
name = "wall"
box = [1.2, 1, 0.2]
origin = "base"
at = [0, 0, 0]
material = "brick"
[[cut]]
of = "wall"
pattern = "scatter"
count = 24
[[bond]]
name = "mortar"
among = "wall/*"
strength = 0.4
[[body]]
name = "float"
sphere = 0.2
at = [0, 0.6, 2]
velocity = [0, 0, -14]
density = 900
[[watch]]
name = "rubble"
who = "wall/*"
)";

const char* kFrames =
    "SELECT frame, digest, key_frame, hash, hex(data) FROM frames ORDER BY frame; "
    "SELECT * FROM events ORDER BY rowid; SELECT * FROM bond_breaks ORDER BY rowid; "
    "SELECT * FROM watch_forces";

json told(const Ran& r) {
  INFO(r.err);
  REQUIRE(r.code == 0);
  return json::parse(r.out);
}

void waitFor(const Program& p, const std::string& cache, int frames) {
  for (int i = 0; i < 2000; ++i) {
    const bool begun = std::filesystem::exists(p.path(cache)) &&
                       !p.sql(cache, "SELECT name FROM sqlite_master WHERE name = 'frames'").empty();
    const std::string n = begun ? p.sql(cache, "SELECT COUNT(*) FROM frames") : "";
    if (!n.empty() && std::isdigit(n[0]) && std::stoi(n) >= frames) return;
    std::this_thread::sleep_for(std::chrono::milliseconds(5));
  }
  FAIL("the run did not get to frame " << frames);
}

// Starts a run and kills it once so many frames are there.
void killAt(const Program& p, int frames) {
  const pid_t pid =
      p.start({"run", "wall.toml", "-o", "cut.drub", "--resume", "--checkpoint", "5", "--threads", "1"});
  waitFor(p, "cut.drub", frames);
  kill(pid, SIGKILL);
  Program::waitFor(pid);
}

}  // namespace

TEST_CASE("a run that is killed twice and goes on has the frames of one that was not") {
  const Program p;
  p.write("wall.toml", kStruckWall);
  REQUIRE(p.run({"run", "wall.toml", "-o", "whole.drub"}).code == 0);
  killAt(p, 8);
  killAt(p, 22);
  const json done = told(p.run({"run", "wall.toml", "-o", "cut.drub", "--resume", "--json"}));
  CHECK(done["last_frame"] == 40);
  CHECK(p.sql("cut.drub", kFrames) == p.sql("whole.drub", kFrames));
  CHECK(p.sql("cut.drub", kFrames).size() > 5000);
  CHECK_FALSE(std::filesystem::exists(p.folder() / "cut.drub-lock"));
  CHECK_FALSE(std::filesystem::exists(p.folder() / "cut.drub-wal"));
}

TEST_CASE("past the old end, and with nothing there, --resume goes on as one run would") {
  const Program p;
  p.write("wall.toml", kStruckWall);
  REQUIRE(p.run({"run", "wall.toml", "-o", "whole.drub"}).code == 0);
  REQUIRE(p.run({"run", "wall.toml", "-o", "cut.drub", "--frames", "1-17", "--resume"}).code == 0);
  const json more = told(p.run({"run", "wall.toml", "-o", "cut.drub", "--resume", "--json"}));
  CHECK(more["gone_on_from"] == 17);
  CHECK(p.sql("cut.drub", kFrames) == p.sql("whole.drub", kFrames));
  const Ran again = p.run({"run", "wall.toml", "-o", "cut.drub", "--resume"});
  CHECK(again.code == 0);
  CHECK_THAT(again.out, Contains("nothing to do"));
}

TEST_CASE("a damaged checkpoint is passed over for an older one") {
  const Program p;
  p.write("wall.toml", kStruckWall);
  REQUIRE(p.run({"run", "wall.toml", "-o", "whole.drub"}).code == 0);
  REQUIRE(p.run({"run", "wall.toml", "-o", "cut.drub", "--frames", "1-17", "--checkpoint", "4"}).code == 0);
  p.sql("cut.drub", "UPDATE checkpoints SET data = zeroblob(100) WHERE frame > 9");
  REQUIRE(p.run({"run", "wall.toml", "-o", "cut.drub", "--resume"}).code == 0);
  CHECK(p.sql("cut.drub", kFrames) == p.sql("whole.drub", kFrames));
}

TEST_CASE("a setup or mesh that changed since is noticed, and what changed is said; nothing is lost") {
  const Program p;
  p.write("wall.toml", kStruckWall);
  REQUIRE(p.run({"run", "wall.toml", "-o", "cut.drub", "--frames", "1-10"}).code == 0);
  const std::string before = p.read("cut.drub");
  const Ran r =
      p.run({"run", "wall.toml", "-o", "cut.drub", "--resume", "--set", "bond.mortar.strength=0.2"});
  CHECK(r.code == 2);
  CHECK_THAT(r.err,
             Contains("bond.mortar.strength: 0.4, now 0.2") && Contains("--from") && Contains("frame 10"));
  CHECK(p.read("cut.drub") == before);
  const Ran shorter = p.run({"run", "wall.toml", "-o", "cut.drub", "--resume", "--frames", "1-5"});
  CHECK(shorter.code == 2);
  CHECK_THAT(shorter.err, Contains("frames"));
}

TEST_CASE("--from branches off with changed settings, and leaves what it came from alone") {
  const Program p;
  p.write("wall.toml", kStruckWall);
  REQUIRE(p.run({"run", "wall.toml", "--checkpoint", "4"}).code == 0);
  const std::string before = p.read("out/wall.drub");
  const std::vector<std::string> branch = {"run", "wall.toml", "--from", "3", "--json"};
  const json same = told(p.run(branch));
  CHECK(same["cache"] == "out/wall.001.drub");
  CHECK(p.sql("out/wall.001.drub", kFrames) == p.sql("out/wall.drub", kFrames));

  std::vector<std::string> weaker = branch;
  weaker.insert(weaker.end(), {"--set", "bond.mortar.strength=0.1", "--set", "body.float.density=1800"});
  const json other = told(p.run(weaker));
  CHECK(other["cache"] == "out/wall.002.drub");
  CHECK_THAT(other["notes"][0].get<std::string>(),
             Contains("frame 3") && Contains("bond.mortar.strength: 0.4, now 0.1"));
  const char* upTo = "SELECT digest FROM frames WHERE frame <= 3";
  CHECK(p.sql("out/wall.002.drub", upTo) == p.sql("out/wall.drub", upTo));
  const char* breaks = "SELECT COUNT(*) FROM bond_breaks";
  CHECK(std::stoi(p.sql("out/wall.002.drub", breaks)) > std::stoi(p.sql("out/wall.drub", breaks)));
  CHECK(p.read("out/wall.drub") == before);
  // It may itself be gone on with.
  CHECK(told(p.run({"run", "wall.toml", "-o", "out/wall.002.drub", "--resume", "--frames", "1-50", "--json",
                    "--set", "bond.mortar.strength=0.1", "--set",
                    "body.float.density=1800"}))["last_frame"] == 50);
}

TEST_CASE("what cannot be branched from says why") {
  const Program p;
  p.write("wall.toml", kStruckWall);
  REQUIRE(p.run({"run", "wall.toml", "-o", "wall.drub", "--frames", "1-6"}).code == 0);
  const auto refused = [&](const std::string& from, const std::string& change, const char* why) {
    const Ran r = p.run({"run", "wall.toml", "-o", "to.drub", "--from", from, "--set", change});
    CHECK(r.code == 2);
    CHECK_THAT(r.err, Contains(why));
  };
  refused("wall.drub:9", "seed=3", "holds frames 1 to 6");
  refused("wall.drub:4", "cut.1.count=20", "pieces");
  refused("wall.drub:4", "body.float.sphere=0.3", "the mesh of 'float'");
  refused("wall.drub", "seed=3", "FRAME");
  CHECK_FALSE(std::filesystem::exists(p.folder() / "to.drub"));
}

TEST_CASE("two runs do not write one cache") {
  const Program p;
  p.write("wall.toml", kStruckWall);
  const pid_t pid = p.start({"run", "wall.toml", "-o", "wall.drub", "--frames", "1-100000"});
  waitFor(p, "wall.drub", 60);
  // Frames that are not asked for are there already: that another writes is said before what differs.
  for (const char* how : {"--force", "--resume"}) {
    const Ran r = p.run({"run", "wall.toml", "-o", "wall.drub", "--frames", "1-40", how});
    CHECK(r.code == 2);
    CHECK_THAT(r.err, Contains("another run writes"));
  }
  kill(pid, SIGINT);
  CHECK(Program::waitFor(pid) == 3);
}

TEST_CASE("a cache that is there is refused before anything is made") {
  const Program p;
  p.write("bracket.obj", R"(v 0 0 0
v 1 0 0
v 1 0.2 0
v 0.2 0.2 0
v 0.2 1 0
v 0 1 0
v 0 0 0.5
v 1 0 0.5
v 1 0.2 0.5
v 0.2 0.2 0.5
v 0.2 1 0.5
v 0 1 0.5
f 1 4 3 2
f 1 6 5 4
f 7 8 9 10
f 7 10 11 12
f 1 2 8 7
f 2 3 9 8
f 3 4 10 9
f 4 5 11 10
f 5 6 12 11
f 6 1 7 12
)");
  p.write("bracket.toml", "frames = [1, 2]\n[[body]]\nname = \"bracket\"\nmesh = \"bracket.obj\"\n");
  p.write("once/bracket.drub", "");
  const Ran r = p.run({"run", "bracket.toml", "-o", "once/bracket.drub"});
  CHECK(r.code == 2);
  CHECK_THAT(r.err, Contains("is there already"));
  CHECK_FALSE(std::filesystem::exists(p.path("once/parts")));
  REQUIRE(p.run({"run", "bracket.toml", "-o", "once/bracket.drub", "--force"}).code == 0);
  CHECK(std::filesystem::exists(p.path("once/parts")));
}

TEST_CASE("--versions counts up, and --resume then takes the last") {
  const Program p;
  p.write("wall.toml", kStruckWall);
  for (const char* name : {"out/wall.001.drub", "out/wall.002.drub"})
    CHECK(told(p.run({"run", "wall.toml", "--versions", "--frames", "1-2", "--json"}))["cache"] == name);
  const json r = told(p.run({"run", "wall.toml", "--versions", "--resume", "--frames", "1-4", "--json"}));
  CHECK(r["cache"] == "out/wall.002.drub");
  CHECK(r["last_frame"] == 4);
}

TEST_CASE("a cache is listed and found whole; a damaged frame is named and the rest stays readable") {
  const Program p;
  p.write("wall.toml", kStruckWall);
  REQUIRE(p.run({"run", "wall.toml", "-o", "wall.drub", "--set", "title='a wall'"}).code == 0);
  const Ran whole = p.run({"cache", "wall.drub"});
  CHECK(whole.code == 0);
  CHECK_THAT(whole.out, Contains("'a wall', frames 1 to 40, done") && Contains("all whole"));
  const json listed = told(p.run({"cache", "wall.drub", "--json"}));
  CHECK(listed["whole"] == true);
  CHECK(listed["parts"]["pieces"]["count"] == 26);
  CHECK(listed["checkpoints"] == json({25, 40}));
  CHECK(p.run({"cache", "wall.drub", "--setup"}).out == kStruckWall);

  p.sql("wall.drub", "UPDATE frames SET data = zeroblob(40) WHERE frame = 7");
  const json damaged = json::parse(p.run({"cache", "wall.drub", "--json"}).out);
  CHECK(damaged["lost_frames"] == json({7}));
  CHECK(p.run({"cache", "wall.drub"}).code == 1);
  CHECK_THAT(p.run({"cache", "wall.drub"}).out, Contains("frame 7 is damaged"));
  CHECK(p.run({"report", "wall.drub", "--frame", "8", "--poses", "--json"}).code == 0);

  p.sql("wall.drub", "UPDATE frames SET data = zeroblob(40) WHERE frame = 25");
  const json more = json::parse(p.run({"cache", "wall.drub", "--json"}).out);
  CHECK(more["lost_frames"].size() == 17);
  CHECK_THAT(more["damage"].back().get<std::string>(),
             Contains("frames 26 to 40 cannot be read without frame 25"));
  p.sql("wall.drub", "PRAGMA user_version = 6");
  CHECK_THAT(p.run({"cache", "wall.drub"}).err, Contains("format 6") && Contains("simulate again"));
}

TEST_CASE("a run of fewer frames is the same shot: releases and pours are planned for the whole") {
  const Program p;
  p.write("pour.toml", R"(frames = [1, 40]
[[body]]
name = "quay"
ground = 0
[[body]]
name = "float"
sphere = 0.1
[[body]]
name = "barge"
box = [1, 1, 1]
at = [-6, 0.6, 0]
role = "kinematic"
[[body]]
name = "post"
box = [0.2, 2, 0.2]
origin = "base"
at = [0, 0, 0]
[[motion]]
who = "barge"
keys = [{ frame = 1, at = [-6, 0.6, 0] }, { frame = 30, at = [0, 0.6, 0] }]
release = { before_hit = 2 }
[[pour]]
name = "floats"
copies = { float = 1 }
from = { box = [3, 2, -1, 5, 3, 1] }
count = 30
[[rule]]
name = "late"
who = "post"
when = { frame = 35 }
then = "wake"
)");
  const Ran whole = p.run({"run", "pour.toml", "-o", "whole.drub"});
  INFO(whole.err);
  REQUIRE(whole.code == 0);
  REQUIRE(p.run({"run", "pour.toml", "-o", "cut.drub", "--frames", "1-12"}).code == 0);
  REQUIRE(p.run({"run", "pour.toml", "-o", "cut.drub", "--resume"}).code == 0);
  CHECK(p.sql("cut.drub", kFrames) == p.sql("whole.drub", kFrames));
  CHECK(p.sql("whole.drub", "SELECT COUNT(*) FROM events") != "0\n");
}
