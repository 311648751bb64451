// SPDX-License-Identifier: Apache-2.0
// Forces as a user sees them before a run, and pieces that a rule leaves in mid-air.
#include <catch2/catch.hpp>

#include "../support/program.h"

using Catch::Matchers::Contains;
using drubble::test::Program;
using drubble::test::Ran;

namespace {

const std::string kBlast = R"(
frames = [1, 12]
[[body]]
name = "quay"
ground = 0
[[body]]
name = "crate"
box = [0.5, 0.5, 0.5]
at = [0, 2, 0]
[[force]]
name = "gas"
kind = "blast"
at = [0, 1, 0]
radius = 3
falloff = "linear"
strength = 40
frames = [5, 7]
[[rule]]
name = "stop"
who = "crate"
when = { frame = 8 }
then = "freeze"
)";

}  // namespace

TEST_CASE("a force's field is drawn at the frame in which it acts") {
  const Program p;
  p.write("blast.toml", kBlast);
  const auto draw = [&](const char* frame) {
    return p.run({"draw", "blast.toml", "--show", "forces", "--frame", frame, "--quick", "--size", "320x200",
                  "-o", "gas.png"});
  };
  CHECK(draw("6").code == 0);
  const Ran early = draw("2");
  CHECK(early.code == 2);
  CHECK_THAT(early.err, Contains("no force of 'blast.toml' has a field in frame 2"));
}

TEST_CASE("what a rule leaves in mid-air is named at the end") {
  const Program p;
  p.write("blast.toml", kBlast);
  const Ran r = p.run({"run", "blast.toml", "-o", "a.drub"});
  CHECK(r.code == 0);
  CHECK_THAT(r.err, Contains("1 piece rests in mid-air at the end, like 'crate'"));
  CHECK_THAT(p.run({"report", "a.drub"}).out, Contains("in mid-air"));
}
