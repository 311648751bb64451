// SPDX-License-Identifier: Apache-2.0
// The built program on files, as a user drives it.
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <nlohmann/json.hpp>
#include <thread>

#include "../support/program.h"

using Catch::Contains;
using drubble::test::Program;
using drubble::test::Ran;
using nlohmann::json;

namespace {

// Crates and floats dropped on a quay: a bit of everything that moves.
const char* kQuay = R"(title = "crates on the quay"
frames = [1, 30]
seed = 5
[material.wet_pine]
like = "pine"
friction = { rest = 0.45, slide = 0.35 }
[[body]]
name = "quay"
ground = 0
material = "concrete"
[[body]]
name = "crate"
box = [0.4, 0.3, 0.35]
material = "wet_pine"
[[body]]
name = "float"
sphere = 0.12
material = "hard_plastic"
damping = { spin = 0.5 }
[[place]]
name = "load"
copies = { crate = 2, float = 1 }
count = [3, 4, 2]
spacing = [0.5, 0.5, 0.5]
at = [0, 0.1, 0]
vary = { at = [0.03, 0.02, 0.03], turn = [10, 180, 10] }
[[camera]]
name = "shot"
at = [3, 2, 4]
look = [0, 0.5, 0]
)";

json reportOf(const Program& p, const std::string& cache) {
  const Ran r = p.run({"report", cache, "--json"});
  REQUIRE(r.code == 0);
  return json::parse(r.out);
}

void waitForFrames(const Program& p, const std::string& cache, int frames) {
  for (int i = 0; i < 600; ++i) {
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
    if (!std::filesystem::exists(p.folder() / cache)) continue;
    const Ran r = p.run({"report", cache, "--json"});
    if (r.code == 0 && static_cast<int>(json::parse(r.out)["per_frame"].size()) >= frames) return;
  }
  FAIL("the run did not get to frame " << frames);
}

}  // namespace

TEST_CASE("the demo at 60 frames: nothing sinks in, nothing is lost, the names are there") {
  const Program p;
  const Ran run = p.run(
      {"run", drubble::test::demoPath("floats.toml"), "--frames", "1-60", "-o", "floats.drub", "--json"});
  REQUIRE(run.code == 0);
  const json done = json::parse(run.out);
  const json r = reportOf(p, "floats.drub");
  CHECK(done["motion_digest"] == r["motion_digest"]);
  CHECK(r["pieces"] == 302);
  CHECK(r["frames"] == json({1, 60}));
  CHECK(r["penetration"]["worst_share"].get<double>() < 0.02);
  CHECK(r["strays"].size() < 15);
  CHECK(r["drift"].get<double>() < 0.01);
  CHECK(r["per_frame"].size() == 60);
  CHECK(r.contains("rest_frame"));
  CHECK(r["outcome"]["first_hit"]["frame"].get<int>() < 10);
  CHECK(r["outcome"]["share_moved"].get<double>() > 0.95);
  for (const char* name : {"jitter", "asleep", "seconds", "simulated_seconds", "state", "units"})
    CHECK(r.contains(name));
}

TEST_CASE("the whole demo: at rest in the basket or named as strays, nothing sunk in, nothing shivers") {
  const Program p;
  REQUIRE(p.run({"run", drubble::test::demoPath("floats.toml"), "-o", "floats.drub"}).code == 0);
  const json r = reportOf(p, "floats.drub");
  CHECK(r["rest_frame"].is_number());
  CHECK(r["strays"].size() < 15);  // 5 %
  CHECK(r["penetration"]["worst_share"].get<double>() < 0.02);
  CHECK(r["jitter"]["worst"].get<double>() < 0.001);
#ifdef NDEBUG  // half a minute is asked for; a busy machine gets twice that
  CHECK(r["seconds"].get<double>() < 60);
#endif
  const json poses =
      json::parse(p.run({"report", "floats.drub", "--frame", "144", "--poses", "--json"}).out)["poses"];
  for (const json& q : poses) {
    const std::string name = q["name"];
    if (name.rfind("floats/", 0) != 0 || std::count(r["strays"].begin(), r["strays"].end(), name) > 0)
      continue;
    INFO(name);
    const double x = q["centre"][0], y = q["centre"][1], z = q["centre"][2];
    CHECK(std::sqrt(x * x + z * z) < 0.42);
    CHECK(y > 0.03);
  }
}

TEST_CASE("any number of threads gives the same frame blocks") {
  const Program p;
  p.write("quay.toml", kQuay);
  std::string alone;
  for (const char* threads : {"1", "2", "3"}) {
    REQUIRE(p.run({"run", "quay.toml", "-o", "quay.drub", "--force", "--threads", threads}).code == 0);
    const std::string blocks =
        p.sql("quay.drub", "SELECT frame, digest, hash, hex(data) FROM frames ORDER BY frame");
    if (alone.empty()) alone = blocks;
    CHECK(blocks.size() > 1000);
    CHECK(blocks == alone);
  }
  for (const char* wrong : {"-1", "1000", "two"})
    CHECK(p.run({"run", "quay.toml", "-o", "other.drub", "--threads", wrong}).code == 2);
}

