// SPDX-License-Identifier: Apache-2.0
#include "files/setup/setup.h"

#include <catch2/catch.hpp>

#include "core/base/trig.h"
#include "files/setup/build_scene.h"
#include "files/setup/table.h"

using namespace drubble;
using namespace drubble::files;

namespace {

const std::string kBase = R"(
units = "cm"
[material.slate]
like = "granite"
density = 2800
friction = { rest = 0.6, slide = 0.5 }
[[body]]
name = "floor"
ground = -10
[[body]]
name = "tile"
box = [20, 2, 30]
material = "slate"
[[body]]
name = "pebble"
sphere = 3
[[place]]
name = "rows"
copies = { tile = 1, pebble = 3 }
count = [5, 2, 4]
spacing = [40, 40, 40]
at = [0, 0, 0]
vary = { at = [2, 0, 2], turn = [0, 30, 0] }
)";

Setup parsed(const std::string& text, const std::vector<std::string>& overrides = {}) {
  return parseSetup("shot.toml", text, overrides);
}

}  // namespace

TEST_CASE("lengths are turned into metres, degrees into radians") {
  const Setup s = parsed(
      "units = \"ft\"\n[[body]]\nname = \"b\"\nbox = [1, 2, 3]\nat = [10, 0, 0]\nspin = [0, 180, "
      "0]\nvelocity = [1, 0, 0]\n");
  CHECK(s.bodies[0].box.y() == Approx(0.6096));
  CHECK(s.bodies[0].at.x() == Approx(3.048));
  CHECK(s.bodies[0].velocity.x() == Approx(0.3048));
  CHECK(s.bodies[0].spin.y() == Approx(kPi));
}

TEST_CASE("what is not said has the default") {
  const Setup s = parsed("[[body]]\nname = \"b\"\nsphere = 1\n");
  CHECK(s.fps == 24);
  CHECK(s.gravity == vec3(0, -9.81, 0));
  CHECK(s.time_scale == 1);
  CHECK(s.solver.substeps == 0);
  CHECK(s.solver.sleep_after == 0.4);
  CHECK(s.bodies[0].role == world::Role::Dynamic);
  CHECK(s.bodies[0].collide);
}

TEST_CASE("a material takes its preset's values but for what it changes") {
  const Setup s = parsed(kBase);
  const world::Material& m = s.materials.at("slate");
  CHECK(m.density == 2800);
  CHECK(m.friction_rest == 0.6);
  CHECK(m.friction_slide == 0.5);
  CHECK(m.bounce == materialPresets().at("granite").bounce);
}

TEST_CASE("all presets asked for are there and sensible") {
  for (const char* name :
       {"granite", "sandstone", "concrete", "brick", "glass", "ceramic", "oak", "pine", "plywood",
        "cast_iron", "steel", "aluminium", "rubber", "hard_plastic", "ice", "cork", "leather"}) {
    INFO(name);
    REQUIRE(materialPresets().contains(name));
    const world::Material& m = materialPresets().at(name);
    CHECK((m.density > 100 && m.density < 10000));
    CHECK((m.friction_slide > 0 && m.friction_slide <= m.friction_rest && m.friction_rest < 1.5));
    CHECK((m.bounce >= 0 && m.bounce <= 1));
    CHECK(m.given);
  }
}

TEST_CASE(
    "a grid has its copies where they belong, each named, none overlapping, the same for the same seed") {
  const BuiltScene a = buildScene(parsed("seed = 3\n" + kBase)), b = buildScene(parsed("seed = 3\n" + kBase));
  REQUIRE(a.scene.pieces.size() == 1 + 40);
  CHECK(a.scene.pieces[0].name == "floor");
  CHECK(a.scene.pieces[1].name == "rows/0001");
  CHECK(a.scene.pieces[40].name == "rows/0040");
  double lowest = 1e9, left = 1e9, right = -1e9;
  for (std::size_t i = 1; i < a.scene.pieces.size(); ++i) {
    const Vec3& p = a.scene.pieces[i].start.position;
    lowest = least(lowest, p.y());
    left = least(left, p.x());
    right = greatest(right, p.x());
    CHECK(p == b.scene.pieces[i].start.position);
    CHECK(a.scene.pieces[i].prototype == b.scene.pieces[i].prototype);
  }
  CHECK(lowest == Approx(0.2));  // half a cell above the base
  CHECK((left < -0.77 && left > -0.83));
  CHECK((right > 0.77 && right < 0.83));
}

TEST_CASE("adding a place does not reshuffle another") {
  const std::string more =
      "[[place]]\nname = \"first\"\ncopies = { pebble = 1 }\ncount = [3, 1, 1]\nspacing = [10, 10, 10]\nat = "
      "[0, 300, 0]\nvary = { at = [1, 1, 1] }\n";
  const BuiltScene alone = buildScene(parsed("seed = 3\n" + kBase)),
                   both = buildScene(parsed("seed = 3\n" + kBase + more));
  for (std::size_t i = 0; i < alone.scene.pieces.size(); ++i)
    CHECK(alone.scene.pieces[i].start.position == both.scene.pieces[i].start.position);
}

