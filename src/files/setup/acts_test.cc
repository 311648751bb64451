// SPDX-License-Identifier: Apache-2.0
// Selectors, adjustments, groups, motion and pair rules, from a setup's text to a scene.
#include <catch2/catch.hpp>

#include <filesystem>
#include <fstream>
#include <set>

#include "core/base/trig.h"
#include "core/measure/fit.h"
#include "core/world/prototypes.h"
#include "files/check.h"
#include "files/setup/select.h"
#include "files/setup/test_problems.h"

using namespace drubble;
using namespace drubble::files;

namespace {

const char* kYard = R"(units = "cm"
frames = [1, 24]
[material.soft]
rolling = 0.02
[select]
eggs = { of = "mix/*", from = "egg" }
others = { of = "mix/*", except = "@eggs" }
low = { of = "mix/**", inside = { box = [-100, 0, -100, 100, 30, 100] } }
first = { of = "mix/*", nearest = [-1000, 0, -1000] }
on_shelf = { of = "mix/*", touching = "shelf" }
outer = { of = "mix/*", outermost = true }
[[body]]
name = "shelf"
box = [200, 10, 200]
at = [0, -5, 0]
role = "static"
[[body]]
name = "egg"
ellipsoid = [8, 6, 6]
[[body]]
name = "crate"
box = [12, 12, 12]
[[place]]
name = "mix"
copies = { egg = 1, crate = 1 }
count = [3, 3, 3]
spacing = [20, 20, 20]
at = [0, -4, 0]
)";

BuiltScene buildYard(const std::string& text) { return buildScene(parseSetup("yard.toml", text)); }

std::vector<PieceId> taken(const std::string& selector) {
  const Setup s = parseSetup("yard.toml", kYard);
  const BuiltScene b = buildScene(s);
  std::vector<Problem> problems;
  return Selecting(s, b, problems).take(selector);
}

}  // namespace

TEST_CASE("a star stays within a step of the path, two stars do not") {
  CHECK(matchesName("deck/*", "deck/0001"));
  CHECK_FALSE(matchesName("deck/*", "deck/0001/lid"));
  CHECK(matchesName("deck/**", "deck/0001/lid"));
  CHECK(matchesName("deck/*/lid", "deck/0001/lid"));
  CHECK_FALSE(matchesName("deck", "deck/0001"));
  CHECK(matchesName("**", "deck/0001/lid"));
  CHECK(matchesName("de*k/0*1", "deck/0001"));
}

TEST_CASE("selections narrow what they take") {
  const std::size_t eggs = taken("@eggs").size(), others = taken("@others").size();
  CHECK(eggs + others == 27);
  CHECK(eggs > 3);
  CHECK(others > 3);
  CHECK(taken("@low").size() == 18);  // rows at 6 and 26 cm of 6, 26, 46
  CHECK(taken("@first").size() == 1);
  CHECK(taken("@outer").size() < 27);
  CHECK(taken("@outer").size() >= 8);
  for (const PieceId p : taken("@on_shelf")) CHECK(p.index() >= 1);
  CHECK(taken("@on_shelf").size() <= 9);
  CHECK_FALSE(taken("@on_shelf").empty());
  CHECK(taken("nothing").empty());
  CHECK_THROWS_AS(taken("@nothing"), Error);
}

TEST_CASE("adjustments change what they take and share a prototype; later ones win") {
  const BuiltScene b = buildYard(std::string(kYard) + R"([[adjust]]
who = "@eggs"
density = 500
colour = "#ff0000"
[[adjust]]
who = "mix/*"
start = "held"
wake_above = 300
material = "soft"
)");
  std::set<PrototypeId> prototypes;
  for (std::size_t i = 1; i < b.scene.pieces.size(); ++i) {
    const world::Piece& p = b.scene.pieces[i];
    CHECK(p.start_state == world::Start::Held);
    CHECK(p.wake_above == Approx(3.0));
    CHECK(b.scene.materialOf(i).rolling == 0.02);
    prototypes.insert(p.prototype);
    const world::Prototype& t = b.scene.prototypeOf(i);
    if (t.name == "egg")
      CHECK(t.traits.mass() == Approx(t.volume * 1000));  // a new material weighs as it does
    if (t.name == "egg") CHECK(t.colour[0] == 1.0);
  }
  CHECK(prototypes.size() == 2);
}

