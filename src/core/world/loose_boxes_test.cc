// SPDX-License-Identifier: Apache-2.0
#include "core/world/loose_boxes.h"

#include <catch2/catch.hpp>

#include "core/base/random.h"
#include "core/shape/hull.h"

namespace drubble::world {

TEST_CASE("a loose box holds the true one and is hardly larger, however the shape goes on", "[nearness]") {
  RandomStream r(5, "loose");
  std::vector<Vec3> corners;
  for (int k = 0; k < 20; ++k)
    corners.push_back(vec3(r.between(-1, 1), r.between(-0.5, 0.5), r.between(-1, 1)));
  const shape::Shape s = shape::convex(corners);
  LooseBoxes loose(3);
  Pose pose;
  double largest = 0;
  for (int step = 0; step < 400; ++step) {
    // Mostly a little, now and then far.
    const double much = step % 50 == 49 ? 1 : 2e-4;
    pose.position += much * vec3(r.between(-1, 1), r.between(-1, 1), r.between(-1, 1));
    pose.turn = (turnAbout(Vec3::UnitY(), much * r.between(-1, 1)) *
                 turnAbout(Vec3::UnitX(), much * r.between(-1, 1)) * pose.turn)
                    .normalized();
    const Box box = loose.around(1, s, pose), at = shape::boundsAt(s, pose);
    for (int k = 0; k < 3; ++k) {
      REQUIRE(box.low[k] <= at.low[k]);
      REQUIRE(box.high[k] >= at.high[k]);
      largest = greatest(largest, greatest(at.low[k] - box.low[k], box.high[k] - at.high[k]));
    }
  }
  CHECK(largest > 0);
  CHECK(largest < 0.03 * s.outer_radius);
}

}  // namespace drubble::world
