// SPDX-License-Identifier: Apache-2.0
// What convex parts cost and how well they fit: a pot of some 18 000 triangles. Usage: parts_bench [threads]
#include <cstdlib>

#include "core/base/team.h"
#include "core/measure/fit.h"
#include "core/mesh/mass.h"
#include "core/mesh/test_solids.h"
#include "core/world/prototypes.h"
#include "measures.h"

using namespace drubble;

int main(int argc, char** argv) {
  const int threads = argc > 1 ? std::atoi(argv[1]) : 2;
  mesh::TriangleMesh pot = mesh::pot(0.06, 160, 14);
  const Vec3 centre = mesh::massProperties(pot).centre;
  for (Vec3& v : pot.vertices) v -= centre;
  Team team(threads);
  const double start = bench::seconds();
  const shape::ConvexParts parts = shape::convexParts(pot, {0.01, 64}, &team);
  const double took = bench::seconds() - start;
  double lost = 0;
  const measure::Fit fit = measure::cavityFit(pot, world::partsWithin(parts, 64, lost), 100000);
  std::printf("%zu triangles in %zu parts, %d threads: %.2f s; %.1f %% of its cavity is plugged\n",
              pot.triangles.size(), parts.parts.size(), threads, took, 100 * fit.plugged);
}
