// SPDX-License-Identifier: Apache-2.0
// Machines: the derrick of the demo, and slowed shots that stay the same event.
#include <catch2/catch.hpp>
#include <cmath>
#include <nlohmann/json.hpp>

#include "../support/program.h"

using drubble::test::Program;
using drubble::test::Ran;
using nlohmann::json;

TEST_CASE("the derrick: its fall parts, the net drops on the quay, and all comes to rest") {
  const Program p;
  const Ran ran = p.run({"run", drubble::test::demoPath("derrick.toml"), "-o", "derrick.drub"});
  REQUIRE(ran.code == 0);
  CHECK_THAT(ran.out, Catch::Matchers::Contains("asked for most"));
  const json j = json::parse(p.run({"report", "derrick.drub", "--json"}).out);
  const json& fall = j["joints"]["fall"]["broke"];
  REQUIRE(!fall.is_null());
  CHECK(fall["frame"] > 24);
  CHECK(fall["force"] > 7900);
  for (const char* name : {"slew", "lift", "sling_1", "sling_2", "sling_3", "sling_4"})
    CHECK(j["joints"][name]["broke"].is_null());
  CHECK(j["joints"]["lift"]["force"]["worst"] < 40000);
  CHECK(j["drift"] < 0.001);
  CHECK(j["asleep"] == 11);
  CHECK(j["penetration"]["worst_share"] < 0.01);
  const json poses =
      json::parse(p.run({"report", "derrick.drub", "--frame", "144", "--poses", "--json"}).out)["poses"];
  for (const json& piece : poses)
    if (piece["name"].get<std::string>().substr(0, 7) == "crates/") CHECK(piece["position"][1] < 1.5);
}