TEST_CASE("what rolls away for ever is a stray, and neither fastest nor in the way of rest") {
  const Program p;
  p.write("roll.toml", R"(frames = [1, 60]
keep_inside = { box = [-1, -1, -1, 1, 2, 1] }
[material.hard]
rolling = 0
[[body]]
name = "floor"
ground = 0
material = "hard"
[[body]]
name = "runaway"
sphere = 0.1
at = [0, 0.1, 0]
velocity = [2, 0, 0]
material = "hard"
[[body]]
name = "crate"
box = [0.2, 0.2, 0.2]
at = [0, 0.15, 0.5]
)");
  REQUIRE(p.run({"run", "roll.toml", "-o", "roll.drub"}).code == 0);
  const json r = reportOf(p, "roll.drub");
  CHECK(r["strays"] == json({"runaway"}));
  CHECK(r["rest_frame"].is_number());
  CHECK(r["per_frame"].back()["fastest_piece"] == "crate");
}

TEST_CASE("the same setup twice: the same motion and the same frame blocks") {
  const Program p;
  p.write("quay.toml", kQuay);
  REQUIRE(p.run({"run", "quay.toml", "-o", "a.drub"}).code == 0);
  REQUIRE(p.run({"run", "quay.toml", "-o", "b.drub"}).code == 0);
  const std::string query = "SELECT frame, digest, hash, hex(data) FROM frames ORDER BY frame";
  const std::string a = p.sql("a.drub", query);
  CHECK(a == p.sql("b.drub", query));
  REQUIRE(p.run({"run", "quay.toml", "-o", "c.drub", "--set", "seed=6"}).code == 0);
  CHECK(a != p.sql("c.drub", query));
}

TEST_CASE("a killed run leaves every committed frame, readable while it grew") {
  const Program p;
  p.write("quay.toml", kQuay);
  const pid_t pid = p.start({"run", "quay.toml", "--frames", "1-100000", "-o", "long.drub"});
  waitForFrames(p, "long.drub", 20);
  CHECK(p.run({"draw", "long.drub", "--quick", "--size", "160x100", "-o", "growing.png"}).code == 0);
  kill(pid, SIGKILL);
  CHECK(Program::waitFor(pid) == 128 + SIGKILL);
  const json r = reportOf(p, "long.drub");
  CHECK(r["state"] == "running");
  const int last = r["frames"][1];
  CHECK(last >= 20);
  const Ran poses = p.run({"report", "long.drub", "--frame", std::to_string(last), "--poses", "--json"});
  REQUIRE(poses.code == 0);
  CHECK(json::parse(poses.out)["poses"].size() == r["pieces"]);
  // What is there is what an undisturbed run has.
  REQUIRE(p.run({"run", "quay.toml", "--frames", "1-20", "-o", "short.drub"}).code == 0);
  CHECK(reportOf(p, "short.drub")["motion_digest"] == r["per_frame"][19]["motion_digest"]);
}

TEST_CASE("Ctrl-C stops at a whole frame, exits with 3 and leaves one file") {
  const Program p;
  p.write("quay.toml", kQuay);
  const pid_t pid = p.start({"run", "quay.toml", "--frames", "1-100000", "-o", "long.drub"});
  waitForFrames(p, "long.drub", 5);
  kill(pid, SIGINT);
  CHECK(Program::waitFor(pid) == 3);
  CHECK_THAT(p.read("stdout.txt") + p.read("stderr.txt"), !Contains("error"));
  CHECK_FALSE(std::filesystem::exists(p.folder() / "long.drub-wal"));
  const json r = reportOf(p, "long.drub");
  CHECK(r["state"] == "stopped");
  CHECK(r["per_frame"].size() >= 5);
}

TEST_CASE("a full disk: the frames written so far are kept, and the message says how far it got") {
  const Program p;
  p.write("quay.toml", kQuay);
  const std::string disk = p.path("disk");
  std::filesystem::create_directories(disk);
  // A small file system of our own needs rights that not every machine gives: a limit on the file's size does
  // as well.
  const std::string command = "cd '" + p.folder().string() +
                              "' && ulimit -f 2500 && trap '' XFSZ && '" DRUBBLE_PROGRAM
                              "' run quay.toml --frames 1-100000 -o full.drub 2> full.txt";
  const int status = std::system(("bash -c \"" + command + "\"").c_str());
  CHECK(WEXITSTATUS(status) == 3);
  CHECK_THAT(p.read("full.txt"), Contains("full.drub") && Contains("stopped after frame"));
  const json r = reportOf(p, "full.drub");
  CHECK(r["per_frame"].size() > 5);
}

