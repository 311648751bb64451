// SPDX-License-Identifier: Apache-2.0
// Cuts by the hundred: sites anywhere, on coarse grids, on the mesh's own vertices, mirrored. A sample runs
// with the tests; scripts/check_cuts.sh runs them all.
#include "core/base/error.h"
#include "core/cut/again.h"
#include "core/cut/pieces_check.h"

using namespace drubble;
using namespace drubble::cut;

namespace {

std::vector<Named> manySolids() {
  std::vector<Named> out = solids();
  out.push_back({"rock", mesh::rock(60)});
  out.push_back({"fine ring", torus(0.5, 0.1, 120, 40)});
  mesh::TriangleMesh can = mesh::cylinderMesh(0.4, 0.8, Vec3::UnitY(), 24);
  mesh::append(can, inverted(mesh::cylinderMesh(0.3, 0.6, Vec3::UnitY(), 24)));
  out.push_back({"hollow can", can});
  out.push_back({"can", mesh::cylinderMesh(0.4, 0.8, Vec3::UnitY(), 32)});
  out.push_back({"pot", mesh::pot(0.06, 24, 2)});
  out.push_back({"bracket", mesh::bracket()});
  out.push_back({"gear", mesh::gear(9)});
  out.push_back({"knot", mesh::knot(120, 10)});
  out.push_back({"terrain", mesh::terrain(16)});
  out.push_back({"armour unit", mesh::fourLegs()});
  out.push_back({"capsule", mesh::capsuleMesh(0.2, 0.6, Vec3::UnitX(), 12)});
  return out;
}

std::vector<Vec3> sitesFor(const Named& solid, std::uint64_t seed) {
  RandomStream r(seed, solid.name);
  std::vector<Vec3> sites = scattered(solid.mesh, static_cast<std::size_t>(2 + r.between(0, 60)), seed);
  const std::uint64_t kind = seed % 6;
  if (kind >= 1 && kind <= 3) {
    const double step = kind == 1 ? 0.1 : kind == 2 ? 0.05 : 0.25;
    for (Vec3& p : sites)
      for (int k = 0; k < 3; ++k) p[k] = step * std::floor(p[k] / step + 0.5);
  }
  if (kind == 4) {
    const auto count = static_cast<double>(solid.mesh.vertices.size());
    for (Vec3& p : sites) p = solid.mesh.vertices[static_cast<std::size_t>(r.between(0, count - 1e-9))];
  }
  if (kind == 5)
    for (std::size_t k = 0, n = sites.size(); k < n; ++k)
      sites.push_back(sites[k].cwiseProduct(vec3(-1, 1, 1)));
  std::vector<Vec3> apart;
  for (const Vec3& p : sites)
    if (std::all_of(apart.begin(), apart.end(), [&](const Vec3& q) { return (p - q).norm() >= 1e-6; }))
      apart.push_back(p);
  return apart;
}

void cutAll(std::uint64_t first, std::uint64_t last) {
  for (const Named& solid : manySolids())
    for (std::uint64_t seed = first; seed <= last; ++seed) {
      const std::vector<Vec3> sites = sitesFor(solid, seed);
      INFO(solid.name << ", seed " << seed << ", " << sites.size() << " sites");
      const Cut cut = cutIntoCells(solid.mesh, sites);
      REQUIRE_NOTHROW(checkCut(solid.mesh, cut));
      // No triangle of a face lies over another one.
      CHECK(overlapping(cut) == Approx(0).margin(1e-6 * solid.mesh.bounds().size().squaredNorm()));
    }
}

// Each third piece is cut again, with sites of the same kind.
void cutAgain(const std::vector<Named>& solids, std::uint64_t first, std::uint64_t last) {
  for (const Named& solid : solids)
    for (std::uint64_t seed = first; seed <= last; ++seed) {
      INFO(solid.name << ", seed " << seed);
      Assembly assembly(solid.mesh);
      std::vector<std::uint32_t> order;
      for (const std::uint32_t k : assembly.again(0, sitesFor(solid, seed))) {
        const Named piece{solid.name, assembly.piece(k).mesh};
        if (k % 3 != 0)
          order.push_back(k);
        else
          for (const std::uint32_t part : assembly.again(k, sitesFor(piece, seed))) order.push_back(part);
      }
      const Cut cut = assembly.finished(order);
      REQUIRE_NOTHROW(checkCut(solid.mesh, cut));
      CHECK(overlapping(cut) == Approx(0).margin(1e-6 * solid.mesh.bounds().size().squaredNorm()));
    }
}

}  // namespace

TEST_CASE("cuts with sites on planes, on vertices and mirrored close, fill and fit", "[slow]") {
  cutAll(1, 4);
}

TEST_CASE("two thousand such cuts", "[.fuzz][slow]") { cutAll(1, 120); }

TEST_CASE("pieces of such cuts, cut again, close, fill and fit", "[slow]") { cutAgain(manySolids(), 1, 2); }

// Its grids fall together, and a face folds over itself.
TEST_CASE("a line that is drawn already is gone round once, not for ever") {
  cutAgain({{"knot", mesh::knot(120, 10)}}, 25, 25);
}

TEST_CASE("six hundred of those", "[.fuzz][slow]") { cutAgain(manySolids(), 1, 36); }