TEST_CASE("weights decide how often a prototype is taken") {
  const BuiltScene s =
      buildScene(parsed("[[body]]\nname = \"a\"\nsphere = 0.1\n[[body]]\nname = \"b\"\nsphere = "
                        "0.1\n[[body]]\nname = \"never\"\nsphere = 0.1\n"
                        "[[place]]\nname = \"p\"\ncopies = { a = 3, b = 1, never = 0 }\ncount = [20, 5, "
                        "20]\nspacing = [1, 1, 1]\n"));
  std::map<std::string, int> count;
  for (std::size_t i = 0; i < s.scene.pieces.size(); ++i) ++count[s.scene.prototypeOf(i).name];
  CHECK(count["a"] + count["b"] == 2000);
  CHECK(count["never"] == 0);
  CHECK(count["a"] == Approx(1500).margin(80));
}

TEST_CASE("copies without room are left out and told") {
  const BuiltScene s =
      buildScene(parsed("[[body]]\nname = \"a\"\nsphere = 0.1\n[[place]]\nname = \"p\"\ncopies = { a = 1 "
                        "}\ncount = [10, 1, 1]\nspacing = [0.15, 1, 1]\n"));
  CHECK(s.scene.pieces.size() == 5);
  REQUIRE(s.notes.size() == 1);
  CHECK(s.notes[0].find("5 of 10 copies found no room") != std::string::npos);
}

TEST_CASE("gap is from edge to edge of the largest copy") {
  const BuiltScene s =
      buildScene(parsed("[[body]]\nname = \"a\"\nbox = [1, 0.5, 2]\n[[place]]\nname = \"p\"\ncopies = { a = "
                        "1 }\ncount = [2, 2, 1]\ngap = [0.1, 0, 0]\n"));
  REQUIRE(s.scene.pieces.size() == 4);
  CHECK((s.scene.pieces[1].start.position - s.scene.pieces[0].start.position).x() == Approx(1.1));
  CHECK((s.scene.pieces[2].start.position - s.scene.pieces[0].start.position).y() == Approx(0.5));
}

TEST_CASE("mass, density and material: the nearest to the body wins") {
  const BuiltScene s =
      buildScene(parsed("[[body]]\nname = \"a\"\nbox = [1, 1, 1]\nmaterial = \"oak\"\n[[body]]\nname = "
                        "\"b\"\nbox = [1, 1, 1]\nat = [3, 0, 0]\nmaterial = \"oak\"\ndensity = 100\n"
                        "[[body]]\nname = \"c\"\nbox = [1, 2, 1]\nat = [6, 0, 0]\nmass = 7\n"));
  CHECK(s.scene.prototypes[0].traits.mass() == Approx(720));
  CHECK(s.scene.prototypes[1].traits.mass() == Approx(100));
  CHECK(s.scene.prototypes[2].traits.mass() == Approx(7));
  CHECK(s.scene.prototypes[2].traits.inertia(1, 1) == Approx(7.0 / 6));
}

TEST_CASE("origin: base puts the body on its place, centre holds it at its centre of mass") {
  const BuiltScene s =
      buildScene(parsed("up = \"z\"\n[[body]]\nname = \"a\"\nbox = [1, 1, 4]\norigin = \"base\"\nat = [0, 0, "
                        "1]\n[[body]]\nname = \"b\"\nsphere = 1\norigin = \"centre\"\nat = [5, 0, 0]\n"));
  CHECK(s.scene.pieces[0].start.position.z() == Approx(3));
  CHECK(s.scene.pieces[1].start.position == vec3(5, 0, 0));
}

TEST_CASE("a switched-off table is as if it were not there") {
  const BuiltScene s = buildScene(parsed(kBase + "enabled = false\n"));
  CHECK(s.scene.pieces.size() == 1);  // tile and pebble exist only as copies
}

TEST_CASE("a solver that is switched off leaves everything on auto, a material is not there") {
  const Setup s = parsed(kBase, {"solver.substeps=8", "solver.enabled=false"});
  CHECK(s.solver.substeps == 0);
  CHECK_THROWS_AS(parsed(kBase, {"material.slate.enabled=false"}), Error);
}

TEST_CASE("overrides set, multiply and reach many tables at once") {
  const Setup s =
      parsed(kBase, {"fps=30", "solver.substeps=8", "body.tile.density=900", "body.*.gravity_share=0.5",
                     "material.slate.density*=2", "body.pebble.material=cork", "title=a slow one"});
  CHECK(s.fps == 30);
  CHECK(s.solver.substeps == 8);
  CHECK(s.bodies[1].density == 900);
  for (const BodySetup& b : s.bodies) CHECK(b.gravity_share == 0.5);
  CHECK(s.materials.at("slate").density == 5600);
  CHECK(s.bodies[2].material == "cork");
  CHECK(s.title == "a slow one");
}

TEST_CASE("the nearest word is found within reason") {
  const std::set<std::string> words{"density", "friction", "bounce", "role"};
  CHECK(nearest("densty", words) == "density");
  CHECK(nearest("dnesity", words) == "density");
  CHECK(nearest("roll", words) == "role");
  CHECK(nearest("xylophone", words) == "");
}
