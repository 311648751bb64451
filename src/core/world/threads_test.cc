// SPDX-License-Identifier: Apache-2.0
// The same bits from any number of threads and any instructions.
#include <catch2/catch.hpp>
#include <tuple>

#include "../../../tests/support/bonds.h"
#include "core/base/random.h"
#include "core/measure/penetration.h"

using namespace drubble;
using drubble::test::Stage;

namespace {

// Boxes, spheres that roll with resistance, ellipsoids, a sticky slab: every path of the solver's loops.
void mixedHeap(Stage& s) {
  s.surface(0.5, 0.2);
  s.scene.materials.back().rolling = 0.01;
  s.ground();
  RandomStream r(4, "threads");
  for (int i = 0; i < 500; ++i) {
    const Vec3 at = 0.25 * vec3(i % 8 - 4, i / 64 + 1, i / 8 % 8 - 4);
    const std::size_t piece = i % 3 == 0 ? s.box(vec3(0.2, 0.15, 0.18), at)
                              : i % 3 == 1
                                  ? s.sphere(0.09, at)
                                  : s.add(world::ellipsoidPrototype("e", vec3(0.1, 0.07, 0.09), 1000), at);
    s.scene.pieces[piece].start.turn = r.turn();
  }
}

}  // namespace

TEST_CASE("a heap shared among three threads comes to what one makes of it", "[threads]") {
  std::uint64_t alone = 0;
  measure::Penetration alone_depth;
  for (const int threads : {1, 3}) {
    Stage s;
    mixedHeap(s);
    world::World w(s.scene, {threads});
    world::Watcher nobody;
    for (int f = 0; f < 8; ++f) w.advance(nobody);
    const measure::Penetration depth = measure::PenetrationMeter().measure(w, &w.team());
    if (threads == 1) alone = w.digest(), alone_depth = depth;
    CHECK(w.digest() == alone);
    CHECK(depth.worst > 0);
    CHECK(std::tuple(depth.worst, depth.p99, depth.worst_share, depth.p99_share, depth.a, depth.b) ==
          std::tuple(alone_depth.worst, alone_depth.p99, alone_depth.worst_share, alone_depth.p99_share,
                     alone_depth.a, alone_depth.b));
    CHECK(w.contacts().size() > 400);
  }
}

TEST_CASE("what is fast is guarded alike by one thread and by three", "[threads][slow]") {
  std::uint64_t alone = 0;
  for (const int threads : {1, 3}) {
    Stage s;
    mixedHeap(s);
    s.scene.solver.substeps = 2;
    for (std::size_t i = 1; i < s.scene.pieces.size(); ++i)
      s.scene.pieces[i].velocity = vec3(i % 2 == 0 ? 6 : -6, -12, 0);
    world::World w(s.scene, {threads});
    world::Watcher nobody;
    for (int f = 0; f < 2; ++f) w.advance(nobody);
    if (threads == 1) alone = w.digest();
    CHECK(w.digest() == alone);
    for (std::size_t i = 1; i < s.scene.pieces.size(); ++i) CHECK(w.motion().position[i].y() > 0);
  }
}

TEST_CASE("a heap moves bit for bit alike with any number of threads and any instructions", "[slow]") {
  std::vector<std::uint64_t> alone;
  const auto check = [&](const world::Machine& machine) {
    Stage s;
    mixedHeap(s);
    world::World w(s.scene, machine);
    world::Watcher nobody;
    for (std::size_t f = 0; f < 14; ++f) {
      w.advance(nobody);
      if (alone.size() <= f)
        alone.push_back(w.digest());
      else
        REQUIRE(w.digest() == alone[f]);
    }
    CHECK(w.contacts().size() > 400);
  };
  for (const int threads : {1, 2, 3, 4}) check({threads, solve::Lanes::Auto});
  check({2, solve::Lanes::Sse2});
  check({1, solve::Lanes::Scalar});
  if (solve::available(solve::Lanes::Avx2)) check({1, solve::Lanes::Avx2});
}

TEST_CASE("a wall of a thousand bonded blocks breaks bit for bit alike, however many threads and lanes",
          "[threads][slow]") {
  using namespace world;
  Stage s;
  s.material(test::stone(2e5));
  s.ground();
  const std::size_t first = s.scene.pieces.size();
  for (int k = 0; k < 5 * 14 * 14; ++k)
    s.box(Vec3(0.2, 0.2, 0.2), 0.2 * vec3(k % 14, k / 14 % 14 + 0.5, k / 196), Vec3::Zero(), 2000);
  test::bondAll(s, first);
  REQUIRE(s.scene.bonds.size() > 2000);
  s.sphere(0.3, Vec3(1.4, 1.4, -1), Vec3(0, 0, 25));
  std::uint64_t alone = 0;
  for (const Machine& machine :
       {Machine{1, solve::Lanes::Scalar}, Machine{2, solve::Lanes::Sse2}, Machine{3, solve::Lanes::Auto}}) {
    World w(s.scene, machine);
    Watcher nobody;
    for (int f = 0; f < 5; ++f) w.advance(nobody);
    int broken = 0;
    for (std::size_t k = 0; k < s.scene.bonds.size(); ++k) broken += w.bondBroken(k);
    CHECK(broken > 100);
    CHECK(w.clusters().size() > 1);
    if (alone == 0) alone = w.digest();
    CHECK(w.digest() == alone);
  }
}
