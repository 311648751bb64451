// SPDX-License-Identifier: Apache-2.0
// A shot that is edited and handed on.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "../support/program.h"

using Catch::Contains;
using drubble::test::Program;
using drubble::test::Ran;
using nlohmann::json;

namespace {

const char* kCrates = R"(frames = [1, 24]
units = "cm"
up = "z"
[[body]]
name = "quay"
ground = 0
material = "concrete"
[[body]]
name = "crate"
box = [40, 30, 35]
material = "pine"
[[place]]
name = "load"
copies = { crate = 1 }
count = [2, 2, 2]
spacing = [65, 65, 60]
at = [0, 0, 50]
vary = { turn = [5, 180, 5] }
)";

std::string made(const Program& p) {
  p.write("crates.toml", kCrates);
  REQUIRE(p.run({"run", "crates.toml", "-o", "crates.drub"}).code == 0);
  return "crates.drub";
}

}  // namespace

TEST_CASE("every kind of file that motion goes to is written, and says what it has") {
  const Program p;
  made(p);
  const auto wrote = [&](std::vector<std::string> more, const std::string& file, const char* says) {
    more.insert(more.begin(), {"export", "crates.drub", "-o"});
    const Ran r = p.run(more);
    INFO(r.err);
    CHECK(r.code == 0);
    CHECK_THAT(r.out, Contains(says));
    CHECK(std::filesystem::file_size(p.path(file)) > 200);
    CHECK_FALSE(std::filesystem::exists(p.path(file + ".part")));
  };
  wrote({"to/crates.usda"}, "to/crates.usda", "9 pieces, frames 1 to 24");
  wrote({"nodes.usda", "--as", "nodes", "--samples", "3"}, "nodes.usda", "9 pieces");
  wrote({"crates.glb", "--frames", "5-20"}, "crates.glb", "frames 5 to 20");
  wrote({"still.glb", "--as", "instances", "--frame", "24"}, "still.glb", "frames 24 to 24");
  wrote({"crates.###.ply", "--step", "8"}, "crates.017.ply", "3 files");
  wrote({"points.####.ply", "--as", "points", "--frame", "7"}, "points.0007.ply", "1 file");
  wrote({"crates.obj", "--frame", "24"}, "crates.obj", "1 file");
  wrote({"crates.csv", "--who", "load/*", "--channels", "position,angles,state"}, "crates.csv", "192 rows");
  wrote({"hits.csv", "--events", "hits"}, "hits.csv", "events");
  wrote({"hits.usda", "--events", "hits", "--gather", "20"}, "hits.usda", "bursts");
  wrote({"hits.###.ply", "--events", "all"}, "hits.012.ply", "events");
  CHECK_THAT(p.read("to/crates.usda"), Contains("upAxis = \"Z\"") && Contains("metersPerUnit = 0.01"));
  CHECK_THAT(p.read("nodes.usda"), Contains("1.3333333333333333: ("));
}

TEST_CASE("what cannot be written is said before anything is") {
  const Program p;
  made(p);
  const auto refused = [&](std::vector<std::string> more, const char* why) {
    more.insert(more.begin(), {"export", "crates.drub", "-o"});
    const Ran r = p.run(more);
    CHECK(r.code == 2);
    CHECK_THAT(r.err, Contains(why));
  };
  refused({"crates.mesh"}, ".usda, .glb, .ply, .obj or .csv");
  refused({"crates.usda", "--as", "points"}, "instances, nodes");
  refused({"crates.glb", "--as", "instances"}, "one frame");
  refused({"crates.ply"}, "row of #");
  refused({"crates.usda", "--frames", "1-99"}, "holds 1 to 24");
  refused({"crates.usda", "--who", "lode/*"}, "did you mean");
  refused({"crates.csv", "--channels", "positon"}, "did you mean 'position'");
  refused({"crates.####.ply", "--samples", "2"}, "--samples");
  CHECK_FALSE(std::filesystem::exists(p.path("crates.usda")));
  CHECK_THAT(p.run({"export", "crates.drub"}).out, Contains("wrote crates.usda"));
  CHECK_THAT(p.run({"export", "crates.drub", "--events", "hits"}).out, Contains("wrote crates.events.csv"));
  CHECK_THAT(p.run({"edit", "crates.drub"}).out, Contains("wrote crates.edited.drub"));
}

