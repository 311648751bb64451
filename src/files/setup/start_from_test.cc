// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>
#include <filesystem>

#include "files/cache/reader.h"
#include "files/simulate.h"
#include "files/test_folder.h"

namespace drubble::files {

namespace {

using Catch::Matchers::Contains;

// Crates and a keg above a trough that has no far end: one rolls out.
const std::string kPile = R"(
frames = [1, 20]
keep_inside = { box = [-2, -1, -2, 2, 4, 2] }
[[body]]
name = "slab"
box = [1.6, 0.2, 1.6]
at = [0, -0.1, 0]
role = "static"
[[body]]
name = "crate"
box = [0.3, 0.2, 0.3]
[[body]]
name = "keg"
sphere = 0.12
at = [0.7, 0.4, 0]
velocity = [2, 0, 0]
[[place]]
name = "crates"
copies = { crate = 1 }
count = [2, 4, 2]
spacing = [0.42, 0.3, 0.42]
at = [0, 0.2, 0]
vary = { turn = [4, 10, 4] }
)";

RunOutcome runTo(const TestFolder& f, const std::string& text, const std::string& cache, bool settle) {
  RunOptions o;
  o.cache_path = f.at(cache);
  o.force = true;
  if (settle) o.settle.emplace();
  return simulate(parseSetup(f.at("pile.toml"), text), o);
}

std::string from(const std::string& what) { return "start_from = { " + what + " }\n"; }

}  // namespace

TEST_CASE("what is settled rests, without its strays, and rests on when it is started from", "[settle]") {
  const TestFolder f("drubble_start_from");
  const RunOutcome settled = runTo(f, kPile, "calm.drub", true);
  CHECK_FALSE(settled.stopped);
  CHECK(settled.pieces == 16);
  REQUIRE(settled.strays.size() == 1);
  CHECK_THAT(settled.strays[0], Contains("keg (frame "));
  CHECK(settled.on_nothing.empty());
  CHECK(settled.moving.empty());
  CacheReader calm(f.at("calm.drub"));
  REQUIRE(calm.frames().size() == 1);
  CHECK(calm.rules().empty());
  REQUIRE(calm.notes().size() == 1);
  CHECK_THAT(calm.notes()[0], Contains("'keg' strayed and was removed in frame"));
  const int frame = calm.frames()[0].frame;
  CHECK(frame == settled.last_frame);

  const RunOutcome again = runTo(f, from("cache = \"calm.drub\"") + kPile, "again.drub", false);
  REQUIRE(again.notes.size() == 2);
  CHECK_THAT(again.notes[0], Contains("1 piece is gone") && Contains("'keg'"));
  CHECK_THAT(again.notes[1],
             Contains("16 pieces stand where 'calm.drub' has them in frame " + std::to_string(frame)));
  CacheReader restarted(f.at("again.drub"));
  CHECK(restarted.pieces().size() == 17);  // the slab among them, the keg not
  const std::vector<PieceState> end = restarted.states(20), start = calm.states(frame);
  for (std::size_t i = 0; i < restarted.pieces().size(); ++i) {
    const auto at = std::find_if(calm.pieces().begin(), calm.pieces().end(),
                                 [&](const CachedPiece& p) { return p.name == restarted.pieces()[i].name; });
    REQUIRE(at != calm.pieces().end());
    const PieceState& was = start[static_cast<std::size_t>(at - calm.pieces().begin())];
    CHECK((end[i].pose().position - was.pose().position).norm() < 1e-4 * 0.3);  // 0.01 % of its size
  }
}

TEST_CASE("any frame can be gone on from, with its motion or without, for some pieces or all", "[settle]") {
  const TestFolder f("drubble_start_from");
  runTo(f, kPile, "pile.drub", false);
  CacheReader was(f.at("pile.drub"));
  const std::vector<PieceState> middle = was.states(6);
  const auto startOf = [&](const std::string& what) {
    runTo(f, from(what) + kPile, "next.drub", false);
    return CacheReader(f.at("next.drub")).states(1);
  };
  const std::vector<PieceState> still = startOf("cache = \"pile.drub\", frame = 6"),
                                keeps = startOf("cache = \"pile.drub\", frame = 6, motion = \"keep\""),
                                some = startOf("cache = \"pile.drub\", frame = 6, who = \"keg\"");
  const std::vector<PieceState> begun = was.states(1);
  std::size_t fast = 0;
  for (std::size_t i = 0; i < middle.size(); ++i) {
    CHECK((still[i].pose().position - middle[i].pose().position).norm() == 0);
    CHECK(still[i].velocity == std::array<float, 3>{});
    CHECK(keeps[i].velocity == middle[i].velocity);
    CHECK(keeps[i].spin == middle[i].spin);
    fast += middle[i].velocity != std::array<float, 3>{};
    const bool keg = was.pieces()[i].name == "keg";
    CHECK((some[i].position == (keg ? middle : begun)[i].position));
  }
  CHECK(fast > 10);
}

TEST_CASE("what broke stays broken where a setup starts from", "[settle][bond]") {
  const TestFolder f("drubble_start_from");
  const std::string wall = R"(
frames = [1, 8]
[[body]]
name = "wall"
box = [1.2, 0.8, 0.2]
origin = "base"
material = "brick"
[[cut]]
of = "wall"
count = 12
[[bond]]
name = "mortar"
among = "wall/*"
strength = { keys = [[1, 1], [4, 0]], ease = "hold" }
)";
  runTo(f, wall, "wall.drub", false);
  const auto bondsFrom = [&](int frame) {
    return buildScene(parseSetup(f.at("wall.toml"),
                                 from("cache = \"wall.drub\", frame = " + std::to_string(frame)) + wall))
        .scene.bonds.size();
  };
  CHECK(bondsFrom(3) == CacheReader(f.at("wall.drub")).bonds().size());
  CHECK(bondsFrom(8) == 0);
}

TEST_CASE("a start that is not to be had is said, with its place", "[settle]") {
  const TestFolder f("drubble_start_from");
  runTo(f, kPile, "pile.drub", false);
  const auto said = [&](const std::string& what) {
    try {
      buildScene(parseSetup(f.at("pile.toml"), from(what) + kPile));
    } catch (const Error& e) {
      REQUIRE(e.problems()[0].where);
      CHECK(e.problems()[0].where->line == 1);
      return e.problems()[0].message;
    }
    return std::string("nothing");
  };
  CHECK_THAT(said("cache = \"none.drub\""), Contains("start_from") && Contains("none.drub"));
  CHECK_THAT(said("cache = \"pile.drub\", frame = 77"), Contains("has no frame 77: it holds 1 to 20"));
  CHECK_THAT(said("frame = 3"), Contains("needs cache"));
  CHECK_THAT(said("cache = \"pile.drub\", motion = \"fast\""), Contains("fast"));
}

}  // namespace drubble::files
