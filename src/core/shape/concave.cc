// SPDX-License-Identifier: Apache-2.0
#include "core/shape/concave.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/error.h"
#include "core/mesh/mass.h"

namespace drubble::shape {

namespace {

constexpr double kSamePlace = 1e-6;  // of the size
constexpr double kNeedle = 1e-5;     // of its size: thinner triangles do not say where they look

}  // namespace

std::optional<Polyhedron> hullOf(std::span<const Vec3> points) {
  Box box;
  for (const Vec3& p : points) box.add(p);
  if (box.empty()) return {};
  const double cell = kSamePlace * box.size().maxCoeff();
  std::vector<std::array<double, 3>> cells;
  for (const Vec3& p : points) {
    const Vec3 at = (p - box.low) / cell;
    cells.push_back({std::floor(at.x()), std::floor(at.y()), std::floor(at.z())});
  }
  std::vector<std::uint32_t> order(points.size());
  for (std::uint32_t k = 0; k < order.size(); ++k) order[k] = k;
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    return cells[a] != cells[b] ? cells[a] < cells[b] : a < b;
  });
  std::vector<Vec3> apart;
  for (std::size_t k = 0; k < order.size(); ++k)
    if (k == 0 || cells[order[k]] != cells[order[k - 1]]) apart.push_back(points[order[k]]);
  try {
    return convexHull(apart);
  } catch (const Error&) {  // flat
    return {};
  }
}

double volumeOf(const Polyhedron& p) { return mesh::massProperties(meshOf(p)).volume; }

double exitAlong(const Polyhedron& hull, const Vec3& x, const Vec3& d, double enough) {
  double out = std::numeric_limits<double>::infinity();
  for (const Face& f : hull.faces) {
    const double fast = f.normal.dot(d);
    if (!(fast > 1e-9)) continue;
    out = least(out, (f.offset - f.normal.dot(x)) / fast);
    if (out <= enough) break;
  }
  return greatest(out, 0);
}

void judge(const Solid& s, const Polyhedron& hull, double& proud, std::size_t& deepest) {
  const double thin = kNeedle * s.mesh.bounds().size().maxCoeff();
  for (std::size_t t = 0; t < s.mesh.triangles.size(); ++t) {
    if (!s.skin[t]) continue;
    const auto [i, j, k] = s.mesh.triangles[t];
    const Vec3 &a = s.mesh.vertices[i], &b = s.mesh.vertices[j], &c = s.mesh.vertices[k];
    const double longest = greatest((b - a).norm(), greatest((c - b).norm(), (a - c).norm()));
    const Vec3 normal = (b - a).cross(c - a);
    if (!(normal.norm() > thin * longest)) continue;
    if (const double out = exitAlong(hull, (a + b + c) / 3, normal.normalized(), proud); out > proud)
      proud = out, deepest = t;
  }
}

bool measure(Solid& s) {
  const std::optional<Polyhedron> hull = hullOf(s.mesh.vertices);
  if (!hull) return false;
  s.hull = *hull;
  s.volume = mesh::massProperties(s.mesh).volume;
  s.around = volumeOf(s.hull);
  judge(s, s.hull, s.proud, s.deepest);
  return true;
}

}  // namespace drubble::shape
