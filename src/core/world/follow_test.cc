// SPDX-License-Identifier: Apache-2.0
// Patches that go on with their bodies instead of being looked for again.
#include <algorithm>
#include <catch2/catch.hpp>

#include "../../../tests/support/stage.h"
#include "core/base/random.h"
#include "core/collide/pairs.h"

using namespace drubble;
using drubble::test::Stage;

namespace {

// A low heap of boxes of many sizes, slow but awake.
void heap(Stage& s, std::uint64_t seed) {
  s.surface(0.5, 0);
  s.ground();
  s.scene.solver.sleep_speed = 0;
  RandomStream r(seed, "follow");
  for (int i = 0; i < 60; ++i) {
    const Vec3 size = vec3(r.between(0.1, 0.3), r.between(0.1, 0.3), r.between(0.1, 0.3));
    s.scene.pieces[s.box(size, 0.35 * vec3(i % 4, i / 16 + 1, i / 4 % 4))].start.turn = r.turn();
  }
}

bool followed(const solve::Contact& c) { return c.gone > 0 && c.gone < 1; }

// How far the nearest points of the two are apart now, looked for anew.
double gapNow(const world::World& w, const solve::Contact& c) {
  collide::Manifolds found;
  collide::collide(w.shapeOf(c.a.index()), w.motion().pose(c.a.index()), w.shapeOf(c.b.index()),
                   w.motion().pose(c.b.index()), 0.05, found);
  double gap = 1;
  for (const collide::Manifold& m : found) gap = std::min(gap, m.leastGap());
  return gap;
}

}  // namespace

TEST_CASE("patches that go on with their bodies say what a new look would say") {
  Stage s;
  heap(s, 3);
  s.frames(60);
  int count = 0;
  double worst = 0;
  for (int f = 0; f < 24; ++f) {
    s.frames(1);
    for (const solve::Contact& c : s.world().contacts()) {
      if (!followed(c)) continue;
      ++count;
      worst = std::max(worst, std::abs(c.patch.leastGap() - gapNow(s.world(), c)));
    }
  }
  CHECK(count > 1000);
  CHECK(worst < 1e-4);  // m: the bodies have gone a substep farther since; a twentieth of a percent of a size
}

TEST_CASE("what moves fast is looked at again in every substep") {
  Stage s;
  s.surface(0.1, 0);
  s.ground();
  const std::size_t i = s.box(Vec3::Constant(0.2), vec3(0, 0.1, 0), vec3(2, 0, 0));
  for (int f = 0; f < 10; ++f) {
    s.frames(1);
    if (s.velocity(i).norm() < 0.5) break;
    for (const solve::Contact& c : s.world().contacts()) CHECK(c.gone == 0);
  }
}

TEST_CASE("a saved heap goes on with the same patches to the last bit") {
  Stage s, t;
  heap(s, 4);
  heap(t, 4);
  s.frames(50);
  const auto some = [](const solve::Contacts& list) {
    return std::any_of(list.begin(), list.end(), followed);
  };
  REQUIRE(some(s.world().contacts()));
  t.world().restore(s.world().save());
  for (int f = 0; f < 12; ++f) {
    s.frames(1);
    t.frames(1);
    REQUIRE(s.world().digest() == t.world().digest());
  }
}
