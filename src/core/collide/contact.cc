// SPDX-License-Identifier: Apache-2.0
#include "core/collide/contact.h"

#include <array>
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
constexpr double kHovering = 0.25;  // of its distance: what a point counts that is far from touching
constexpr double kBeside = 2;       // times what the other side of the line through the first two gives

}  // namespace

void keepFour(const std::vector<Point>& points, Manifold& out, Rim rim) {
  const std::size_t n = points.size();
  out.count = 0;
  if (n <= 4) {
    for (const Point& p : points) out.points[static_cast<std::size_t>(out.count++)] = p;
    return;
  }
  // A candidate must beat the earlier ones clearly: points that are nearly as good would take turns, and a
  // piece at rest would creep.
  thread_local std::vector<double> worth, share;  // a point
  worth.resize(n);
  share.resize(n);
  const auto pick = [&](const std::vector<double>& of) {
    double most = of[0];
    for (std::size_t i = 1; i < n; ++i) most = greatest(most, of[i]);
    std::size_t best = 0;
    while (of[best] < most - kClearly * absolute(most)) ++best;
    return std::pair{best, most};
  };
  Box extent;
  double lowest = points[0].gap;
  for (const Point& p : points) extent.add(p.position), lowest = least(lowest, p.gap);
  const double level = lowest + kLevel * extent.size().norm();
  std::size_t deepest = 0;
  while (!(points[deepest].gap <= level)) ++deepest;
  const Vec3 a = points[deepest].position;
  // What touches goes before what hovers, or a corner that bears would be dropped for one that does not
  // reach: the piece would tip over it, and back. But a patch of touching points along one rim alone would
  // let something thin turn past flat: to both sides of the two that bear, what is much farther out counts,
  // and of a smooth rim distance alone.
  const double size = extent.size().norm(), low = kAsLow * size;
  const double hovering = rim == Rim::Smooth ? 1 : kHovering;
  const auto pickTouching = [&](double least_share, double apart, auto measure) {
    for (std::size_t i = 0; i < n; ++i) {
      worth[i] = measure(points[i]);
      share[i] = points[i].gap <= lowest + low ? worth[i] : 0;
    }
    const auto touching = pick(share);
    if (touching.second > greatest(apart, least_share * pick(worth).second)) return touching;
    for (std::size_t i = 0; i < n; ++i)
      share[i] = greatest(hovering, low / greatest(low, points[i].gap - lowest)) * worth[i];
    return pick(share);
  };
  // Corners that bear side by side are both kept, however near.
  const auto far = pickTouching(rim == Rim::Smooth ? hovering : 0, kApart * size, [&](const Point& p) {
                     return out.normal.cross(p.position - a).norm();
                   }).first;
  const Vec3 side = out.normal.cross(points[far].position - a);
  const double apart = kApart * size * side.norm();
  const auto left = pickTouching(hovering, apart, [&](const Point& p) { return side.dot(p.position - a); });
  const auto right = pickTouching(hovering, apart, [&](const Point& p) { return -side.dot(p.position - a); });
  const double flat = 1e-9 * side.squaredNorm();
  std::array<std::size_t, 4> kept{deepest, far, left.first, right.first};
  std::array<bool, 4> wanted{true, far != deepest, left.second > flat, right.second > flat};
  // Where the first two are a side of the patch, the third has both others to stand for: beside it counts,
  // too.
  const bool on_left = left.second >= right.second;
  const std::size_t third = on_left ? 2 : 3, fourth = 5 - third;
  if (wanted[third]) {
    const Vec3 c = points[kept[third]].position, b = points[far].position;
    const double way = on_left ? -1 : 1;
    const Vec3 past_b = way * out.normal.cross(c - b), past_a = way * out.normal.cross(a - c);
    const auto beside = pickTouching(hovering, apart, [&](const Point& p) {
      return greatest(past_b.dot(p.position - c), past_a.dot(p.position - c));
    });
    if (beside.second > greatest(flat, kBeside * (on_left ? right : left).second))
      kept[fourth] = beside.first, wanted[fourth] = true;
  }
  for (std::size_t k = 0; k < 4; ++k)
    if (wanted[k]) out.points[static_cast<std::size_t>(out.count++)] = points[kept[k]];
}

}  // namespace drubble::collide
