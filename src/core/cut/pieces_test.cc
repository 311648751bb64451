// SPDX-License-Identifier: Apache-2.0
#include "core/base/error.h"
#include "core/cut/pieces_check.h"

using namespace drubble;
using namespace drubble::cut;

TEST_CASE("a long cut tells how far it has come, and comes out as it would untold") {
  const mesh::TriangleMesh ball = mesh::sphereMesh(1, 32);
  const std::vector<Vec3> sites = scattered(ball, 1100, 3);
  std::vector<double> told;
  How how;
  how.told = [&](double share) { told.push_back(share); };
  const Cut cut = cutIntoCells(ball, sites, how), untold = cutIntoCells(ball, sites);
  REQUIRE(told.size() > 5);
  CHECK(told.front() > 0);
  CHECK(told.back() <= 1);
  CHECK(std::is_sorted(told.begin(), told.end()));
  REQUIRE(cut.pieces.size() == untold.pieces.size());
  for (std::size_t k = 0; k < cut.pieces.size(); ++k)
    CHECK(cut.pieces[k].mesh.vertices == untold.pieces[k].mesh.vertices);
}

TEST_CASE("a solid with one site is one piece") {
  for (const Named& s : solids()) {
    const Cut cut = cutIntoCells(s.mesh, std::vector<Vec3>{s.mesh.bounds().centre()});
    INFO(s.name);
    CHECK(cut.pieces.size() == (std::string(s.name) == "two parts" ? 2 : 1));
    CHECK(cut.interfaces.empty());
    checkCut(s.mesh, cut);
  }
}

TEST_CASE("a box with two sites is two boxes that share a face") {
  const mesh::TriangleMesh m = mesh::boxMesh(vec3(2, 1, 1));
  const Cut cut = cutIntoCells(m, std::vector<Vec3>{vec3(-0.5, 0, 0), vec3(0.5, 0, 0)});
  checkCut(m, cut);
  REQUIRE(cut.pieces.size() == 2);
  for (const Piece& p : cut.pieces) CHECK(volumeOf(p.mesh) == Approx(1));
  REQUIRE(cut.interfaces.size() == 1);
  const Interface& face = cut.interfaces[0];
  CHECK(face.area == Approx(1));
  CHECK((face.normal - Vec3::UnitX()).norm() < 1e-12);
  CHECK(face.centroid.norm() < 1e-12);
}

TEST_CASE("cuts of all sorts of solids close, fill and fit; scattered sites and sites in a grid") {
  for (const Named& s : solids()) {
    for (std::uint64_t seed = 1; seed <= 4; ++seed) {
      INFO(s.name << ", seed " << seed);
      const Cut cut = cutIntoCells(s.mesh, scattered(s.mesh, 10 + 20 * seed, seed));
      checkCut(s.mesh, cut);
      CHECK(overlapping(cut) == Approx(0).margin(1e-6));
    }
    for (const int n : {2, 3, 4}) {
      INFO(s.name << ", grid " << n);
      const Cut cut = cutIntoCells(s.mesh, gridded(s.mesh, n));
      checkCut(s.mesh, cut);
      CHECK(overlapping(cut) == Approx(0).margin(1e-6));
    }
  }
}

TEST_CASE("cells stretched along an axis are as many times longer there, and fit as well") {
  const mesh::TriangleMesh m = mesh::boxMesh(vec3(1, 2, 1));
  const Cut cut = cutIntoCells(m, scattered(m, 60, 5), {vec3(1, 8, 1)});
  checkCut(m, cut);
  double across = 0, up = 0;
  for (const Piece& p : cut.pieces) {
    const Vec3 size = p.mesh.bounds().size();
    across += 0.5 * (size.x() + size.z());
    up += size.y();
  }
  CHECK(up > 4 * across);
  for (const Interface& i : cut.interfaces)
    for (const Vec3& c : i.corners) CHECK(absolute(i.normal.dot(c - i.centroid)) < 1e-6);
}

TEST_CASE("a cut is the same for any number of threads, and says what it cannot cut") {
  const mesh::TriangleMesh m = torus(0.5, 0.2, 24, 12);
  const std::vector<Vec3> sites = scattered(m, 80, 3);
  Team team(3);
  const Cut alone = cutIntoCells(m, sites), shared = cutIntoCells(m, sites, {}, &team);
  REQUIRE(alone.pieces.size() == shared.pieces.size());
  for (std::size_t k = 0; k < alone.pieces.size(); ++k) {
    CHECK(alone.pieces[k].mesh.vertices == shared.pieces[k].mesh.vertices);
    CHECK(alone.pieces[k].mesh.triangles == shared.pieces[k].mesh.triangles);
  }
  mesh::TriangleMesh open = mesh::boxMesh(Vec3::Ones());
  open.triangles.pop_back();
  CHECK_THROWS_AS(cutIntoCells(open, sites), Error);
  CHECK_THROWS_AS(cutIntoCells(m, {}), Error);
  CHECK_THROWS_AS(cutIntoCells(m, std::vector<Vec3>{Vec3::Zero(), vec3(1e-9, 0, 0)}), Error);
}

TEST_CASE("interfaces are flat, and skins where the mesh was, to rounding") {
  const mesh::TriangleMesh m = mesh::cylinderMesh(0.32, 1.1, Vec3::UnitY());
  const Cut cut = cutIntoCells(m, scattered(m, 40, 8), {vec3(1, 0.7, 1)});
  for (const Interface& i : cut.interfaces)
    for (const Vec3& c : i.corners) CHECK(absolute(i.normal.dot(c - i.centroid)) < 1e-12);
  for (const Piece& p : cut.pieces)
    for (std::size_t t = 0; t < p.sources.size(); ++t) {
      if (p.sources[t].inside) continue;
      const Vec3 n = m.normal(p.sources[t].index), on = m.vertices[m.triangles[p.sources[t].index][0]];
      for (const std::uint32_t v : p.mesh.triangles[t])
        CHECK(absolute(n.dot(p.mesh.vertices[v] - on)) < 1e-12);
    }
}
