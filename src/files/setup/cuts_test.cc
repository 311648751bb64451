// SPDX-License-Identifier: Apache-2.0
// Cut bodies, from a setup's text to a scene.
#include <catch2/catch.hpp>
#include <filesystem>
#include <set>

#include "core/measure/fit.h"
#include "core/mesh/mass.h"
#include "files/cuts.h"
#include "files/setup/build_scene.h"
#include "files/setup/select.h"
#include "files/test_folder.h"

using namespace drubble;
using namespace drubble::files;

namespace {

const std::string kBody = R"(units = "cm"
[[body]]
name = "quay"
ground = 0
[[body]]
name = "stone"
box = [80, 40, 50]
origin = "base"
at = [0, 10, 0]
turn = [0, 90, 0]
spin = [0, 90, 0]
density = 2500
)";

const std::string kCut = "[[cut]]\nof = \"stone\"\ncount = 30\n";

BuiltScene buildQuay(const std::string& more) { return buildScene(parseSetup("quay.toml", kBody + more)); }

std::string whyNot(const std::string& more) {
  try {
    buildQuay(more);
  } catch (const Error& e) {
    return e.what();
  }
  return "";
}

}  // namespace

TEST_CASE("a cut body stands where it would, in pieces with its mass and its motion") {
  const BuiltScene whole = buildQuay(""), b = buildQuay(kCut);
  REQUIRE(b.cuts.size() == 1);
  REQUIRE(b.cuts[0].count == 30);
  REQUIRE(b.scene.pieces.size() == 31);
  CHECK(b.scene.pieces[1].name == "stone/0001");
  CHECK(b.scene.pieces[30].name == "stone/0030");
  double mass = 0;
  Vec3 sum = Vec3::Zero();
  Box box;
  for (std::size_t i = 1; i < b.scene.pieces.size(); ++i) {
    const world::Piece& p = b.scene.pieces[i];
    const world::Prototype& proto = b.scene.prototypeOf(i);
    mass += proto.traits.mass();
    sum += proto.traits.mass() * p.start.position;
    for (const Vec3& v : proto.mesh.vertices) box.add(p.start.toWorld(v));
    CHECK(proto.exact_shape);  // pieces of a box are convex
    const Vec3 arm = p.start.position - whole.scene.pieces[1].start.position;
    CHECK((p.velocity - whole.scene.pieces[1].spin.cross(arm)).norm() < 1e-9);
  }
  CHECK(mass == Approx(0.8 * 0.4 * 0.5 * 2500));
  CHECK((sum / mass - whole.scene.pieces[1].start.position).norm() < 1e-9);
  CHECK((box.low - vec3(-0.25, 0.1, -0.4)).norm() < 1e-9);
  CHECK((box.high - vec3(0.25, 0.5, 0.4)).norm() < 1e-9);
}

TEST_CASE("what a cut came to is measured anew: closed, paired, the whole volume") {
  const BuiltScene b =
      buildQuay(kCut + "grain = [1, 3, 1]\nmore = [{ sphere = [20, 0, 0, 10], count = 12 }]\n");
  const CutReport r = reportOn(b, b.cuts[0]);
  CHECK(r.pieces == 42);
  CHECK(r.open_edges == 0);
  CHECK(r.flipped_edges == 0);
  CHECK(r.unpaired_faces == 0);
  CHECK(r.volume_error < 1e-9);
  CHECK(r.islands == 1);
  CHECK(r.mean_faces > 3);
  CHECK(r.least_volume <= r.median_volume);
  CHECK(r.median_volume <= r.most_volume);
  CHECK_FALSE(r.mean_faces_interior.has_value());
}

TEST_CASE("copies of a cut body are cut alike and named by copy and piece") {
  const BuiltScene b =
      buildQuay(kCut + "[[place]]\nname = \"stack\"\ncopies = { stone = 1 }\ncount = [1, 3, 1]\n");
  REQUIRE(b.scene.pieces.size() == 91);
  CHECK(b.scene.prototypes.size() == 31);
  CHECK(b.scene.pieces[1].name == "stack/0001/0001");
  CHECK(b.scene.pieces[31].name == "stack/0002/0001");
  CHECK(b.scene.pieces[1].prototype.value == b.scene.pieces[31].prototype.value);
  const Setup s = parseSetup("quay.toml", kBody + kCut + "[select.broken]\nof = \"**\"\nfrom = \"stone\"\n");
  const BuiltScene stands = buildScene(s);
  std::vector<Problem> problems;
  Selecting selecting(s, stands, problems);
  CHECK(selecting.take("@broken").size() == 30);
  CHECK(problems.empty());
}

