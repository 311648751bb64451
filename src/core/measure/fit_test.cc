// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>

#include "core/measure/fit.h"
#include "core/mesh/mass.h"
#include "core/mesh/test_solids.h"
#include "core/shape/decompose.h"
#include "core/world/prototypes.h"

namespace drubble::measure {

TEST_CASE("of a body in parts nothing sticks out at the seams, and what it stands proud is between bounds",
          "[slow]") {
  for (const int around : {8, 14}) {
    mesh::TriangleMesh pot = mesh::pot(0.06, around, 4);
    const Vec3 centre = mesh::massProperties(pot).centre;
    for (Vec3& v : pot.vertices) v -= centre;
    double lost = 0;
    const shape::ConvexParts parts = shape::convexParts(pot, {0.006, 24});
    const shape::Shape s = world::partsWithin(parts, 64, lost);
    CAPTURE(around, s.parts->size());
    const ShapeFit fit = shapeFit(pot, s);
    CHECK(fit.inward < 1e-5);
    CHECK(fit.outward <= 0.006);
    // A place in front of a part is as far as that part is.
    const Vec3 above = vec3(0, pot.bounds().high.y() + 0.1, 0);
    double nearest = 1;
    for (const Vec3& v : pot.vertices) nearest = least(nearest, (v - above).norm());
    CHECK(distanceOutside(s, above) >= 0.1);
    CHECK(distanceOutside(s, above) <= nearest + 1e-9);
  }
}

}  // namespace drubble::measure
