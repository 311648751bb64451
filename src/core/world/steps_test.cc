// SPDX-License-Identifier: Apache-2.0
// How finely time is cut, and what for.
#include <catch2/catch.hpp>

#include "../../../tests/support/stage.h"

using namespace drubble;
using drubble::test::Stage;

TEST_CASE("what comes at smaller things asks for finer steps before it meets them, not while it is far") {
  Stage s;
  s.scene.gravity = Vec3::Zero();
  const std::size_t brick = s.box(vec3(0.1, 0.1, 0.1), vec3(0, 0, 0));
  s.scene.pieces[brick].start_state = world::Start::Asleep;
  s.box(vec3(1, 1, 1), vec3(-1.5, 0, 0), vec3(3, 0, 0));
  world::Watcher nobody;
  const world::FrameStats far = s.world().advance(nobody);
  CHECK(far.substeps == 2);
  world::FrameStats before;
  for (int f = 0; f < 12 && s.world().sleepOf(brick) == world::Sleep::Asleep; ++f)
    before = s.world().advance(nobody);
  // 0.125 m a frame, past something of which 0.05 m are inside: 0.3 of that a substep.
  CHECK(before.substeps >= 9);
  CHECK(before.asks == world::Asks::Sliding);
  CHECK(before.asking == PieceId(brick));
}

TEST_CASE("a stick that turns where it is borne asks for no more than its thickness needs") {
  Stage s;
  s.surface(0, 0);
  const std::size_t block = s.box(vec3(0.2, 0.2, 0.2), vec3(0, 0.1, 0));
  s.scene.pieces[block].role = world::Role::Static;
  const std::size_t stick = s.box(vec3(2, 0.04, 0.04), vec3(0, 0.22, 0));
  s.scene.pieces[stick].spin = vec3(0, 1, 0);  // its ends go at 1 m/s: as much as its thickness a frame
  world::Watcher nobody;
  for (int f = 0; f < 6; ++f) {
    const world::FrameStats now = s.world().advance(nobody);
    CHECK(now.substeps <= 4);
    CHECK(now.asks == world::Asks::Load);
  }
  CHECK(s.world().motion().spin[stick].y() == Approx(1).epsilon(0.01));
}

TEST_CASE("a slender piece sinks by a share of its thickness, not of its length") {
  Stage s;
  s.ground();
  const std::size_t plank = s.box(vec3(3, 0.04, 0.04), vec3(0, 0.02, 0));
  s.box(vec3(3, 0.2, 0.064), vec3(0, 0.14, 0));  // eight times as heavy
  s.frames(48);
  CHECK(0.02 - s.world().motion().position[plank].y() < 0.004 * 0.04);
}