TEST_CASE("a seed is one cut; another cut's seed changes nothing") {
  const auto places = [](const BuiltScene& b) {
    std::vector<double> out;
    for (const world::Piece& p : b.scene.pieces) out.push_back(p.start.position.x());
    return out;
  };
  const std::string other =
      "[[body]]\nname = \"slab\"\nbox = [9, 9, 9]\nat = [300, 0, 0]\n[[cut]]\nof = \"slab\"\ncount = 3\nseed "
      "= ";
  const auto stone = [&](const std::string& seed) {
    std::vector<double> all = places(buildQuay(kCut + other + seed));
    all.resize(31);
    return all;
  };
  CHECK(stone("1") == stone("2"));
  CHECK(places(buildQuay(kCut + "seed = 1\n")) != places(buildQuay(kCut + "seed = 2\n")));
}

TEST_CASE("an impact cuts a pane finely where it struck") {
  const BuiltScene b = buildScene(parseSetup("pane.toml", R"(
[[body]]
name = "pane"
box = [1, 1, 0.01]
[[cut]]
of = "pane"
pattern = "impact"
at = [0.2, 0.1, 0]
rays = 9
rings = 5
)"));
  const CutReport r = reportOn(b, b.cuts[0]);
  CHECK(r.pieces > 25);
  CHECK(r.open_edges + r.flipped_edges + r.unpaired_faces == 0);
  double near = 0, near_count = 0, far = 0, far_count = 0;
  for (std::size_t i = 0; i < b.scene.pieces.size(); ++i) {
    const double away = (b.scene.pieces[i].start.position - vec3(0.2, 0.1, 0)).norm();
    if (away < 0.15) near += b.scene.prototypeOf(i).volume, ++near_count;
    if (away > 0.4) far += b.scene.prototypeOf(i).volume, ++far_count;
  }
  REQUIRE(near_count >= 5);
  CHECK(far / far_count > 4 * near / near_count);
  CHECK(b.notes.empty());
}

TEST_CASE("a pane that is to be struck where it is not: that is said, and in which space places are") {
  const BuiltScene b = buildScene(parseSetup("pane.toml", R"(
units = "cm"
[[body]]
name = "pane"
box = [100, 100, 1]
at = [0, 150, 0]
[[cut]]
of = "pane"
pattern = "impact"
at = [20, 160, 30]
)"));
  REQUIRE(b.notes.size() == 1);
  CHECK(b.notes[0] ==
        "cut 'pane': it strikes beside 'pane', at [20, 160, 30]; that reaches from [-50, -50, -0.5] to "
        "[50, 50, 0.5]: places are in the body's own space");
}

TEST_CASE("cuts that cannot be are refused with what is wrong") {
  CHECK(whyNot("[[cut]]\nof = \"ston\"\ncount = 3\n") ==
        "cut 'ston': no body is called 'ston'; did you mean 'stone'?");
  CHECK(whyNot("[[cut]]\nof = \"quay\"\ncount = 3\n") ==
        "cut 'quay': 'quay' is no solid that could be cut: name a body with a mesh or a box, cylinder and "
        "the like");
  CHECK(whyNot(kCut + "[[cut]]\nname = \"again\"\nof = \"stone\"\ncount = 3\n") ==
        "cut 'again': 'stone' is cut already, in line 13; its pieces are called 'stone/*'");
  CHECK(whyNot(kCut + "[[cut]]\nof = \"stone/9*\"\ncount = 3\n") ==
        "cut 'stone/9*': it takes none of the 30 pieces of 'stone', which are called 'stone/0001' and so on");
  CHECK(whyNot("[[cut]]\nof = \"stone/0001\"\ncount = 3\n") ==
        "cut 'stone/0001': no table above cuts 'stone', so that it has no pieces");
  CHECK(whyNot("[[cut]]\nof = \"stone\"\n") == "cut 'stone' needs count: about how many pieces it makes");
  CHECK(whyNot(kCut + "more = [{ sphere = [900, 0, 0, 1], count = 1 }]\n") ==
        "cut 'stone': a cut finds no room for its sites: they are to stand where the mesh is not");
  CHECK_FALSE(whyNot(kCut + "rays = 3\n").empty());
}

TEST_CASE("pieces cut again are called after the piece, and fit their neighbours") {
  const BuiltScene b = buildQuay(kCut + "[[cut]]\nof = [\"stone/0003\", \"stone/001*\"]\ncount = 4\n");
  const CutReport r = reportOn(b, b.cuts[0]);
  CHECK(r.pieces == 30 - 11 + 44);
  CHECK(r.open_edges + r.flipped_edges + r.unpaired_faces == 0);
  CHECK(r.volume_error < 1e-9);
  std::set<std::string> names;
  for (const world::Piece& p : b.scene.pieces) names.insert(p.name);
  CHECK(names.contains("stone/0002"));
  CHECK_FALSE(names.contains("stone/0003"));
  CHECK(names.contains("stone/0003/0001"));
  CHECK(names.contains("stone/0019/0004"));
  // Within a box: only those whose middle lies there.
  const BuiltScene some =
      buildQuay(kCut + "[[cut]]\nof = \"stone/*\"\ncount = 3\nwithin = [0, -99, -99, 99, 99, 99]\n");
  for (std::uint32_t k = 0; k < some.cuts[0].count; ++k) {
    const std::string name = some.scene.prototypes[some.cuts[0].first + k].name;
    const bool again = std::count(name.begin(), name.end(), '/') == 2;
    const double x = mesh::massProperties(some.meshes[some.cuts[0].first + k]).centre.x();
    if (!again) CHECK(x < 0);
  }
}

TEST_CASE("bricks, slabs and given places, with room between") {
  const BuiltScene wall =
      buildQuay("[[cut]]\nof = \"stone\"\npattern = \"bricks\"\nsize = [20, 10, 0]\ngap = 0.5\n");
  const CutReport r = reportOn(wall, wall.cuts[0]);
  CHECK(r.pieces == 2 * 4 + 2 * 5);
  CHECK(r.interfaces == 0);
  CHECK(r.gap == Approx(0.005));
  CHECK(r.volume_error < 1e-9);
  const BuiltScene slabs =
      buildQuay("[[cut]]\nof = \"stone\"\npattern = \"parallel\"\ncount = 5\nacross = [1, 0, 0]\n");
  REQUIRE(slabs.cuts[0].count == 5);
  for (std::uint32_t k = 0; k < 5; ++k)
    CHECK(slabs.meshes[slabs.cuts[0].first + k].bounds().size().x() == Approx(0.16));
  CHECK(whyNot("[[cut]]\nof = \"stone\"\npattern = \"bricks\"\n").starts_with("cut 'stone' needs size ="));
  CHECK(whyNot("[[cut]]\nof = \"stone\"\npattern = \"points\"\nfile = \"nowhere.csv\"\n") ==
        "cut 'stone': nowhere.csv: cannot read the places: no such file, or no permission");
}

TEST_CASE("rough breaks are seen and written, and not felt") {
  const BuiltScene plain = buildQuay(kCut),
                   rough =
                       buildQuay(kCut + "rough = { amount = 1, grain = 6 }\ninside_colour = \"#ff0000\"\n");
  REQUIRE(rough.scene.prototypes.size() == plain.scene.prototypes.size());
  for (std::uint32_t k = plain.cuts[0].first; k < plain.cuts[0].first + plain.cuts[0].count; ++k) {
    const world::Prototype &a = plain.scene.prototypes[k], &b = rough.scene.prototypes[k];
    CHECK(a.traits.mass() == b.traits.mass());
    CHECK(a.shape.convex->vertices == b.shape.convex->vertices);
    CHECK(b.mesh.triangles.size() > a.mesh.triangles.size());
    CHECK(b.inside.size() == b.mesh.triangles.size());
    CHECK(b.inside_colour == std::array<double, 3>{1, 0, 0});
  }
  const CutReport r = reportOn(rough, rough.cuts[0]);
  CHECK(r.open_edges + r.flipped_edges + r.unpaired_faces == 0);
  CHECK(whyNot(kCut + "rough = { grain = 6 }\n") == "rough needs amount: how far breaks go up and down");
}

TEST_CASE("what has no colour takes the next, however many pieces stand before it") {
  const std::string ball = "[[body]]\nname = \"ball\"\nsphere = 10\nat = [0, 90, 0]\n";
  const BuiltScene whole = buildQuay(ball);
  const std::array<double, 3> of_stone = whole.scene.prototypeOf(1).colour,
                              of_ball = whole.scene.prototypeOf(2).colour;
  CHECK(of_stone != of_ball);
  for (const char* count : {"5", "6", "7", "30"}) {
    const BuiltScene b = buildQuay(ball + "[[cut]]\nof = \"stone\"\ncount = " + count + "\n");
    REQUIRE(b.scene.pieces.back().name == "ball");
    CHECK(b.scene.prototypeOf(b.scene.pieces.size() - 1).colour == of_ball);
  }
}

namespace {

// A trough, 6 by 4 by 10, open above and at both ends, its walls 1 thick.
std::string trough() {
  std::string text;
  constexpr double kOutline[8][2] = {{0, 0}, {6, 0}, {6, 4}, {5, 4}, {5, 1}, {1, 1}, {1, 4}, {0, 4}};
  for (const int z : {0, 10})
    for (const auto& p : kOutline)
      text += "v " + std::to_string(p[0]) + " " + std::to_string(p[1]) + " " + std::to_string(z) + "\n";
  const auto face = [&](int a, int b, int c, int d) {
    text += "f";
    for (const int v : {a, b, c, d}) text += " " + std::to_string(v + 1);
    text += "\n";
  };
  constexpr int kEnd[3][4] = {{0, 5, 6, 7}, {0, 1, 4, 5}, {1, 2, 3, 4}};
  for (const auto& q : kEnd) {
    face(q[3], q[2], q[1], q[0]);
    face(q[0] + 8, q[1] + 8, q[2] + 8, q[3] + 8);
  }
  for (int k = 0; k < 8; ++k) face(k, (k + 1) % 8, (k + 1) % 8 + 8, k + 8);
  return text;
}

}  // namespace

TEST_CASE("pieces of a hollow body are felt in parts where it says so, whatever their size") {
  const TestFolder folder("drubble_trough");
  const std::string setup = "seed = 3\n[[body]]\nname = \"trough\"\nmesh = \"trough.obj\"\n",
                    more =
                        "[[cut]]\nof = \"trough\"\npattern = \"parallel\"\ncount = 2\nacross = [0, 0, 1]\n"
                        "[[place]]\nname = \"row\"\ncopies = { trough = 1 }\ncount = [2, 1, 1]\n"
                        "gap = [5, 5, 5]\nvary = { size = [1.5, 3] }\n";
  folder.write("trough.obj", trough());
  const auto built = [&](const std::string& shape) {
    return buildScene(parseSetup(folder.at("quay.toml"), setup + shape + more),
                      {nullptr, {}, {}, folder.at("parts")});
  };
  const BuiltScene hulls = built(""), parts = built("shape = \"parts\"\n");
  REQUIRE(hulls.scene.pieces.size() == 4);
  REQUIRE(parts.scene.pieces.size() == 4);
  for (std::size_t i = 0; i < 4; ++i) {
    const world::Prototype &hull = hulls.scene.prototypeOf(i), &p = parts.scene.prototypeOf(i);
    CHECK(hull.shape.kind == shape::Kind::Convex);
    REQUIRE(p.shape.kind == shape::Kind::Joined);
    CHECK(p.shape.parts->size() == 3);
    CHECK(measure::cavityFit(p.mesh, p.shape, 4000).plugged < 0.01);
    CHECK(measure::cavityFit(hull.mesh, hull.shape, 4000).plugged == Approx(1));
    CHECK((p.shape.bounds.size() - hull.shape.bounds.size()).norm() < 1e-9);
    CHECK(p.traits.mass() == Approx(hull.traits.mass()));
  }
  CHECK(std::filesystem::exists(folder.at("parts")));
}