TEST_CASE("nothing is overwritten without --force") {
  const Program p;
  p.write("quay.toml", kQuay);
  REQUIRE(p.run({"run", "quay.toml", "--frames", "1-3"}).code == 0);
  const std::string before = p.read("out/quay.drub");
  const Ran again = p.run({"run", "quay.toml", "--frames", "1-3"});
  CHECK(again.code == 2);
  CHECK_THAT(again.err, Contains("out/quay.drub") && Contains("--force"));
  CHECK(p.read("out/quay.drub") == before);
  CHECK(p.run({"run", "quay.toml", "--frames", "1-4", "--force"}).code == 0);
  CHECK(reportOf(p, "out/quay.drub")["frames"] == json({1, 4}));
}

TEST_CASE("poses are in the setup's units and about the body's own origin") {
  const Program p;
  p.write("drop.toml",
          "units = \"cm\"\nframes = [1, 25]\n[[body]]\nname = \"stone\"\nbox = [10, 20, 30]\nat = [100, 500, "
          "0]\nvelocity = [50, 0, 0]\n");
  REQUIRE(p.run({"run", "drop.toml"}).code == 0);
  const Ran r = p.run({"report", "out/drop.drub", "--frame", "25", "--poses", "--json"});
  const json stone = json::parse(r.out)["poses"][0];
  CHECK(stone["name"] == "stone");
  CHECK(stone["position"][0].get<double>() == Approx(150).epsilon(1e-9));
  CHECK(stone["position"][1].get<double>() == Approx(500 - 0.5 * 981).epsilon(1e-6));
  CHECK(stone["velocity"][1].get<double>() == Approx(-981).epsilon(1e-6));
  CHECK(stone["state"] == "awake");
}

TEST_CASE("the origin of a mesh body is its mesh's, its centre the centre of mass") {
  const Program p;
  // A box from 0 to 1: its origin is a corner.
  p.write("block.obj",
          "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nv 0 0 1\nv 1 0 1\nv 0 1 1\nv 1 1 1\n"
          "f 1 3 4 2\nf 5 6 8 7\nf 1 2 6 5\nf 3 7 8 4\nf 1 5 7 3\nf 2 4 8 6\n");
  p.write("block.toml",
          "gravity = 0\nframes = [1, 25]\n[[body]]\nname = \"b\"\nmesh = \"block.obj\"\nat = [2, 0, 0]\nspin "
          "= [0, 90, 0]\n");
  REQUIRE(p.run({"run", "block.toml"}).code == 0);
  const json b =
      json::parse(p.run({"report", "out/block.drub", "--frame", "25", "--poses", "--json"}).out)["poses"][0];
  CHECK(b["centre"][0].get<double>() == Approx(2.5).margin(1e-6));
  CHECK(b["position"][0].get<double>() == Approx(2).margin(1e-4));
  CHECK(b["position"][2].get<double>() == Approx(1).margin(1e-4));  // a quarter turn about the centre
}

TEST_CASE("time scale: the same event, slower") {
  const Program p;
  p.write("drop.toml", "frames = [1, 25]\n[[body]]\nname = \"s\"\nsphere = 0.1\nvelocity = [1, 0, 0]\n");
  REQUIRE(p.run({"run", "drop.toml", "--set", "time_scale=0.5"}).code == 0);
  const json s =
      json::parse(p.run({"report", "out/drop.drub", "--frame", "25", "--poses", "--json"}).out)["poses"][0];
  CHECK(s["position"][0].get<double>() == Approx(0.5));
  CHECK(s["position"][1].get<double>() == Approx(-0.5 * 9.81 * 0.25).epsilon(1e-6));
}

TEST_CASE("what falls past all that is fixed is a stray; what hangs below it is none") {
  const Program p;
  p.write("hung.toml", R"(frames = [1, 30]
[[body]]
name = "beam"
box = [1, 0.1, 0.1]
at = [0, 2, 0]
role = "static"
[[body]]
name = "lamp"
sphere = 0.1
at = [0.3, 1, 0]
velocity = [0, 0, 1]
[[joint]]
name = "rope"
kind = "rope"
a = "lamp"
a_at = [0.3, 1.1, 0]
b = "beam"
b_at = [0.3, 1.95, 0]
[[body]]
name = "dropped"
sphere = 0.1
at = [-0.3, 2.5, 0.2]
)");
  REQUIRE(p.run({"run", "hung.toml"}).code == 0);
  const json r = reportOf(p, "out/hung.drub");
  CHECK(r["strays"] == json({"dropped"}));
  CHECK(r["per_frame"].back()["fastest_piece"] == "lamp");
}

