// SPDX-License-Identifier: Apache-2.0
// Cut bodies through the program: what is written, what stands, what falls apart.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "../support/program.h"

using Catch::Contains;
using drubble::test::Program;
using drubble::test::Ran;
using nlohmann::json;

namespace {

const char* kStone = R"(title = "a cut stone on the quay"
frames = [1, 48]
[[body]]
name = "quay"
ground = 0
[[body]]
name = "stone"
box = [0.6, 0.5, 0.4]
origin = "base"
start = "asleep"
[[cut]]
name = "pieces"
of = "stone"
count = 40
)";

}  // namespace

TEST_CASE("cut tells of closed pieces with their like, and writes them by name") {
  const Program p;
  p.write("stone.toml", kStone);
  const Ran ran = p.run({"cut", "stone.toml", "-o", "stone.obj"});
  CHECK(ran.code == 0);
  CHECK_THAT(ran.out, Contains("stone: 40 pieces") && Contains("closed, and each face has its like"));
  const json j = json::parse(p.run({"cut", "stone.toml", "--set", "cut.pieces.count=25", "--json"}).out);
  CHECK(j["pieces"] == 25);
  CHECK(j["open_edges"] == 0);
  CHECK(j["flipped"] == 0);
  CHECK(j["unpaired_faces"] == 0);
  CHECK(j["volume_error"] < 1e-9);
  CHECK(j["slivers_merged"] == 0);
  CHECK(j["seconds"] > 0);
  CHECK(j["mean_faces_interior"].is_null());  // none of so few lies wholly within
  REQUIRE(j["bodies"].size() == 1);
  CHECK(j["bodies"][0]["body"] == "stone");
  CHECK(j["bodies"][0]["components"] == 1);
  // What is too small goes to a neighbour, which is named; nothing of it is lost.
  const std::vector<std::string> coarse = {"cut", "stone.toml", "--set", "cut.pieces.slivers=0.4"};
  std::vector<std::string> as_json = coarse;
  as_json.push_back("--json");
  const json fewer = json::parse(p.run(as_json).out);
  const json& slivers = fewer["bodies"][0]["slivers"];
  REQUIRE(slivers.size() > 0);
  CHECK(fewer["slivers_merged"] == slivers.size());
  CHECK(fewer["pieces"] == 40 - slivers.size());
  CHECK(fewer["volume_error"] < 1e-9);
  const std::string into = slivers[0]["into"];
  CHECK(slivers[0]["volume"] > 0);
  CHECK_THAT(p.run(coarse).out, Contains("given to stone/") && Contains(into));
  // A line a piece; pictures of them pulled apart; other files.
  CHECK_THAT(p.run({"cut", "stone.toml", "--list"}).out, Contains("stone/0001") && Contains("stone/0040"));
  CHECK(p.run({"cut", "stone.toml", "-o", "stone.glb"}).code == 0);
  CHECK(p.run({"cut", "stone.toml", "-o", "stone.stl"}).code == 2);
  CHECK(p.run({"cut", "stone.toml", "--list", "--json"}).code == 2);
  CHECK(p.run({"draw", "stone.toml", "--show", "pieces", "--section", "z=0", "--quick", "--size", "160x100",
               "-o", "stone.png"})
            .code == 0);
  // What was written is read again as bodies of their own, each closed.
  p.write("again.toml", "frames = [1, 2]\n[[body]]\nname = \"again\"\nmesh = \"stone.obj\"\nsplit = true\n");
  CHECK_THAT(p.run({"check", "again.toml"}).out, Contains("40 pieces"));
  CHECK(p.run({"cut", "again.toml"}).code == 2);
}

TEST_CASE("cut pieces asleep stay where they are until they are hit") {
  const Program p;
  p.write("stone.toml", kStone);
  CHECK(p.run({"run", "stone.toml", "-o", "still.drub"}).code == 0);
  const json still = json::parse(p.run({"report", "still.drub", "--json"}).out);
  CHECK(still["outcome"]["share_moved"] == 0);
  p.write("hit.toml", std::string(kStone) +
                          "[[body]]\nname = \"ball\"\nsphere = 0.15\nat = [1.2, 0.35, 0]\nvelocity = [-9, 0, "
                          "0]\ndensity = 7000\n");
  CHECK(p.run({"run", "hit.toml", "-o", "hit.drub"}).code == 0);
  const json hit = json::parse(p.run({"report", "hit.drub", "--json"}).out);
  CHECK(hit["outcome"]["share_moved"] > 0.3);
}
