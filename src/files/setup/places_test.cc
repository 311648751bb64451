// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>
#include <cmath>
#include <map>
#include <set>

#include "core/base/trig.h"
#include "core/collide/pairs.h"
#include "files/setup/test_problems.h"

namespace drubble::files {

namespace {

const std::string kYard = R"(
[[body]]
name = "yard"
ground = 0
[[body]]
name = "mound"
ellipsoid = [4, 1, 4]
role = "static"
[[body]]
name = "vat"
box = [2, 2, 2]
at = [0, 10, 0]
role = "static"
collide = false
[[body]]
name = "crate"
box = [0.5, 0.4, 0.3]
at = [30, 5, 0]
[[body]]
name = "cone"
cylinder = [0.1, 0.3]
at = [30, 9, 0]
)";

BuiltScene builtFrom(const std::string& more) { return buildScene(parseSetup("yard.toml", kYard + more)); }

// The deepest that two pieces overlap.
double deepest(const BuiltScene& b) {
  double depth = 0;
  const auto& pieces = b.scene.pieces;
  for (std::size_t i = 0; i < pieces.size(); ++i)
    for (std::size_t j = 0; j < i; ++j) {
      const bool both = pieces[i].collide && pieces[j].collide;
      const bool moves = pieces[i].role == world::Role::Dynamic || pieces[j].role == world::Role::Dynamic;
      if (both && moves)
        depth = greatest(depth, collide::overlapDepth(b.scene.prototypeOf(i).shape, pieces[i].start,
                                                      b.scene.prototypeOf(j).shape, pieces[j].start));
    }
  return depth;
}

std::size_t movable(const BuiltScene& b) {
  std::size_t n = 0;
  for (const world::Piece& p : b.scene.pieces) n += p.role == world::Role::Dynamic;
  return n;
}

}  // namespace

TEST_CASE("stacks of mixed copies and sizes touch without overlap", "[place]") {
  const BuiltScene b = builtFrom(R"([[place]]
name = "stores"
copies = { crate = 2, cone = 1 }
layout = "stack"
count = [3, 8, 2]
gap = [0.4, 0, 0.4]
at = [20, 0, 0]
vary = { size = [0.8, 1.2] }
)");
  CHECK(movable(b) == 48);
  CHECK(deepest(b) < 1e-6);
  std::set<double> sizes;
  for (std::size_t i = 0; i < b.scene.pieces.size(); ++i) sizes.insert(b.scene.prototypeOf(i).traits.size);
  CHECK(sizes.size() > 12);
}

TEST_CASE("a scatter stands on its body, apart, within room; what finds none is told", "[place]") {
  const std::string scatter = R"([[place]]
name = "cones"
copies = { cone = 1 }
layout = "scatter"
count = 80
on = "mound"
apart = 0.5
within = [[-3, -3], [3, -3], [3, 3], [-3, 3]]
)";
  const BuiltScene b = builtFrom(scatter);
  CHECK(movable(b) == 80 + 1);  // and the crate, which nothing copies
  CHECK(deepest(b) < 1e-6);
  for (const world::Piece& p : b.scene.pieces) {
    if (!p.name.starts_with("cones/")) continue;
    CHECK(std::abs(p.start.position.x()) <= 3);
    CHECK(std::abs(p.start.position.y()) < 1.5);
  }
  const BuiltScene full = builtFrom(scatter +
                                    "\n[[place]]\nname = \"more\"\ncopies = { crate = 1 }\n"
                                    "layout = \"scatter\"\ncount = 2000\non = \"mound\"\n");
  REQUIRE_FALSE(full.notes.empty());
  CHECK(full.notes[0].find("place 'more': room for ") != std::string::npos);
  CHECK(deepest(full) < 1e-6);
  // By seed, and no other table changes it.
  const BuiltScene again = builtFrom(scatter), other = builtFrom(scatter + "seed = 8\n");
  CHECK(again.scene.pieces.back().start.position == b.scene.pieces.back().start.position);
  CHECK(other.scene.pieces.back().start.position != b.scene.pieces.back().start.position);
}

TEST_CASE("a scatter within a body's inside", "[place]") {
  const BuiltScene b = builtFrom(R"([[place]]
name = "adrift"
copies = { crate = 1, cone = 2 }
layout = "scatter"
count = 25
inside = { body = "vat" }
vary = { turn = [180, 180, 180] }
)");
  CHECK(movable(b) == 25);
  CHECK(deepest(b) < 1e-6);
  for (const world::Piece& p : b.scene.pieces)
    if (p.role == world::Role::Dynamic) CHECK((p.start.position - Vec3(0, 10, 0)).cwiseAbs().maxCoeff() <= 1);
}

