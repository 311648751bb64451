// SPDX-License-Identifier: Apache-2.0
// Shapes in parts: where these were cut from each other there is no surface.
#include <catch2/catch.hpp>

#include "core/collide/pairs.h"
#include "core/mesh/test_solids.h"
#include "core/world/prototypes.h"

using namespace drubble;
using namespace drubble::collide;

namespace {

// Two blocks side by side in x, cut apart at x = 0, 0.2 high; with what says that they were cut, or without.
shape::Shape twoBlocks(bool inner) {
  std::vector<shape::Part> parts;
  for (const double side : {-1.0, 1.0}) {
    shape::Part p{shape::box(vec3(side < 0 ? -1 : 0, -0.1, -1), vec3(side < 0 ? 0 : 1, 0.1, 1)), {}};
    const Vec3 a = vec3(0, -0.1, -1), b = vec3(0, 0.1, -1), c = vec3(0, 0.1, 1), d = vec3(0, -0.1, 1);
    if (inner && side < 0) p.inner = {{Vec3::UnitX(), 0, {{a, b, c}, {a, c, d}}}};
    if (inner && side > 0) p.inner = {{-Vec3::UnitX(), 0, {{a, c, b}, {a, d, c}}}};
    parts.push_back(p);
  }
  return shape::joined(std::move(parts));
}

double leastUp(const Manifolds& found, double sign) {
  double out = 1;
  for (const Manifold& m : found) out = std::min(out, sign * m.normal.y());
  return out;
}

}  // namespace

TEST_CASE("what comes over a seam meets no edge there") {
  for (const shape::Shape& thing :
       {shape::box(Vec3::Constant(-0.1), Vec3::Constant(0.1)), shape::sphere(0.1)})
    for (const double x : {-0.13, -0.11, -0.1001, -0.0999, -0.09, 0.02})
      for (const double sunk : {-1e-5, 0.0, 1e-5, 5e-4, 2e-3}) {
        const Pose at{vec3(x, 0.2 - sunk, 0.3), Quat::Identity()};
        Manifolds found;
        collide::collide(thing, at, twoBlocks(true), {}, 0.05, found);
        INFO("x " << x << ", sunk " << sunk);
        REQUIRE_FALSE(found.empty());
        CHECK(leastUp(found, -1) > 0.99);
        found.clear();
        collide::collide(twoBlocks(true), {}, thing, at, 0.05, found);
        CHECK(leastUp(found, 1) > 0.99);
      }
}

TEST_CASE("without that there would be one") {
  const Pose at{vec3(-0.104, 0.2 - 2e-3, 0.3), Quat::Identity()};
  Manifolds found;
  collide::collide(shape::box(Vec3::Constant(-0.1), Vec3::Constant(0.1)), at, twoBlocks(false), {}, 0.05,
                   found);
  CHECK(leastUp(found, -1) < 0.5);
}

TEST_CASE("the end of a part that was not cut is felt, and so is a floor beside a cut") {
  Manifolds found;
  collide::collide(shape::sphere(0.1), {vec3(1.09, 0, 0), Quat::Identity()}, twoBlocks(true), {}, 0.05,
                   found);
  REQUIRE(found.size() == 1);
  CHECK(found[0].normal.x() == Approx(-1));
  // A pot's floor lies in the plane that its wall was cut off at.
  double lost = 0;
  const shape::Shape pot =
      world::partsWithin(shape::convexParts(mesh::pot(0.06, 24, 2), {0.02, 32}), 64, lost);
  for (const double x : {0.0, 0.2, 0.3}) {
    found.clear();
    collide::collide(shape::sphere(0.1), {vec3(x, 0.159, 0), Quat::Identity()}, pot, {}, 0.01, found);
    INFO(x);
    double down = 0;
    for (const Manifold& m : found) down = std::max(down, -m.normal.y());
    CHECK(down == Approx(1).margin(1e-3));
  }
}
