// SPDX-License-Identifier: Apache-2.0
#include "core/collide/contact.h"

#include <limits>

namespace drubble::collide {

double Manifold::leastGap() const {
  double g = std::numeric_limits<double>::infinity();
  for (int i = 0; i < count; ++i) g = least(g, points[static_cast<std::size_t>(i)].gap);
  return g;
}

namespace {

constexpr double kLevel = 1e-6;    // of the patch's extent: no deeper counts as just as deep
constexpr double kClearly = 1e-4;  // of the distance
constexpr double kAsLow = 2.5e-4;  // of the patch's extent: points no higher than that touch with the deepest
constexpr double kApart = 1e-3;    // of the patch's extent: points nearer than that are one
constexpr double kHovering = 0.2;  // of its distance: what a point counts that is far from touching

}  // namespace

void keepFour(const std::vector<Point>& points, Manifold& out) {
  const std::size_t n = points.size();
  out.count = 0;
  if (n <= 4) {
    for (const Point& p : points) out.points[static_cast<std::size_t>(out.count++)] = p;
    return;
  }
  // A candidate must beat the earlier ones clearly: points that are nearly as good would take turns, and a
  // piece at rest would creep.
  const auto pick = [&](double slack, auto measure) {
    double most = measure(points[0]);
    for (std::size_t i = 1; i < n; ++i) most = greatest(most, measure(points[i]));
    std::size_t best = 0;
    while (measure(points[best]) < most - slack * absolute(most)) ++best;
    return std::pair{best, most};
  };
  Box extent;
  double lowest = points[0].gap;
  for (const Point& p : points) extent.add(p.position), lowest = least(lowest, p.gap);
  const double level = lowest + kLevel * extent.size().norm();
  const auto deepest = pick(0, [&](const Point& p) { return p.gap <= level ? 1.0 : 0.0; }).first;
  const Vec3 a = points[deepest].position;
  // What touches goes before what hovers, or a corner that bears would be dropped for one that does not
  // reach: the piece would tip over it, and back.
  const double size = extent.size().norm(), low = kAsLow * size;
  const auto pickTouching = [&](double apart, auto measure) {
    const auto found =
        pick(kClearly, [&](const Point& p) { return p.gap <= lowest + low ? measure(p) : 0.0; });
    if (found.second > apart) return found;
    return pick(kClearly, [&](const Point& p) {
      return greatest(kHovering, low / greatest(low, p.gap - lowest)) * measure(p);
    });
  };
  const auto far = pickTouching(kApart * size, [&](const Point& p) {
                     return out.normal.cross(p.position - a).norm();
                   }).first;
  const Vec3 side = out.normal.cross(points[far].position - a);
  const double apart = kApart * size * side.norm();
  const auto left = pickTouching(apart, [&](const Point& p) { return side.dot(p.position - a); });
  const auto right = pickTouching(apart, [&](const Point& p) { return -side.dot(p.position - a); });
  out.points[static_cast<std::size_t>(out.count++)] = points[deepest];
  if (far != deepest) out.points[static_cast<std::size_t>(out.count++)] = points[far];
  const double flat = 1e-9 * side.squaredNorm();
  if (left.second > flat) out.points[static_cast<std::size_t>(out.count++)] = points[left.first];
  if (right.second > flat) out.points[static_cast<std::size_t>(out.count++)] = points[right.first];
}

}  // namespace drubble::collide