TEST_CASE("what a layout lacks is said", "[place]") {
  const auto said = [](const std::string& more) {
    return oneProblemOf(kYard + "[[place]]\nname = \"x\"\ncopies = { crate = 1 }\n" + more);
  };
  CHECK(said("layout = \"ring\"\ncount = [4, 1, 1]\n").find("a ring needs a radius") != std::string::npos);
  CHECK(said("layout = \"scatter\"\ncount = 4\n").find("a scatter needs on = NAME") != std::string::npos);
  CHECK(said("layout = \"scatter\"\non = \"yard\"\n").find("a scatter needs count") != std::string::npos);
  CHECK(said("layout = \"scatter\"\ncount = 4\non = \"mund\"\n").find("called 'mund'") != std::string::npos);
  CHECK(said("layout = \"scatter\"\ncount = 4\non = \"mound\"\nwithin = [[1, 2]]\n").find("polygon") !=
        std::string::npos);
  CHECK(said("layout = \"rows\"\n").find("is one of") != std::string::npos);
}

TEST_CASE("copies have colours by weight, at the same places and sizes as without", "[place]") {
  const std::string stores = R"([[place]]
name = "stores"
copies = { crate = 1 }
count = [12, 1, 12]
gap = [0.4, 0, 0.4]
at = [30, 0, 0]
vary = { size = [0.8, 1.2] }
)";
  const BuiltScene plain = builtFrom(stores);
  const BuiltScene b = builtFrom(stores + "colours = { \"#ff0000\" = 3, \"#0000ff\" = 1 }\n");
  REQUIRE(movable(b) == movable(plain));
  std::size_t red = 0, all = 0;
  for (std::size_t i = 0; i < b.scene.pieces.size(); ++i) {
    CHECK(b.scene.pieces[i].start.position == plain.scene.pieces[i].start.position);
    if (!b.scene.pieces[i].name.starts_with("stores/")) continue;
    CHECK(b.scene.prototypeOf(i).volume == plain.scene.prototypeOf(i).volume);
    red += b.scene.prototypeOf(i).colour[0] == 1;
    ++all;
  }
  CHECK(all == 144);
  CHECK(red > 90);
  CHECK(red < 126);
  CHECK_THROWS_WITH(builtFrom(stores + "colours = { red = 1 }\n"), Catch::Contains("#rrggbb"));
}

TEST_CASE("copies vary in size along each of their axes, as boxes, ellipsoids, cylinders, meshes",
          "[place]") {
  const std::string stores = R"([[place]]
name = "stores"
copies = { crate = 1, cone = 1, mound_of_sand = 1 }
count = [8, 1, 8]
gap = [0.1, 0, 0.1]
at = [30, 0, 0]
vary = { size = [[0.5, 1.5], [0.8, 0.9], [2, 2]] }
)";
  const std::string sand = "[[body]]\nname = \"mound_of_sand\"\nellipsoid = [0.2, 0.1, 0.2]\n";
  const auto said = [&](const std::string& text) { return oneProblemOf(kYard + sand + text); };
  CHECK_THAT(said(stores), Catch::Contains("'cone' cannot vary along each axis: a capsule or cylinder"));
  std::string round = stores;
  round.replace(round.find("[2, 2]"), 6, "[1, 1]");
  round.replace(round.find("[0.5, 1.5]"), 10, "[1, 1]");
  const BuiltScene tall = builtFrom(sand + round);
  CHECK(deepest(tall) < 1e-6);
  std::string crates = stores;
  crates.replace(crates.find(", cone = 1"), 10, "");
  const BuiltScene b = builtFrom(sand + crates);
  CHECK(movable(b) == 64 + 1);
  CHECK(deepest(b) < 1e-6);
  double least = 9, most = 0;
  for (std::size_t i = 0; i < b.scene.pieces.size(); ++i) {
    const world::Prototype& p = b.scene.prototypeOf(i);
    if (!b.scene.pieces[i].name.starts_with("stores/")) continue;
    const Vec3 size = p.shape.bounds.size();
    const bool crate = p.name == "crate";
    const Vec3 times = size.cwiseQuotient(crate ? Vec3(0.5, 0.4, 0.3) : Vec3(0.4, 0.2, 0.4));
    least = std::min(least, times.x());
    most = std::max(most, times.x());
    CHECK(times.y() > 0.8 - 1e-9);
    CHECK(times.y() < 0.9 + 1e-9);
    CHECK(times.z() == Approx(2));
    CHECK(p.volume == Approx((crate ? 0.06 : 4 * kPi / 3 * 0.004) * times.prod()).epsilon(1e-6));
  }
  CHECK(least < 0.7);
  CHECK(most > 1.3);
  std::string group = stores;
  group.replace(group.find("crate = 1, cone = 1"), 19, "pair = 1");
  CHECK_THAT(
      said("[[group]]\nname = \"pair\"\nparts = [{ of = \"crate\" }, { of = \"cone\", at = [0, 1, 0] }]\n" +
           group),
      Catch::Contains("of several pieces"));
  CHECK_THAT(said("[[place]]\nname = \"n\"\ncopies = { crate = 1 }\nvary = { size = [[1, 2]] }\n"),
             Catch::Contains("one such pair for each"));
}

