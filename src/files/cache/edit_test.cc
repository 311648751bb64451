// SPDX-License-Identifier: Apache-2.0
#include "files/cache/edit.h"

#include <catch2/catch.hpp>

#include "files/cache/format.h"
#include "files/cache/moments.h"
#include "files/cache/verify.h"
#include "files/simulate.h"
#include "files/test_folder.h"

using namespace drubble;
using namespace drubble::files;

namespace {

// A stone that flies and spins free, a cut crate that falls on a quay and comes apart.
const char* kYard = R"(
frames = [1, 40]
[[body]]
name = "quay"
ground = 0
[[body]]
name = "stone"
box = [0.2, 0.3, 0.4]
at = [5, 20, 0]
velocity = [2, 3, 1]
spin = [300, 500, 100]
[[body]]
name = "crate"
box = [0.6, 0.6, 0.6]
at = [0, 1.2, 0]
turn = [20, 0, 10]
material = "brick"
[[cut]]
of = "crate"
pattern = "scatter"
count = 6
[[bond]]
name = "nails"
among = "crate/*"
strength = 0.01
)";

struct CacheToEdit {
  TestFolder folder{"drubble_edit"};
  std::string path;
  CacheToEdit() {
    RunOptions options;
    options.cache_path = path = folder.at("yard.drub");
    options.force = true;
    simulate(parseSetup(folder.at("yard.toml"), kYard), options);
  }
};

const CacheToEdit& cacheToEdit() {
  static const CacheToEdit m;
  return m;
}

struct Editor {
  CacheReader source{cacheToEdit().path};
  EditOptions options;
  explicit Editor() {
    options.path = cacheToEdit().folder.at("edited.drub");
    options.force = true;
  }
  CacheReader edit() {
    editCache(source, options);
    CacheReader out(options.path);
    CHECK(contentsOf(out).damage.empty());
    return out;
  }
};

constexpr std::size_t kStone = 1;

// How far speeds and places part, as a share of the way, from one frame to another.
double driftOf(CacheReader& cache, std::size_t piece) {
  Moments moments(cache);
  constexpr int kParts = 8;
  Vec3 sum = Vec3::Zero(), way = Vec3::Zero();
  double worst = 0;
  const int first = moments.frames().front(), last = moments.frames().back();
  const Vec3 start = moments.at(first)[piece].pose.position;
  for (int f = first; f < last; ++f) {
    for (int k = 0; k < kParts; ++k)
      sum += moments.at(f + (k + 0.5) / kParts)[piece].velocity / (cache.info().fps * kParts);
    way = moments.at(f + 1)[piece].pose.position - start;
    worst = std::max(worst, (sum - way).norm());
  }
  return worst / way.norm();
}

}  // namespace

TEST_CASE("a range keeps its frames as they were, and what had broken before", "[edit]") {
  Editor e;
  e.options.first = 15;
  e.options.last = 30;
  CacheReader out = e.edit();
  CHECK(out.frames().size() == 16);
  CHECK(out.frames().front().frame == 15);
  for (const int f : {15, 22, 30}) CHECK(out.states(f) == e.source.states(f));
  CHECK(e.source.bondBreaks().size() > 2);
  std::size_t by_then = 0;
  for (const CachedBondBreak& b : e.source.bondBreaks()) by_then += b.frame <= 30;
  CHECK(out.bondBreaks().size() == by_then);
  for (const CachedHit& h : out.hits()) CHECK((h.frame >= 15 && h.frame <= 30));
  CHECK(e.source.frames().size() == 40);
}

TEST_CASE("three times as slow: every third frame is an old one, and speeds are a third in the shot",
          "[edit]") {
  Editor e;
  e.options.slower = 3;
  CacheReader out = e.edit();
  CHECK(out.frames().size() == 118);
  for (const int f : {1, 2, 17, 40}) CHECK(out.states(3 * f - 2) == e.source.states(f));
  Moments slow(out), was(e.source);
  const Vec3 a = slow.at(28)[kStone].velocity, b = was.at(10)[kStone].velocity;
  CHECK((3 * a - b).norm() < 1e-5 * b.norm());
  CHECK((3 * slow.at(28)[kStone].spin - was.at(10)[kStone].spin).norm() < 1e-4);
  // Where the stone would be, had it been simulated so finely.
  const double t = 8.0 / 24 + 1.0 / 72;
  CHECK(slow.at(26)[kStone].pose.position.y() == Approx(20 + 3 * t - 0.5 * 9.81 * t * t).margin(1e-5));
}

