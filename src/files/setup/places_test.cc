// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>
#include <set>

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

}  // namespace drubble::files
