// SPDX-License-Identifier: Apache-2.0
#include "core/collide/contact.h"

#include <limits>

namespace drubble::collide {

double Manifold::leastGap() const {
  double g = std::numeric_limits<double>::infinity();
  for (int i = 0; i < count; ++i) g = least(g, points[static_cast<std::size_t>(i)].gap);
  return g;
}

void keepFour(const std::vector<Point>& points, Manifold& out) {
  const std::size_t n = points.size();
  out.count = 0;
  if (n <= 4) {
    for (const Point& p : points) out.points[static_cast<std::size_t>(out.count++)] = p;
    return;
  }
  // A candidate must beat the best so far by more than rounding, so that symmetric patches choose alike
  // everywhere.
  const auto pick = [&](auto measure) {
    std::size_t best = 0;
    double most = measure(points[0]);
    for (std::size_t i = 1; i < n; ++i) {
      const double m = measure(points[i]);
      if (m > most + 1e-9 * absolute(most)) most = m, best = i;
    }
    return std::pair{best, most};
  };
  const auto deepest = pick([](const Point& p) { return -p.gap; }).first;
  const Vec3 a = points[deepest].position;
  const auto far = pick([&](const Point& p) { return out.normal.cross(p.position - a).squaredNorm(); }).first;
  const Vec3 side = out.normal.cross(points[far].position - a);
  const auto left = pick([&](const Point& p) { return side.dot(p.position - a); });
  const auto right = pick([&](const Point& p) { return -side.dot(p.position - a); });
  out.points[static_cast<std::size_t>(out.count++)] = points[deepest];
  if (far != deepest) out.points[static_cast<std::size_t>(out.count++)] = points[far];
  const double flat = 1e-9 * side.squaredNorm();
  if (left.second > flat) out.points[static_cast<std::size_t>(out.count++)] = points[left.first];
  if (right.second > flat) out.points[static_cast<std::size_t>(out.count++)] = points[right.first];
}

}  // namespace drubble::collide