TEST_CASE("a group adds up its parts' masses and shapes") {
  const BuiltScene b = buildYard(R"([[body]]
name = "bar"
box = [1, 0.2, 0.2]
density = 500
[[body]]
name = "ball"
sphere = 0.2
[[group]]
name = "hammer"
joined = true
at = [0, 3, 0]
parts = [{ of = "bar", name = "shaft" }, { of = "ball", at = [0.6, 0, 0] }]
)");
  REQUIRE(b.scene.pieces.size() == 1);
  const world::Prototype& p = b.scene.prototypeOf(0);
  const double bar = 0.04 * 500, ball = 4.0 / 3 * kPi * 0.008 * 1000;
  CHECK(p.traits.mass() == Approx(bar + ball));
  CHECK(b.scene.pieces[0].start.position.x() == Approx(0.6 * ball / (bar + ball)));
  CHECK(p.shape.kind == shape::Kind::Joined);
  CHECK(p.shape.parts->size() == 2);
  CHECK(p.exact_shape);
}

TEST_CASE("motion leads the body's origin; keys of static bodies are told of") {
  const Setup s = parseSetup("m.toml", R"(frames = [1, 25]
[[body]]
name = "ram"
box = [1, 1, 1]
origin = "base"
at = [0, 2, 0]
role = "kinematic"
[[body]]
name = "post"
box = [1, 1, 1]
at = [9, 0, 0]
role = "static"
[[motion]]
who = "ram"
keys = [{ frame = 1, at = [0, 2, 0] }, { frame = 25, at = [4, 2, 0], turn = [0, 90, 0] }]
[[motion]]
who = "post"
keys = [{ frame = 1, at = [0, 0, 0] }, { frame = 9, at = [1, 0, 0] }]
)");
  const BuiltScene b = buildScene(s);
  REQUIRE(b.scene.movers.size() == 1);
  const Pose end = b.scene.moverPose(b.scene.movers[0], 25);
  CHECK((end.position - vec3(4, 2.5, 0)).norm() < 1e-12);
  CHECK(absolute(turnBetween(Quat::Identity(), end.turn).y() - kPi / 2) < 1e-9);
  bool told = false;
  for (const Finding& f : checkScene(s, b)) told = told || f.kind == "keys";
  CHECK(told);
}

TEST_CASE("what goes with another stands to it as it stood, and is released with it") {
  const std::string text = R"(frames = [1, 25]
[[body]]
name = "raft"
box = [2, 0.2, 2]
origin = "base"
at = [0, 2, 0]
turn = [0, 30, 0]
role = "kinematic"
[[body]]
name = "mast"
box = [0.2, 3, 0.2]
origin = "base"
at = [0.5, 2.2, 0]
role = "kinematic"
[[motion]]
who = "mast"
with = "raft"
[[motion]]
who = "raft"
keys = [{ frame = 1, at = [0, 2, 0] }, { frame = 25, at = [4, 3, 0], turn = [10, 90, 5] }]
release = { frame = 20 }
)";
  const BuiltScene b = buildScene(parseSetup("m.toml", text));
  REQUIRE(b.scene.movers.size() == 2);
  const world::Mover &raft = b.scene.movers[0], &mast = b.scene.movers[1];
  CHECK(mast.release_frame == 20);
  const Pose raft_first = b.scene.moverPose(raft, 1), mast_first = b.scene.moverPose(mast, 1);
  CHECK((mast_first.position - Vec3(0.5, 3.7, 0)).norm() < 1e-12);
  for (const double frame : {7.5, 25.0}) {
    const Pose r = b.scene.moverPose(raft, frame), m = b.scene.moverPose(mast, frame);
    CHECK((r.toBody(m.position) - raft_first.toBody(mast_first.position)).norm() < 1e-9);
  }
  const auto said = [&](const std::string& from, const std::string& to) {
    std::string other = text;
    other.replace(other.find(from), from.size(), to);
    return oneProblemOf(other);
  };
  CHECK_THAT(said("with = \"raft\"", "with = \"rafd\""), Catch::Contains("did you mean 'raft'?"));
  CHECK_THAT(said("with = \"raft\"", "with = \"mast\""), Catch::Contains("no [[motion]] moves"));
  CHECK_THAT(said("with = \"raft\"", "with = \"raft\"\nwobble = { at = [1, 0, 0] }"),
             Catch::Contains("of its own"));
}

