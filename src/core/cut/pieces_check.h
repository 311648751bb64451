// SPDX-License-Identifier: Apache-2.0
// For tests: solids of every sort, sites among them, and what is asked of any cut.
#pragma once
#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <map>

#include "core/base/random.h"
#include "core/cut/pieces.h"
#include "core/mesh/mass.h"
#include "core/mesh/test_solids.h"

namespace drubble::cut {

using mesh::inverted;
using mesh::moved;
using mesh::torus;

struct Named {
  const char* name;
  mesh::TriangleMesh mesh;
};

// Solids of every sort: convex and not, with a hole, with a hollow, of two parts, thin.
inline std::vector<Named> solids() {
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

inline double volumeOf(const mesh::TriangleMesh& m) { return mesh::massProperties(m).volume; }

inline std::vector<Vec3> scattered(const mesh::TriangleMesh& m, std::size_t count, std::uint64_t seed) {
  RandomStream r(seed, "sites");
  const Box box = m.bounds();
  std::vector<Vec3> out;
  while (out.size() < count)
    out.push_back(vec3(r.between(box.low.x(), box.high.x()), r.between(box.low.y(), box.high.y()),
                       r.between(box.low.z(), box.high.z())));
  return out;
}

// A regular grid: every corner is one of eight cells, every edge one of four.
inline std::vector<Vec3> gridded(const mesh::TriangleMesh& m, int n) {
  const Box box = m.bounds();
  std::vector<Vec3> out;
  for (int x = 0; x < n; ++x)
    for (int y = 0; y < n; ++y)
      for (int z = 0; z < n; ++z)
        out.push_back(box.low + vec3((x + 0.5) / n, (y + 0.5) / n, (z + 0.5) / n).cwiseProduct(box.size()));
  return out;
}

using Key = std::array<double, 9>;
inline Key keyOf(const mesh::TriangleMesh& m, const mesh::Triangle& t, bool other_way) {
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
inline void checkCut(const mesh::TriangleMesh& m, const Cut& cut) {
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
    CHECK(i.a != i.b);
    CHECK(i.area >= 0);
  }
}

// By how much the triangles of faces lie over each other, or are turned over (m2).
inline double overlapping(const Cut& cut) {
  double between = 0, drawn = 0;
  for (const Interface& i : cut.interfaces) between += 2 * i.area;
  for (const Piece& p : cut.pieces)
    for (std::size_t t = 0; t < p.sources.size(); ++t) {
      if (!p.sources[t].inside) continue;
      const auto [a, b, c] = p.mesh.triangles[t];
      drawn +=
          0.5 *
          (p.mesh.vertices[b] - p.mesh.vertices[a]).cross(p.mesh.vertices[c] - p.mesh.vertices[a]).norm();
    }
  return drawn - between;
}

}  // namespace drubble::cut
