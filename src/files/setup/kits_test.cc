// SPDX-License-Identifier: Apache-2.0
// Groups of loose and jointed parts, from a setup's text to a scene.
#include <catch2/catch.hpp>

#include "core/base/trig.h"
#include "core/world/joining.h"
#include "files/check.h"
#include "files/setup/build_scene.h"
#include "files/setup/select.h"

using namespace drubble;
using namespace drubble::files;

namespace {

const std::string kChest = R"(units = "cm"
[[body]]
name = "quay"
ground = 0
[[body]]
name = "chest"
box = [80, 40, 50]
origin = "base"
density = 600
[[body]]
name = "lid"
box = [80, 6, 50]
origin = "base"
density = 600
velocity = [0, 10, 0]
[[group]]
name = "lidded"
parts = [{ of = "chest" }, { of = "lid", at = [0, 41, 0], name = "top" }]
)";

const std::string kGroupHinge = R"([[group.joints]]
name = "hinge"
kind = "hinge"
a = "top"
b = "chest"
at = [0, 40, -25]
axis = [1, 0, 0]
limits = [-110, 0]
)";

BuiltScene buildChest(const std::string& more) { return buildScene(parseSetup("quay.toml", kChest + more)); }

std::size_t pieceOf(const BuiltScene& b, const std::string& name) {
  for (std::size_t i = 0; i < b.scene.pieces.size(); ++i)
    if (b.scene.pieces[i].name == name) return i;
  FAIL("there is no piece " << name);
  return 0;
}

}  // namespace

TEST_CASE("a group that nothing copies stands once, with its parts where they belong") {
  const BuiltScene b =
      buildChest("at = [100, 0, 0]\nturn = [0, 90, 0]\nvelocity = [0, 0, 50]\nspin = [0, 0, 90]\n");
  REQUIRE(b.scene.pieces.size() == 3);
  const world::Piece &chest = b.scene.pieces[pieceOf(b, "lidded/chest")],
                     &top = b.scene.pieces[pieceOf(b, "lidded/top")];
  CHECK((chest.start.position - Vec3(1, 0.2, 0)).norm() < 1e-12);
  CHECK((top.start.position - Vec3(1, 0.44, 0)).norm() < 1e-12);
  CHECK(top.start.turn.angularDistance(turnXyz({0, kPi / 2, 0})) < 1e-12);
  // As one body about its centre of mass, and the lid's own on top.
  const double centre = (40 * 0.2 + 6 * 0.44) / 46, spin = kPi / 2;
  CHECK((chest.velocity - Vec3(-spin * (0.2 - centre), 0, 0.5)).norm() < 1e-12);
  CHECK((top.velocity - Vec3(-spin * (0.44 - centre), 0.1, 0.5)).norm() < 1e-12);
  CHECK((top.spin - Vec3(0, 0, spin)).norm() < 1e-12);
}

TEST_CASE("a group's origin may be its centre of mass or the middle of its base") {
  const auto height = [](const std::string& origin) {
    const BuiltScene b = buildChest("at = [0, 100, 0]\norigin = \"" + origin + "\"\n");
    return b.scene.pieces[pieceOf(b, "lidded/chest")].start.position.y();
  };
  CHECK(height("mesh") == Approx(1.2));
  CHECK(height("base") == Approx(1.2));
  CHECK(height("centre") == Approx(1 + 0.2 - (40 * 0.2 + 6 * 0.44) / 46));
}

TEST_CASE("copies of a group keep their parts' places, names and joints, however they are turned") {
  const BuiltScene b = buildChest(kGroupHinge + R"([[place]]
name = "stores"
copies = { lidded = 1 }
count = [2, 1, 3]
gap = [40, 0, 60]
vary = { turn = [0, 180, 0] }
)");
  REQUIRE(b.scene.pieces.size() == 13);
  REQUIRE(b.scene.joints.size() == 6);
  for (int n = 1; n <= 6; ++n) {
    const std::string copy = "stores/000" + std::to_string(n);
    INFO(copy);
    const std::size_t chest = pieceOf(b, copy + "/chest"), top = pieceOf(b, copy + "/top");
    const Pose &lower = b.scene.pieces[chest].start, &upper = b.scene.pieces[top].start;
    CHECK(lower.position.y() == Approx(0.2));  // it stands on the layout's base
    CHECK((lower.toBody(upper.position) - Vec3(0, 0.24, 0)).norm() < 1e-12);
    CHECK(lower.turn.angularDistance(upper.turn) < 1e-12);
    const world::SceneJoint& j = b.scene.joints[static_cast<std::size_t>(n - 1)];
    CHECK(j.name == copy + "/hinge");
    CHECK(j.joint.a.piece == PieceId(top));
    CHECK(j.joint.b.piece == PieceId(chest));
    CHECK((j.joint.b.at - Vec3(0, 0.2, -0.25)).norm() < 1e-12);
    CHECK((j.joint.b.frame * Vec3::UnitX() - Vec3::UnitX()).norm() < 1e-12);
    CHECK((upper.toWorld(j.joint.a.at) - lower.toWorld(j.joint.b.at)).norm() < 1e-12);
    CHECK_FALSE(j.collide);
  }
}

TEST_CASE("a copy of which one part finds no room is left out whole") {
  const BuiltScene b = buildChest(R"([[body]]
name = "beam"
box = [20, 4, 200]
at = [0, 45, 0]
role = "static"
[[place]]
name = "stores"
copies = { lidded = 1 }
count = [3, 1, 1]
gap = [20, 0, 20]
)");
  // The middle one's lid would be in the beam.
  CHECK(b.scene.pieces.size() == 2 + 4);
  CHECK(b.group_copies.size() == 2);
  REQUIRE(b.notes.size() == 1);
  CHECK(b.notes[0].find("1 of 3 copies found no room") != std::string::npos);
  CHECK(b.notes[0].find("'beam'") != std::string::npos);
}

TEST_CASE("a selection takes what a group's copies are made of") {
  const std::string text = kChest + R"([[place]]
name = "stores"
copies = { lidded = 1, chest = 1 }
count = [4, 1, 4]
gap = [20, 0, 20]
[select.with_lids]
from = "lidded"
)";
  const Setup s = parseSetup("quay.toml", text);
  const BuiltScene b = buildScene(s);
  std::vector<Problem> problems;
  Selecting selecting(s, b, problems);
  CHECK(selecting.take("@with_lids").size() == 2 * b.group_copies.size());
  CHECK(b.group_copies.size() > 2);
  CHECK(b.group_copies.size() < 14);
}

TEST_CASE("check says once what is wrong with a joint of many copies") {
  std::string hinge = kGroupHinge;
  hinge.replace(hinge.find("[0, 40, -25]"), 12, "[0, 40, -925]");
  const std::string text = kChest + hinge + R"([[place]]
name = "stores"
copies = { lidded = 1 }
count = [3, 1, 1]
gap = [20, 0, 20]
)";
  const Setup s = parseSetup("quay.toml", text);
  std::vector<std::string> said;
  for (const Finding& f : checkScene(s, buildScene(s)))
    if (f.kind == "joint") said.push_back(f.message);
  REQUIRE(said.size() == 2);  // of each of its two ends
  for (const std::string& m : said) {
    CHECK(m.find("joint 'stores/0001/hinge'") != std::string::npos);
    CHECK(m.find("(so are those of 2 more)") != std::string::npos);
  }
}