TEST_CASE("z up, gravity as a vector, keep_inside and strays") {
  const Program p;
  p.write("z.toml",
          "up = \"z\"\nframes = [1, 30]\nkeep_inside = { box = [-2, -2, -1, 2, 2, 3] }\n"
          "[[body]]\nname = \"floor\"\nground = 0\n[[body]]\nname = \"lost\"\nsphere = 0.1\nat = [1, 0, "
          "0.5]\nvelocity = [3, 0, 0]\n"
          "[[body]]\nname = \"kept\"\nbox = [0.2, 0.2, 0.2]\nat = [0, 0, 0.1]\n");
  REQUIRE(p.run({"run", "z.toml"}).code == 0);
  const json r = reportOf(p, "out/z.drub");
  CHECK(r["strays"] == json({"lost"}));
  CHECK(r["rest_frame"].get<int>() <= 2);
  const Ran text = p.run({"report", "out/z.drub"});
  CHECK_THAT(text.out, Contains("strays       1") && Contains("lost"));
}

TEST_CASE("check: overlaps worst first, a plugged basket, exit code 1; clean, exit code 0") {
  const Program p;
  p.write(
      "over.toml",
      "[[body]]\nname = \"a\"\nbox = [1, 1, 1]\n[[body]]\nname = \"b\"\nbox = [1, 1, 1]\nat = [0.9, 0, 0]\n"
      "[[body]]\nname = \"c\"\nbox = [1, 1, 1]\nat = [-0.7, 0, 0]\n");
  const Ran over = p.run({"check", "over.toml"});
  CHECK(over.code == 1);
  CHECK(over.out.find("'a' and 'c' overlap at the start by 0.3 m") <
        over.out.find("'a' and 'b' overlap at the start by 0.1 m"));
  const Ran plugged =
      p.run({"check", drubble::test::demoPath("floats.toml"), "--set", "body.basket.shape=hull", "--json"});
  CHECK(plugged.code == 1);
  const json finding = json::parse(plugged.out)["findings"][0];
  CHECK(finding["kind"] == "plugged");
  CHECK(finding["amount"].get<double>() > 0.97);  // a hull of 64 corners
  const Ran clean = p.run({"check", drubble::test::demoPath("floats.toml"), "--list"});
  CHECK(clean.code == 0);
  CHECK_THAT(clean.out, Contains("basket") && Contains("0 errors, 0 warnings"));
}

TEST_CASE("pictures: stills, a sheet, frames, a setup before any run; all PNG of the asked size") {
  const Program p;
  p.write("quay.toml", kQuay);
  REQUIRE(p.run({"run", "quay.toml", "--frames", "1-12"}).code == 0);
  const auto size = [&](const std::string& name) {
    const std::string png = p.read(name);
    REQUIRE(png.substr(1, 3) == "PNG");
    const auto number = [&](std::size_t at) {
      int x = 0;
      for (std::size_t k = 0; k < 4; ++k) x = x * 256 + static_cast<unsigned char>(png[at + k]);
      return x;
    };
    return std::pair{number(16), number(20)};
  };
  CHECK(p.run({"draw", "out/quay.drub", "--size", "320x200", "--samples", "1", "--camera", "shot"}).code ==
        0);
  CHECK(size("out/quay_0012.png") == std::pair{320, 200});
  CHECK(p.run({"draw", "out/quay.drub", "--size", "640x400", "--samples", "1", "--sheet", "4", "--colour",
               "speed"})
            .code == 0);
  CHECK(size("out/quay_sheet.png").first > 600);
  CHECK(p.run({"draw", "out/quay.drub", "--size", "160x100", "--frames", "1-12", "--every", "4", "--quick",
               "-o", "frames"})
            .code == 0);
  CHECK(size("frames/0009.png") == std::pair{160, 100});
  CHECK_FALSE(std::filesystem::exists(p.folder() / "frames/0002.png"));
  CHECK(p.run({"draw", "quay.toml", "--size", "160x100", "--samples", "1", "-o", "start.png"}).code == 0);
  CHECK(size("start.png") == std::pair{160, 100});
}

TEST_CASE("help and version go to stdout and exit with 0") {
  const Program p;
  CHECK_THAT(p.run({"--version"}).out, Contains("drubble "));
  const Ran help = p.run({"--help"});
  CHECK(help.code == 0);
  for (const char* command : {"run", "report", "draw", "check", "demo"}) {
    CHECK_THAT(help.out, Contains(command));
    const Ran own = p.run({command, "--help"});
    CHECK(own.code == 0);
    CHECK_THAT(own.out, Contains("usage: drubble " + std::string(command)));
    CHECK(own.err.empty());
  }
  CHECK_THAT(p.run({"demo"}).out, Contains("floats"));
}
