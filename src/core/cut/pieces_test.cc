// SPDX-License-Identifier: Apache-2.0
#include "core/cut/pieces.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <map>

#include "core/base/error.h"
#include "core/base/random.h"
#include "core/mesh/mass.h"
#include "core/mesh/tree.h"

using namespace drubble;
using namespace drubble::cut;

namespace {

mesh::TriangleMesh torus(double radius, double tube, int around, int about) {
  mesh::TriangleMesh m;
  const double turn = 2 * std::acos(-1.0);
  const auto at = [&](int i, int j) { return static_cast<std::uint32_t>((i % around) * about + j % about); };
  for (int i = 0; i < around; ++i)
    for (int j = 0; j < about; ++j) {
      const double a = turn * i / around, b = turn * j / about, r = radius + tube * std::cos(b);
      m.vertices.push_back(vec3(r * std::cos(a), tube * std::sin(b), -r * std::sin(a)));
      m.triangles.push_back({at(i, j), at(i + 1, j), at(i + 1, j + 1)});
      m.triangles.push_back({at(i, j), at(i + 1, j + 1), at(i, j + 1)});
    }
  return m;
}

mesh::TriangleMesh inverted(mesh::TriangleMesh m) {
  for (mesh::Triangle& t : m.triangles) std::swap(t[1], t[2]);
  return m;
}

mesh::TriangleMesh moved(const mesh::TriangleMesh& m, const Vec3& by) {
  return mesh::transformed(m, Vec3::Ones(), {by, Quat::Identity()});
}

struct Named {
  const char* name;
  mesh::TriangleMesh mesh;
};

// Solids of every sort: convex and not, with a hole, with a hollow, of two parts, thin.
std::vector<Named> solids() {
  std::vector<Named> out;
  out.push_back({"box", mesh::boxMesh(vec3(1, 0.7, 1.3))});
  out.push_back({"ball", mesh::sphereMesh(0.6, 16)});
  out.push_back({"ring", torus(0.5, 0.2, 24, 12)});
  mesh::TriangleMesh shell = mesh::boxMesh(vec3(1, 1, 1));
  mesh::append(shell, inverted(mesh::boxMesh(vec3(0.7, 0.7, 0.7))));
  out.push_back({"hollow box", shell});
  mesh::TriangleMesh two = moved(mesh::boxMesh(vec3(0.4, 0.5, 0.5)), vec3(-0.4, 0, 0));
  mesh::append(two, moved(mesh::sphereMesh(0.3, 10), vec3(0.4, 0.1, 0)));
  out.push_back({"two parts", two});
  out.push_back({"plate", mesh::boxMesh(vec3(1, 0.01, 1))});
  return out;
}

double volumeOf(const mesh::TriangleMesh& m) { return mesh::massProperties(m).volume; }

std::vector<Vec3> scattered(const mesh::TriangleMesh& m, std::size_t count, std::uint64_t seed) {
  RandomStream r(seed, "sites");
  const Box box = m.bounds();
  std::vector<Vec3> out;
  while (out.size() < count)
    out.push_back(vec3(r.between(box.low.x(), box.high.x()), r.between(box.low.y(), box.high.y()),
                       r.between(box.low.z(), box.high.z())));
  return out;
}

// A regular grid: every corner is one of eight cells, every edge one of four.
std::vector<Vec3> gridded(const mesh::TriangleMesh& m, int n) {
  const Box box = m.bounds();
  std::vector<Vec3> out;
  for (int x = 0; x < n; ++x)
    for (int y = 0; y < n; ++y)
      for (int z = 0; z < n; ++z)
        out.push_back(box.low + vec3((x + 0.5) / n, (y + 0.5) / n, (z + 0.5) / n).cwiseProduct(box.size()));
  return out;
}

using Key = std::array<double, 9>;
Key keyOf(const mesh::TriangleMesh& m, const mesh::Triangle& t, bool other_way) {
  std::array<std::array<double, 3>, 3> p;
  for (std::size_t k = 0; k < 3; ++k) {
    const Vec3& v = m.vertices[t[other_way ? 2 - k : k]];
    p[k] = {v.x(), v.y(), v.z()};
  }
  std::rotate(p.begin(), std::min_element(p.begin(), p.end()), p.end());
  Key out{};
  for (std::size_t k = 0; k < 9; ++k) out[k] = p[k / 3][k % 3];
  return out;
}

// What is asked of any cut: closed outward pieces that fill the solid, their faces in pairs.
void checkCut(const mesh::TriangleMesh& m, const Cut& cut) {
  double sum = 0;
  std::map<Key, int> faces;
  for (const Piece& p : cut.pieces) {
    REQUIRE(p.sources.size() == p.mesh.triangles.size());
    const mesh::Closedness c = mesh::closedness(p.mesh);
    CHECK(c.open_edges == 0);
    CHECK(c.flipped_edges == 0);
    CHECK(c.crowded_edges == 0);
    const double volume = volumeOf(p.mesh);
    CHECK(volume > -1e-12);
    sum += volume;
    for (std::size_t t = 0; t < p.sources.size(); ++t)
      if (p.sources[t].inside) {
        ++faces[keyOf(p.mesh, p.mesh.triangles[t], false)];
        --faces[keyOf(p.mesh, p.mesh.triangles[t], true)];
      }
  }
  CHECK(sum == Approx(volumeOf(m)).epsilon(1e-6));
  CHECK(std::all_of(faces.begin(), faces.end(), [](const auto& f) { return f.second == 0; }));
  for (const Interface& i : cut.interfaces) {
    REQUIRE(i.a < cut.pieces.size());
    REQUIRE(i.b < cut.pieces.size());
    CHECK(cut.pieces[i.a].cell < cut.pieces[i.b].cell);
    CHECK(i.area >= 0);
  }
}

}  // namespace

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
      checkCut(s.mesh, cutIntoCells(s.mesh, scattered(s.mesh, 10 + 20 * seed, seed)));
    }
    for (const int n : {2, 3, 4}) {
      INFO(s.name << ", grid " << n);
      checkCut(s.mesh, cutIntoCells(s.mesh, gridded(s.mesh, n)));
    }
  }
}

TEST_CASE("cells stretched along an axis are as many times longer there, and fit as well") {
  const mesh::TriangleMesh m = mesh::boxMesh(vec3(1, 2, 1));
  const Cut cut = cutIntoCells(m, scattered(m, 60, 5), nullptr, vec3(1, 8, 1));
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
  const Cut alone = cutIntoCells(m, sites), shared = cutIntoCells(m, sites, &team);
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
  const Cut cut = cutIntoCells(m, scattered(m, 40, 8), nullptr, vec3(1, 0.7, 1));
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
