// SPDX-License-Identifier: Apache-2.0
// Joints from a setup's text to a scene, what check says of them, and what a cache keeps.
#include <catch2/catch.hpp>

#include <filesystem>

#include "core/base/trig.h"
#include "core/world/joining.h"
#include "files/cache/reader.h"
#include "files/check.h"
#include "files/simulate.h"

using namespace drubble;
using namespace drubble::files;
using Catch::Matchers::Contains;

namespace {

const char* kSlip = R"(units = "cm"
frames = [1, 12]
[[body]]
name = "post"
box = [20, 200, 20]
at = [0, 100, 0]
role = "static"
[[body]]
name = "gate"
box = [100, 80, 5]
at = [60, 100, 0]
turn = [0, 30, 0]
[[body]]
name = "weight"
sphere = 6
at = [100, 20, 0]
)";

const char* kHinge = R"([[joint]]
name = "pin"
kind = "hinge"
a = "gate"
b = "post"
at = [10, 100, 0]
axis = [0, 2, 0]
limits = [-10, 80]
friction = 3
motor = { speed = { keys = [[1, 0], [9, 45]], ease = "hold" }, strength = 20 }
breaks_at = { torque = 500 }
)";

BuiltScene buildSlip(const std::string& joints) {
  return buildScene(parseSetup("slip.toml", kSlip + joints));
}

// Everything that is wrong, in one text.
std::string wrong(const std::string& joints) {
  try {
    buildSlip(joints);
  } catch (const Error& e) {
    std::string all;
    for (const Problem& p : e.problems()) all += p.message + "\n";
    return all;
  }
  return {};
}

std::string rope(const std::string& more) {
  return "[[joint]]\nname = \"line\"\nkind = \"rope\"\na = \"weight\"\na_at = [100, 26, 0]\nb = \"post\"\n"
         "b_at = [0, 200, 0]\n" +
         more;
}

}  // namespace

TEST_CASE("a hinge of the setup is held where it says, in degrees and the setup's units") {
  const BuiltScene b = buildSlip(kHinge);
  REQUIRE(b.scene.joints.size() == 1);
  const world::SceneJoint& j = b.scene.joints[0];
  CHECK(j.joint.kind == solve::JointKind::Hinge);
  CHECK(j.joint.low == Approx(-10 * kDegree));
  CHECK(j.joint.high == Approx(80 * kDegree));
  CHECK(j.joint.friction == 3);
  CHECK(j.joint.motor_strength == 20);
  CHECK(j.motor_speed.at(10, Vec3::Zero()).x() == Approx(45 * kDegree));
  CHECK(j.joint.breaks_torque == 500);
  CHECK_FALSE(j.collide);
  for (const solve::JointSide& side : {j.joint.a, j.joint.b}) {
    const Pose p = b.scene.pieces[side.piece.index()].start;
    CHECK((p.toWorld(side.at) - vec3(0.1, 1, 0)).norm() < 1e-12);
    CHECK((p.turn * side.frame * Vec3::UnitX() - Vec3::UnitY()).norm() < 1e-12);
  }
}

TEST_CASE("a rope is as long as it lies unless it says otherwise, and runs over its points") {
  const BuiltScene plain = buildSlip(rope(""));
  CHECK(plain.scene.joints[0].joint.length == Approx(std::hypot(1.0, 1.74)));
  CHECK(plain.scene.joints[0].collide);
  const BuiltScene led = buildSlip(
      rope("over = [{ at = [100, 250, 0] }, { of = \"gate\", at = [60, 140, 0] }]\nlength = 600\n"));
  const solve::Joint& j = led.scene.joints[0].joint;
  REQUIRE(j.over.size() == 2);
  CHECK_FALSE(j.over[0].piece.valid());
  CHECK(led.scene.pieces[j.over[1].piece.index()].name == "gate");
  CHECK(j.length == 6);
}

