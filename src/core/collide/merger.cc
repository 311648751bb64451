// SPDX-License-Identifier: Apache-2.0
#include "core/collide/merger.h"

namespace drubble::collide {

namespace {

constexpr double kSameNormal = 0.999;  // within 2.5 degrees

}  // namespace

void Merger::begin(double same_place) {
  groups_.clear();
  same_place_ = same_place;
}

Merger::Group& Merger::homeOf(const Manifold& m) {
  for (Group& g : groups_)
    if (g.normal.dot(m.normal) > kSameNormal) return g;
  return groups_.emplace_back(Group{m.normal, m.leastGap(), m.sub, {}, {}});
}

void Merger::add(const Manifold& m) {
  Group& home = homeOf(m);
  if (m.leastGap() < home.deepest) {
    home.deepest = m.leastGap();
    home.sub = m.sub;
  }
  home.members.emplace_back(m.normal, m.leastGap());
  for (int i = 0; i < m.count; ++i) addPoint(home, m.points[static_cast<std::size_t>(i)]);
}

// Nearer patches weigh more, without a jump when another becomes the nearest.
Vec3 Merger::meanNormal(const Group& g) const {
  if (g.members.size() == 1) return g.members.front().first;
  Vec3 sum = Vec3::Zero();
  for (const auto& [normal, gap] : g.members) {
    const double x = (gap - g.deepest) / (10 * same_place_);
    sum += normal / ((1 + x * x) * (1 + x * x));
  }
  return sum.normalized();
}

void Merger::addPoint(Group& g, const Point& p) const {
  for (Point& q : g.points) {
    if ((q.position - p.position).squaredNorm() > same_place_ * same_place_) continue;
    if (p.gap < q.gap) q = p;
    return;
  }
  g.points.push_back(p);
}

void Merger::finish(const Pose& pose, Manifolds& out) const {
  for (const Group& g : groups_) {
    Manifold m;
    m.sub = g.sub;
    m.normal = pose.turn * meanNormal(g);
    std::vector<Point> points = g.points;
    for (Point& p : points) p.position = pose.toWorld(p.position);
    keepFour(points, m);
    out.push_back(m);
  }
}

}  // namespace drubble::collide
