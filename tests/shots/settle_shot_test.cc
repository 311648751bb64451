// SPDX-License-Identifier: Apache-2.0
// Settling as a user does it: the command, what it says, and a shot that starts from what it wrote.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "../support/program.h"

using Catch::Matchers::Contains;
using drubble::test::Program;
using drubble::test::Ran;
using nlohmann::json;

namespace {

const std::string kNets = R"(
title = "floats on the quay"
frames = [1, 12]
[[body]]
name = "quay"
ground = 0
[[body]]
name = "float"
ellipsoid = [0.1, 0.08, 0.08]
[[place]]
name = "floats"
copies = { float = 1 }
count = [3, 3, 3]
spacing = [0.22, 0.18, 0.18]
at = [0, 0.1, 0]
vary = { turn = [20, 20, 20] }
)";

}  // namespace

TEST_CASE("settle: writes how all lies, the same with any threads, and a run goes on from it") {
  const Program p;
  p.write("nets.toml", kNets);
  const Ran settled = p.run({"settle", "nets.toml"});
  REQUIRE(settled.code == 0);
  CHECK_THAT(settled.out, Contains("wrote out/nets_settled.drub: 27 pieces at rest from frame"));
  CHECK(p.run({"settle", "nets.toml"}).code == 2);  // it is there
  const json one =
      json::parse(p.run({"settle", "nets.toml", "-o", "a.drub", "--threads", "1", "--json"}).out);
  const json three =
      json::parse(p.run({"settle", "nets.toml", "-o", "b.drub", "--threads", "3", "--json"}).out);
  CHECK(one["rests"] == true);
  CHECK(one["motion_digest"] == three["motion_digest"]);
  p.write("shot.toml", "start_from = { cache = \"out/nets_settled.drub\" }\n" + kNets);
  const Ran checked = p.run({"check", "shot.toml"});  // how it lies pressed is no error
  CHECK(checked.code == 0);
  CHECK_THAT(checked.out, Contains("0 errors"));
  // The same names, but other things.
  p.write("other.toml", "start_from = { cache = \"out/nets_settled.drub\" }\n" + kNets +
                            "[[body]]\nname = \"buoy\"\nsphere = 0.05\n");
  std::string buoys = p.read("other.toml");
  buoys.replace(buoys.find("copies = { float = 1 }"), 22, "copies = { buoy = 1 }");
  p.write("other.toml", buoys);
  CHECK_THAT(p.run({"check", "other.toml"}).out, Contains("27 are copies of another body"));
  p.write("early.toml", "start_from = { cache = \"out/early/nets_settled.drub\" }\n" + kNets);
  CHECK_THAT(p.run({"check", "early.toml"}).err,
             Contains("make it: drubble settle nets.toml -o out/early/nets_settled.drub"));
  const Ran shot = p.run({"run", "shot.toml", "-o", "shot.drub"});
  CHECK(shot.code == 0);
  CHECK_THAT(shot.err, Contains("27 pieces stand where"));
  const json report = json::parse(p.run({"report", "shot.drub", "--json"}).out);
  CHECK(report["rest_frame"] == 1);
  CHECK(report["asleep"] == 27);
  CHECK(report["outcome"]["share_moved"] == 0);
}

TEST_CASE("settle says so when it gives up") {
  const Program p;
  p.write("nets.toml", kNets);
  const Ran r = p.run({"settle", "nets.toml", "--most-frames", "3"});
  CHECK(r.code == 3);
  CHECK_THAT(r.err, Contains("not at rest by frame 4"));
  CHECK_THAT(r.out, Contains("27 still moving: floats/0001"));
}

TEST_CASE("an arrangement is tidied: a piece nudged, some taken away, and only what stood on them moves") {
  const Program p;
  p.write("nets.toml", kNets);
  REQUIRE(p.run({"settle", "nets.toml", "-o", "one.drub"}).code == 0);
  const Ran same = p.run({"settle", "nets.toml", "--again", "one.drub", "-o", "same.drub", "--json"});
  REQUIRE(same.code == 0);
  const json first = json::parse(same.out);
  CHECK(first["pieces"] == 27);
  const Ran dropped = p.run(
      {"settle", "nets.toml", "--again", "one.drub", "--drop", "floats/9*", "-o", "two.drub", "--json"});
  CHECK(dropped.code == 2);  // there is none
  const json two = json::parse(p.run({"settle", "nets.toml", "--again", "one.drub", "--drop", "floats/0001",
                                      "--drop", "floats/0002", "-o", "two.drub", "--json"})
                                   .out);
  CHECK(two["pieces"] == 25);
  CHECK(two["dropped"] == 2);
  CHECK(two["rests"] == true);
  const json three = json::parse(p.run({"settle", "nets.toml", "--again", "two.drub", "--nudge",
                                        "floats/0027=0.3,0.5,0", "-o", "three.drub", "--json"})
                                     .out);
  CHECK(three["pieces"] == 25);
  CHECK(three["rests"] == true);
  CHECK(three["motion_digest"] != two["motion_digest"]);
  CHECK_THAT(p.run({"settle", "nets.toml", "--nudge", "float/0027=0,1,0", "-o", "x.drub"}).err,
             Contains("did you mean 'floats/0027'?"));
  CHECK_THAT(p.run({"settle", "nets.toml", "--nudge", "floats/0027=0,1", "-o", "x.drub"}).err,
             Contains("is not PIECE=X,Y,Z"));
  CHECK_THAT(p.run({"settle", "nets.toml", "--again", "one.drub", "-o", "one.drub", "--force"}).err,
             Contains("would replace it"));
}