TEST_CASE("copies of groups and of cut bodies vary in size, with joints and bonds that fit", "[place]") {
  const std::string more = R"(
[[group]]
name = "post"
parts = [{ of = "crate" }, { of = "cone", at = [0, 0.4, 0], turn = [0, 0, 90] }]
  [[group.joints]]
  name = "rod"
  kind = "rope"
  a = "crate"
  a_at = [0, 0.2, 0]
  b = "cone"
  b_at = [0, 0.3, 0]
  length = 0.3
[[body]]
name = "stone"
box = [0.6, 0.4, 0.4]
material = "granite"
at = [0, 90, 0]
[[cut]]
of = "stone"
count = 6
[[bond]]
name = "grown"
among = "stones/**"
[[place]]
name = "posts"
copies = { post = 1 }
count = [5, 1, 5]
gap = [0.3, 0, 0.3]
at = [30, 0, 0]
vary = { size = [0.5, 2] }
[[place]]
name = "stones"
copies = { stone = 1 }
count = [4, 1, 1]
gap = [0.3, 0, 0.3]
at = [50, 0, 0]
vary = { size = [0.5, 2] }
colours = { "#ff0000" = 1 }
)";
  const BuiltScene b = builtFrom(more);
  const world::Scene& s = b.scene;
  CHECK(movable(b) == 25 * 2 + 4 * 6);
  CHECK(deepest(b) < 1e-6);
  REQUIRE(s.joints.size() == 25);
  std::set<double> sizes;
  for (const world::SceneJoint& j : s.joints) {
    const std::size_t crate = j.joint.a.piece.index(), cone = j.joint.b.piece.index();
    const double times = std::cbrt(s.prototypeOf(crate).volume / 0.06);
    sizes.insert(std::floor(100 * times));
    CHECK(times > 0.5);
    CHECK(times < 2);
    CHECK(j.joint.length == Approx(0.3 * times));
    CHECK((j.joint.a.at - Vec3(0, 0.2 * times, 0)).norm() < 1e-9);
    CHECK((s.pieces[cone].start.position - s.pieces[crate].start.position).norm() == Approx(0.4 * times));
    CHECK(s.prototypeOf(cone).volume / s.prototypeOf(crate).volume ==
          Approx(b.scene.prototypes[4].volume / 0.06).epsilon(1e-6));
  }
  CHECK(sizes.size() > 5);
  // The faces between pieces grow with the square; all of a copy's are there.
  std::map<std::string, double> area, volume;
  for (const bond::Bond& x : s.bonds) {
    const std::string &a = s.pieces[x.a.index()].name, &c = s.pieces[x.b.index()].name;
    REQUIRE(a.substr(0, 11) == c.substr(0, 11));
    area[a.substr(0, 11)] += x.face.area;
  }
  for (std::size_t i = 0; i < s.pieces.size(); ++i) {
    if (!s.pieces[i].name.starts_with("stones/")) continue;
    volume[s.pieces[i].name.substr(0, 11)] += s.prototypeOf(i).volume;
    CHECK(s.prototypeOf(i).colour[1] == 0);
    CHECK(s.prototypeOf(i).inside.size() == s.prototypeOf(i).mesh.triangles.size());
  }
  REQUIRE(area.size() == 4);
  REQUIRE(volume.size() == 4);
  const double one = area["stones/0001"] / std::pow(volume["stones/0001"], 2.0 / 3);
  for (const auto& [name, v] : volume) {
    CHECK(area[name] / std::pow(v, 2.0 / 3) == Approx(one).epsilon(1e-6));
    CHECK(std::cbrt(v / 0.096) > 0.5);
    CHECK(std::cbrt(v / 0.096) < 2);
  }
}

}  // namespace drubble::files
