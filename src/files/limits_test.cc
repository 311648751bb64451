// SPDX-License-Identifier: Apache-2.0
#include "files/limits.h"

#include <catch2/catch.hpp>

#include "../../tests/support/stage.h"

using namespace drubble;
using namespace drubble::files;
using drubble::test::Stage;

TEST_CASE("a limit is a known measure and a number") {
  const Limit l = parseLimit("penetration=0.05");
  CHECK(l.measure == "penetration");
  CHECK(l.most == 0.05);
  CHECK(parseLimit("contacts=1e3").most == 1000);
  for (const char* wrong : {"", "=", "penetration", "penetration=", "penetration=5%", "depth=1", "speed=-0.1",
                            "speed=nan", "speed=inf", "speed=1 2", " speed=1"}) {
    INFO(wrong);
    CHECK_THROWS_AS(parseLimit(wrong), Error);
  }
  for (const char* name : {"penetration", "speed", "contacts", "substeps", "seconds"})
    CHECK(limitNames().find(name) != std::string::npos);
}

TEST_CASE(
    "a passed limit is told with frame, value and piece, in the setup's units; the first given comes first") {
  Stage s;
  s.box(Vec3::Ones(), Vec3::Zero(), vec3(0.2, 0, 0));
  s.sphere(0.1, vec3(5, 0, 0), vec3(0, 0, 3));
  measure::Penetration depth;
  depth.worst_share = 0.02;
  depth.a = PieceId{0};
  depth.b = PieceId{1};
  world::FrameStats stats;
  stats.frame = 12;
  stats.contacts = 40;
  stats.substeps = 8;
  const auto passed = [&](const std::vector<Limit>& limits, double unit = 1) {
    return passedLimit(limits, {s.world(), stats, depth, 7.5, unit});
  };
  CHECK(passed({}).empty());
  CHECK(passed({{"speed", 3}, {"penetration", 0.02}, {"contacts", 40}, {"substeps", 8}, {"seconds", 7.5}})
            .empty());
  CHECK(passed({{"speed", 2.9}}) == "frame 12: speed 3 is above 2.9: 'p1'");
  CHECK(passed({{"speed", 290}}, 0.01) == "frame 12: speed 300 is above 290: 'p1'");
  CHECK(passed({{"penetration", 0.019}}) == "frame 12: penetration 0.02 is above 0.019: 'p0' into 'p1'");
  CHECK(passed({{"contacts", 39}}) == "frame 12: contacts 40 is above 39");
  CHECK(passed({{"substeps", 4}, {"contacts", 1}}).find("substeps 8") != std::string::npos);
  CHECK(passed({{"seconds", 7}}).find("seconds 7.5") != std::string::npos);
}
