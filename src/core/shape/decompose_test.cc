// SPDX-License-Identifier: Apache-2.0
#include "core/shape/decompose.h"

#include <catch2/catch.hpp>

#include "core/base/error.h"
#include "core/mesh/mass.h"
#include "core/mesh/test_solids.h"
#include "core/shape/hull.h"

using namespace drubble;
using namespace drubble::shape;

namespace {

// How much of a lattice's points within the hulls, or of those within the mesh, lies where it should not.
struct Fill {
  double missing = 0, extra = 0;  // shares of the mesh's volume
};
Fill fillOf(const mesh::TriangleMesh& m, const ConvexParts& parts, int n) {
  std::vector<Polyhedron> hulls;
  for (const ConvexPart& p : parts.parts) hulls.push_back(convexHull(p.corners));
  const mesh::Tree tree(m);
  const Box box = m.bounds().grown(0.01 * m.bounds().size().norm());
  Fill out;
  double within = 0;
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j)
      for (int k = 0; k < n; ++k) {
        const Vec3 p = box.low + vec3((i + 0.5) / n, (j + 0.5) / n, (k + 0.5) / n).cwiseProduct(box.size());
        const bool solid = tree.inside(m, p);
        const bool felt = std::any_of(hulls.begin(), hulls.end(), [&](const Polyhedron& h) {
          return std::all_of(h.faces.begin(), h.faces.end(),
                             [&](const Face& f) { return f.normal.dot(p) <= f.offset + 1e-6; });
        });
        within += solid;
        out.missing += solid && !felt;
        out.extra += felt && !solid;
      }
  out.missing /= within;
  out.extra /= within;
  return out;
}

}  // namespace

TEST_CASE("a convex solid is one part without inner planes") {
  const ConvexParts box = convexParts(mesh::boxMesh(vec3(1, 2, 3)), {0.01, 32});
  REQUIRE(box.parts.size() == 1);
  CHECK(box.parts[0].inner.empty());
  CHECK(box.parts[0].corners.size() == 8);
  CHECK(box.proud == Approx(0).margin(1e-12));
  CHECK(convexParts(mesh::sphereMesh(0.5, 24), {0.01, 32}).parts.size() == 1);
}

TEST_CASE("a bracket is two boxes that share an inner plane") {
  const ConvexParts l = convexParts(mesh::bracket(), {0.01, 32});
  REQUIRE(l.parts.size() == 2);
  for (const ConvexPart& p : l.parts) {
    CHECK(p.corners.size() <= 12);  // a film of the other one's side among them
    CHECK(p.inner.size() == 1);
  }
  CHECK((l.parts[0].inner[0].normal + l.parts[1].inner[0].normal).norm() < 1e-9);
  CHECK(l.proud < 1e-4);
}

TEST_CASE("concave solids are filled by their parts, and little else is", "[slow]") {
  struct Case {
    const char* name;
    mesh::TriangleMesh mesh;
    int most;
    double extra;
  };
  const std::vector<Case> cases = {{"ring", mesh::torus(0.4, 0.1, 48, 16), 32, 0.04},
                                   {"pot", mesh::pot(0.06, 48, 4), 64, 0.08},  // 3 % of what it holds
                                   {"gear", mesh::gear(10), 32, 0.04},
                                   {"armour", mesh::fourLegs(), 32, 0.06}};
  for (const Case& c : cases) {
    const double size = c.mesh.bounds().size().maxCoeff();
    const ConvexParts parts = convexParts(c.mesh, {0.015 * size, c.most});
    const Fill fill = fillOf(c.mesh, parts, 40);
    INFO(c.name << ": " << parts.parts.size() << " parts, " << parts.proud << " proud, " << fill.extra);
    CHECK(parts.parts.size() <= static_cast<std::size_t>(c.most));
    CHECK(fill.missing < 0.002);
    CHECK(fill.extra < c.extra);
  }
}

TEST_CASE("parts are the same for any number of threads, and what is open has none") {
  const mesh::TriangleMesh m = mesh::torus(0.4, 0.1, 24, 8);
  Team team(3);
  const ConvexParts a = convexParts(m, {0.02, 16}), b = convexParts(m, {0.02, 16}, &team);
  REQUIRE(a.parts.size() == b.parts.size());
  for (std::size_t k = 0; k < a.parts.size(); ++k) CHECK(a.parts[k].corners == b.parts[k].corners);
  mesh::TriangleMesh open = m;
  open.triangles.pop_back();
  CHECK_THROWS_AS(convexParts(open, {0.02, 16}), Error);
}