TEST_CASE("what is wrong with a joint is said, with what to do") {
  CHECK_THAT(wrong("[[joint]]\nname = \"x\"\na = \"gate\"\nat = [0, 0, 0]\n"),
             Contains("a joint needs kind ="));
  CHECK_THAT(wrong("[[joint]]\nkind = \"fixed\"\na = \"gate\"\nat = [0, 0, 0]\n"),
             Contains("every joint needs a name"));
  CHECK_THAT(wrong("[[joint]]\nname = \"x\"\nkind = \"hinge\"\na = \"gate\"\nat = [0, 0, 0]\n"),
             Contains("a hinge needs axis"));
  CHECK_THAT(
      wrong("[[joint]]\nname = \"x\"\nkind = \"slider\"\na = \"gate\"\nat = [0, 0, 0]\naxis = [0, 0, 0]\n"),
      Contains("the axis is [0, 0, 0]"));
  CHECK_THAT(
      wrong("[[joint]]\nname = \"x\"\nkind = \"hinge\"\na = \"gate\"\nat = [0, 0, 0]\naxis = [1, 0, 0]\n"
            "limits = [10, 20]\n"),
      Contains("must have 0 between them"));
  CHECK_THAT(wrong("[[joint]]\nname = \"x\"\nkind = \"fixed\"\na = \"gate\"\nb = \"gate\"\nat = [0, 0, 0]\n"),
             Contains("holds 'gate' to itself"));
  CHECK_THAT(wrong("[[joint]]\nname = \"x\"\nkind = \"fixed\"\na = \"*\"\nat = [0, 0, 0]\n"),
             Contains("'a' of joint 'x' takes 3 pieces"));
  CHECK_THAT(
      wrong("[[joint]]\nname = \"x\"\nkind = \"spring\"\na = \"gate\"\na_at = [0, 0, 0]\nb_at = [0, 1, 0]\n"),
      Contains("a spring needs stiffness"));
  CHECK_THAT(wrong(rope("stiffness = 3\n")), Contains("stiffness"));
  CHECK_THAT(wrong(std::string(kHinge) + kHinge), Contains("the name 'pin' is used twice"));
  CHECK_THAT(
      wrong("[[joint]]\nname = \"x\"\nkind = \"spring\"\na = \"gate\"\na_at = [0, 0, 0]\nb_at = [0, 1, 0]\n"
            "stiffness = { keys = [[5, 1], [5, 2]] }\n"),
      Contains("must go up by frame"));
}

TEST_CASE("check finds ropes that are too short, ends in the wrong place, and joints that hold nothing") {
  const auto says = [](const std::string& joints) {
    const Setup s = parseSetup("slip.toml", kSlip + joints);
    std::string all;
    for (const Finding& f : checkScene(s, buildScene(s)))
      if (f.kind == "joint") all += f.message + "\n";
    return all;
  };
  CHECK(says(kHinge).empty());
  CHECK_THAT(says(rope("length = 100\n")), Contains("100 cm long and its ends are 200.7 apart"));
  CHECK_THAT(says("[[joint]]\nname = \"x\"\nkind = \"ball\"\na = \"weight\"\nat = [1, 0.2, 0]\n"),
             Contains("outside 'weight'"));
  CHECK_THAT(says("[[joint]]\nname = \"x\"\nkind = \"fixed\"\na = \"post\"\nat = [0, 100, 0]\n"),
             Contains("holds nothing"));
}

TEST_CASE("a cache keeps joints, what they bore and where they broke") {
  const auto folder = std::filesystem::temp_directory_path() / "drubble_joints_test";
  std::filesystem::create_directories(folder);
  RunOptions options;
  options.cache_path = (folder / "slip.drub").string();
  options.force = true;
  simulate(parseSetup("slip.toml", kSlip + rope("breaks_at = { force = 5 }\n") + kHinge), options);
  {
    CacheReader cache(options.cache_path);
    REQUIRE(cache.joints().size() == 2);
    CHECK(cache.joints()[0].kind == solve::JointKind::Rope);
    CHECK(cache.joints()[0].points.size() == 2);
    CHECK(cache.joints()[1].limits.size() == 2);
    const std::vector<CachedJointBreak> broken = cache.jointBreaks();
    REQUIRE(broken.size() == 1);  // the weight of 0.9 kg hangs from it
    CHECK(broken[0].joint == 0);
    CHECK(broken[0].force > 5);
    const std::vector<CachedJointLoad> loads = cache.jointLoads(6);
    REQUIRE(loads.size() >= 1);
    CHECK(loads.back().joint == 1);
    CHECK(loads.back().force == Approx(0.04 * 1000 * 9.81).epsilon(0.2));
  }
  std::filesystem::remove_all(folder);
}