TEST_CASE("an eased mover that is slow when it is released is told of") {
  const auto findings = [](const char* ease) {
    const Setup s = parseSetup("m.toml", std::string(R"(frames = [1, 25]
[[body]]
name = "ram"
box = [1, 1, 1]
role = "kinematic"
[[motion]]
who = "ram"
keys = [{ frame = 1, at = [0, 2, 0] }, { frame = 20, at = [4, 2, 0] }]
release = { frame = 19 }
ease = )") + ease + "\n");
    int n = 0;
    for (const Finding& f : checkScene(s, buildScene(s))) n += f.kind == "eased";
    return n;
  };
  CHECK(findings("\"linear\"") == 0);
  CHECK(findings("\"smooth\"") == 1);
}

TEST_CASE("auto finds the cheapest shape that fits a mesh") {
  const auto kindOf = [](const mesh::TriangleMesh& m) {
    const double size = m.bounds().size().maxCoeff();
    double lost;
    return measure::cheapestShape(m, 0.01 * size, 64, lost).kind;
  };
  CHECK(kindOf(mesh::sphereMesh(0.3)) == shape::Kind::Sphere);
  CHECK(kindOf(mesh::transformed(mesh::sphereMesh(1), vec3(0.5, 0.3, 0.4), {})) == shape::Kind::Ellipsoid);
  CHECK(kindOf(mesh::capsuleMesh(0.1, 0.4, Vec3::UnitX())) == shape::Kind::Capsule);
  CHECK(kindOf(mesh::cylinderMesh(0.2, 0.7, Vec3::UnitZ())) == shape::Kind::Cylinder);
  double lost = 1;
  CHECK(measure::cheapestShape(mesh::boxMesh(vec3(1, 2, 3)), 0.02, 64, lost).convex->vertices.size() == 8);
}

TEST_CASE("an OBJ file's groups become bodies of their own, with their full names") {
  const std::filesystem::path folder = std::filesystem::temp_directory_path() / "drubble_split_test";
  std::filesystem::create_directories(folder);
  std::ofstream obj(folder / "two.obj");
  for (int k = 0; k < 2; ++k) {
    obj << "o stave no. " << k + 1 << "\n";
    for (const Vec3& v : mesh::boxMesh(Vec3::Ones()).vertices)
      obj << "v " << v.x() + 2 * k << " " << v.y() << " " << v.z() << "\n";
    for (const mesh::Triangle& t : mesh::boxMesh(Vec3::Ones()).triangles)
      obj << "f " << t[0] + 1 + 8 * k << " " << t[1] + 1 + 8 * k << " " << t[2] + 1 + 8 * k << "\n";
  }
  obj.close();
  const Setup s = parseSetup((folder / "s.toml").string(),
                             "[[body]]\nname = \"cask\"\nmesh = \"two.obj\"\nsplit = true\n");
  const BuiltScene b = buildScene(s);
  REQUIRE(b.scene.pieces.size() == 2);
  CHECK(b.scene.pieces[0].name == "cask/stave no. 1");
  CHECK(b.scene.pieces[1].name == "cask/stave no. 2");
  CHECK(b.scene.pieces[1].start.position.x() == Approx(2.0));
  CHECK(b.scene.prototypeOf(1).volume == Approx(1.0));
  std::filesystem::remove_all(folder);
}

TEST_CASE("a hull of few corners says what it loses") {
  const mesh::TriangleMesh ball = mesh::sphereMesh(1, 24);
  double few = 0, many = 0, all = 0;
  CHECK(world::hullWithin(ball.vertices, 16, few).convex->vertices.size() <= 16);
  CHECK(world::hullWithin(ball.vertices, 64, many).convex->vertices.size() <= 64);
  world::hullWithin(ball.vertices, 4000, all);
  CHECK(few > many);
  CHECK(few < 0.5);
  CHECK(many < 0.12);
  CHECK(all == 0);
}
