// SPDX-License-Identifier: Apache-2.0
#include "core/cut/again.h"

#include "core/base/error.h"
#include "core/cut/pieces_check.h"

using namespace drubble;
using namespace drubble::cut;

namespace {

// Cuts every `every`-th piece of a cut again, one after the other.
Cut twice(const mesh::TriangleMesh& m, std::span<const Vec3> sites, std::uint32_t every,
          const std::function<std::vector<Vec3>(const mesh::TriangleMesh&, std::uint32_t)>& sites_of) {
  Assembly assembly(m);
  const std::vector<std::uint32_t> once = assembly.again(0, sites);
  std::vector<std::uint32_t> order;
  for (std::uint32_t k = 0; k < once.size(); ++k) {
    if (k % every != 0) {
      order.push_back(once[k]);
      continue;
    }
    const mesh::TriangleMesh piece = assembly.piece(once[k]).mesh;
    for (const std::uint32_t part : assembly.again(once[k], sites_of(piece, k))) order.push_back(part);
  }
  return assembly.finished(order);
}

}  // namespace

TEST_CASE("a triangle with places on its sides is divided without needles") {
  std::vector<Vec3> places = {vec3(0, 0, 0),   vec3(1, 0, 0),     vec3(0, 1, 0),  vec3(0.3, 0, 0),
                              vec3(0.6, 0, 0), vec3(0.5, 0.5, 0), vec3(0, 0.2, 0)};
  const std::array<std::vector<std::uint32_t>, 3> sides = {{{3, 4}, {5}, {6}}};
  Joined joined;
  const std::vector<mesh::Triangle> parts = dividedTriangle({0, 1, 2}, sides, places, joined);
  CHECK(parts.size() == 5);
  double area = 0;
  for (const mesh::Triangle& t : parts) {
    const double a = 0.5 * (places[t[1]] - places[t[0]]).cross(places[t[2]] - places[t[0]]).z();
    CHECK(a > 1e-3);
    area += a;
  }
  CHECK(area == Approx(0.5));
  // The only line that parts it in two is there already.
  const std::array<std::vector<std::uint32_t>, 3> one = {{{3}, {}, {}}};
  Joined taken;
  taken.add(3, 2);
  CHECK(dividedTriangle({0, 1, 2}, one, places, taken).size() == 4);
  CHECK(places.size() == 8);
}

TEST_CASE("pieces cut again close, fill and fit, in all sorts of solids") {
  for (const Named& s : solids())
    for (std::uint64_t seed = 1; seed <= 3; ++seed)
      for (const std::uint32_t every : {1u, 3u}) {
        INFO(s.name << ", seed " << seed << ", every " << every);
        const Cut cut =
            twice(s.mesh, scattered(s.mesh, 12, seed), every,
                  [&](const auto& piece, std::uint32_t k) { return scattered(piece, 6, 7 * seed + k); });
        checkCut(s.mesh, cut);
      }
}

TEST_CASE("pieces of a grid cut into grids again fit, also where all planes fall together") {
  for (const Named& s : solids())
    for (const int n : {2, 3}) {
      INFO(s.name << ", grid " << n);
      checkCut(s.mesh, twice(s.mesh, gridded(s.mesh, 2), 1,
                             [&](const auto& piece, std::uint32_t) { return gridded(piece, n); }));
    }
}

TEST_CASE("courses cut into bricks share a face with each brick above and below") {
  const mesh::TriangleMesh wall = mesh::boxMesh(vec3(4, 2, 0.5));
  const std::vector<Vec3> courses = {vec3(0, -0.5, 0), vec3(0, 0.5, 0)};
  const Cut cut = twice(wall, courses, 1, [](const auto&, std::uint32_t k) {
    std::vector<Vec3> out;
    for (double x = k == 0 ? -1.5 : -2; x < 2.1; x += 1) out.push_back(vec3(x, k == 0 ? -0.5 : 0.5, 0));
    return out;
  });
  checkCut(wall, cut);
  REQUIRE(cut.pieces.size() == 9);
  int across = 0;
  double area = 0;
  for (const Interface& i : cut.interfaces) {
    if (absolute(i.normal.y()) < 0.5) continue;
    ++across;
    area += i.area;
    CHECK(i.area == Approx(0.25));
    CHECK(i.a < i.b);
    CHECK(i.normal.y() == Approx(1));
    CHECK(i.corners.size() >= 4);
  }
  CHECK(across == 8);
  CHECK(area == Approx(2));
}

TEST_CASE("sources lead back to the first mesh's triangles, however often it was cut") {
  const mesh::TriangleMesh m = mesh::boxMesh(vec3(1, 2, 1));
  const Cut cut = twice(m, scattered(m, 8, 1), 2,
                        [&](const auto& piece, std::uint32_t k) { return scattered(piece, 5, k); });
  std::vector<double> area(m.triangles.size(), 0);
  for (const Piece& p : cut.pieces)
    for (std::size_t t = 0; t < p.sources.size(); ++t) {
      if (p.sources[t].inside) {
        REQUIRE(p.sources[t].index < cut.interfaces.size());
        continue;
      }
      const auto [a, b, c] = p.mesh.triangles[t];
      area[p.sources[t].index] +=
          0.5 *
          (p.mesh.vertices[b] - p.mesh.vertices[a]).cross(p.mesh.vertices[c] - p.mesh.vertices[a]).norm();
    }
  for (std::size_t t = 0; t < area.size(); ++t) {
    const auto [a, b, c] = m.triangles[t];
    CHECK(area[t] ==
          Approx(0.5 * (m.vertices[b] - m.vertices[a]).cross(m.vertices[c] - m.vertices[a]).norm()));
  }
}