TEST_CASE("speeds add up to the places they lead to, in free flight and across changes of time", "[edit]") {
  Editor e;
  CHECK(driftOf(e.source, kStone) < 0.001);
  e.options.slower = 2.5;
  CacheReader slower = e.edit();
  CHECK(driftOf(slower, kStone) < 0.001);
  e.options.slower = 1;
  e.options.keys = {{1, 1}, {15, 15}, {60, 25}, {75, 40}};
  e.options.path = cacheToEdit().folder.at("keyed.drub");
  CacheReader keyed = e.edit();
  CHECK(keyed.frames().size() == 75);
  CHECK(driftOf(keyed, kStone) < 0.01);
}

TEST_CASE("held frames stand still, and frames are numbered as told", "[edit]") {
  Editor e;
  e.options.hold_first = 5;
  e.options.hold_last = 3;
  e.options.starts_at = 1001;
  CacheReader out = e.edit();
  CHECK(out.frames().front().frame == 1001);
  CHECK(out.frames().back().frame == 1048);
  CHECK(out.states(1001) == e.source.states(1));
  CHECK(out.states(1006) == e.source.states(1));
  CHECK(out.states(1048) == e.source.states(40));
  Moments moments(out);
  CHECK(moments.at(1047.5)[kStone].velocity.norm() < 1e-9);
  CHECK(moments.at(1020)[kStone].velocity.norm() > 1);
  std::vector<CachedHit> hits = out.hits(), before = e.source.hits();
  REQUIRE(hits.size() == before.size());
  CHECK(hits[0].frame == before[0].frame + 1005);
}

TEST_CASE("what is frozen stays from then on; what is dropped is gone, with its hits", "[edit]") {
  Editor e;
  e.options.freezes = {{"stone", 10}};
  e.options.drops = {"crate/0001"};
  CacheReader out = e.edit();
  CHECK(out.states(9)[kStone] == e.source.states(9)[kStone]);
  const PieceState frozen = out.states(33)[kStone];
  CHECK(frozen.position == e.source.states(10)[kStone].position);
  CHECK(frozen.velocity == std::array<float, 3>{});
  CHECK((frozen.flags & kFlagFrozen) != 0);
  const std::size_t dropped = 2;
  REQUIRE(out.pieces()[dropped].name == "crate/0001");
  for (const int f : {1, 20, 40}) CHECK(out.states(f)[dropped].flags == kFlagGone);
  for (const CachedHit& h : out.hits()) CHECK((h.a != dropped && h.b != dropped));
  e.options.drops = {"crates/*"};
  CHECK_THROWS_WITH(editCache(e.source, e.options), Catch::Contains("crates/*"));
}

TEST_CASE("one frame is an arrangement that a setup starts from", "[edit]") {
  Editor e;
  e.options.first = e.options.last = 40;
  e.options.path = cacheToEdit().folder.at("still.drub");
  e.edit();
  RunOptions options;
  options.cache_path = cacheToEdit().folder.at("again.drub");
  options.force = true;
  const Setup again = parseSetup(cacheToEdit().folder.at("again.toml"),
                                 "start_from = { cache = \"still.drub\" }\n" + std::string(kYard));
  simulate(again, options);
  CacheReader out(options.cache_path);
  CHECK(out.states(1)[kStone].position == e.source.states(40)[kStone].position);
}

TEST_CASE("joined, the frames of both follow each other; the frame they share is there once", "[edit]") {
  Editor e;
  e.options.last = 20;
  e.options.path = cacheToEdit().folder.at("head.drub");
  e.edit();
  EditOptions tail;
  tail.path = cacheToEdit().folder.at("tail.drub");
  tail.force = true;
  tail.first = 20;
  editCache(e.source, tail);
  CacheReader head(e.options.path);
  EditOptions both;
  both.path = cacheToEdit().folder.at("both.drub");
  both.force = true;
  both.join = tail.path;
  CHECK(editCache(head, both).joined == 20);
  CacheReader out(both.path);
  CHECK(out.frames().size() == 40);
  for (const int f : {5, 20, 21, 40}) CHECK(out.states(f) == e.source.states(f));
  for (const CachedFrame& f : out.frames()) CHECK(f.simulated == Approx((f.frame - 1) / 24.0).margin(1e-9));
  CHECK(out.hits().size() == e.source.hits().size());
}

TEST_CASE("an edit refuses what makes no sense, and leaves nothing behind", "[edit]") {
  Editor e;
  e.options.path = cacheToEdit().folder.at("none.drub");
  e.options.first = 60;
  CHECK_THROWS_WITH(editCache(e.source, e.options), Catch::Contains("holds 1 to 40"));
  e.options.first.reset();
  e.options.keys = {{1, 1}, {5, 10}, {5, 20}};
  CHECK_THROWS_WITH(editCache(e.source, e.options), Catch::Contains("later"));
  e.options.keys.clear();
  CHECK_FALSE(std::filesystem::exists(e.options.path));
  e.options.path = cacheToEdit().path;
  CHECK_THROWS_WITH(editCache(e.source, e.options), Catch::Contains("what is edited"));
}