TEST_CASE("an edited cache is drawn, reported and handed on as any other, and not gone on with") {
  const Program p;
  made(p);
  const std::string before = p.read("crates.drub");
  const Ran r = p.run({"edit", "crates.drub", "-o", "slow.drub", "--slower", "2", "--frames", "1-20",
                       "--hold-last", "4", "--start-at", "1001", "--freeze", "load/0001@12"});
  INFO(r.err);
  REQUIRE(r.code == 0);
  CHECK_THAT(r.out, Contains("frames 1001 to 1043, 1 piece frozen"));
  CHECK(p.read("crates.drub") == before);
  const json report = json::parse(p.run({"report", "slow.drub", "--json"}).out);
  CHECK(report["frames"] == json({1001, 1043}));
  CHECK(p.run({"cache", "slow.drub"}).code == 0);
  CHECK(p.run({"draw", "slow.drub", "--quick", "--size", "160x100", "-o", "slow.png"}).code == 0);
  CHECK(p.run({"export", "slow.drub", "-o", "slow.usda"}).code == 0);
  const Ran resumed = p.run({"run", "crates.toml", "-o", "slow.drub", "--resume"});
  CHECK(resumed.code == 2);
  CHECK_THAT(resumed.err, Contains("was edited"));
  const Ran itself = p.run({"edit", "crates.drub", "-o", "crates.drub", "--force"});
  CHECK(itself.code == 2);
  CHECK(p.run({"edit", "crates.drub", "-o", "slow.drub"}).code == 2);
  for (const char* times : {"1:1,2", "a", "5:5,3:6"})
    CHECK(p.run({"edit", "crates.drub", "-o", "x.drub", "--times", times}).code == 2);
  CHECK(p.run({"edit", "crates.drub", "-o", "x.drub", "--freeze", "load/*"}).code == 2);
  CHECK_FALSE(std::filesystem::exists(p.path("x.drub")));
}

TEST_CASE("the reader in docs/cache.md reads a cache as the report does") {
  const Program p;
  made(p);
  const std::string python = [] {
    for (const char* name : {"python3", "/usr/bin/python3"})
      if (std::system((std::string(name) + " -c 'import zstandard' 2>/dev/null").c_str()) == 0) return name;
    return "";
  }();
  if (python.empty()) {
    WARN("no Python with zstandard here: the reader of docs/cache.md was not run");
    return;
  }
  const std::string docs = p.read(drubble::test::demoPath("../docs/cache.md"));
  const std::size_t start = docs.find("```python\n") + 10;
  p.write("reader.py",
          docs.substr(start, docs.find("```", start) - start) +
              "\nimport json\nprint(json.dumps({f: read_frame('crates.drub', f) for f in (1, 9, 24)}))\n");
  const std::string command = "cd '" + p.folder().string() + "' && " + python + " reader.py > read.json";
  REQUIRE(std::system(command.c_str()) == 0);
  const json read = json::parse(p.read("read.json"));
  for (const char* frame : {"1", "9", "24"}) {
    const json poses =
        json::parse(p.run({"report", "crates.drub", "--frame", frame, "--poses", "--json"}).out)["poses"];
    CHECK(read[frame].size() == poses.size());
    for (const json& pose : poses) {
      const json& state = read[frame][pose["name"].get<std::string>()];
      for (std::size_t k = 0; k < 3; ++k) {
        CHECK(state[0][k].get<double>() * 100 == Approx(pose["centre"][k].get<double>()).margin(1e-6));
        CHECK(state[2][k].get<double>() * 100 == Approx(pose["velocity"][k].get<double>()).margin(1e-4));
      }
      for (std::size_t k = 0; k < 4; ++k)
        CHECK(state[1][k].get<double>() == Approx(pose["turn"][k].get<double>()).margin(1e-6));
    }
  }
}

TEST_CASE("what is settled is plain geometry too, when asked") {
  const Program p;
  p.write("crates.toml", kCrates);
  const Ran r = p.run({"settle", "crates.toml", "-o", "pile.drub", "--as-mesh", "pile.obj"});
  INFO(r.err);
  REQUIRE(r.code == 0);
  const std::string obj = p.read("pile.obj");
  CHECK_THAT(obj, Contains("g load/0008\n") && Contains("usemtl quay\n"));
  CHECK(p.run({"settle", "crates.toml", "-o", "pile.drub", "--force", "--as-mesh", "pile.usda"}).code == 0);
  CHECK_THAT(p.read("pile.usda"), Contains("def PointInstancer \"still\"") && !Contains("timeSamples"));
  CHECK(p.run({"settle", "crates.toml", "-o", "no.drub", "--as-mesh", "pile.txt"}).code == 2);
  CHECK_FALSE(std::filesystem::exists(p.path("no.drub")));
}
