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
constexpr double kHovering = 0.25;  // of its distance: what a point counts that is far from touching
constexpr double kBeside = 2;       // times what the other side of the line through the first two gives

// Picks points of a patch, by what they are worth for something. A candidate must beat the earlier ones
// clearly: points that are nearly as good would take turns, and a piece at rest would creep.
class Choice {
 public:
  struct Best {
    std::size_t point = 0;
    double worth = 0;
  };

  Choice(const std::vector<Point>& points, Rim rim)
      : points_(points), hovering_(rim == Rim::Smooth ? 1 : kHovering) {
    Box extent;
    lowest_ = points[0].gap;
    for (const Point& p : points) extent.add(p.position), lowest_ = least(lowest_, p.gap);
    size_ = extent.size().norm();
    low_ = kAsLow * size_;
    worth_.resize(points.size());
    share_.resize(points.size());
  }

  double size() const { return size_; }
  double hovering() const { return hovering_; }

  std::size_t deepest() const {
    const double level = lowest_ + kLevel * size_;
    std::size_t k = 0;
    while (!(points_[k].gap <= level)) ++k;
    return k;
  }

  // What touches goes before what hovers, or a corner that bears would be dropped for one that does not
  // reach: the piece would tip over it, and back. But a patch of touching points along one rim alone would
  // let something thin turn past flat: to both sides of the two that bear, what is much farther out counts,
  // and of a smooth rim distance alone.
  template <class Measure>
  Best touching(double least_share, double apart, Measure measure) {
    for (std::size_t i = 0; i < points_.size(); ++i) {
      worth_[i] = measure(points_[i]);
      share_[i] = points_[i].gap <= lowest_ + low_ ? worth_[i] : 0;
    }
    const Best best = bestOf(share_);
    if (best.worth > greatest(apart, least_share * bestOf(worth_).worth)) return best;
    for (std::size_t i = 0; i < points_.size(); ++i)
      share_[i] = greatest(hovering_, low_ / greatest(low_, points_[i].gap - lowest_)) * worth_[i];
    return bestOf(share_);
  }

 private:
  static Best bestOf(const std::vector<double>& of) {
    double most = of[0];
    for (const double x : of) most = greatest(most, x);
    std::size_t best = 0;
    while (of[best] < most - kClearly * absolute(most)) ++best;
    return {best, most};
  }

  const std::vector<Point>& points_;
  double hovering_, lowest_ = 0, size_ = 0, low_ = 0;
  inline static thread_local std::vector<double> worth_, share_;  // a point
};

}  // namespace

void keepFour(const std::vector<Point>& points, Manifold& out, Rim rim) {
  out.count = 0;
  const auto keep = [&](std::size_t k) { out.points[static_cast<std::size_t>(out.count++)] = points[k]; };
  if (points.size() <= 4) {
    for (std::size_t k = 0; k < points.size(); ++k) keep(k);
    return;
  }
  Choice choice(points, rim);
  const std::size_t deepest = choice.deepest();
  const Vec3 a = points[deepest].position;
  // Corners that bear side by side are both kept, however near.
  const std::size_t far =
      choice
          .touching(rim == Rim::Smooth ? choice.hovering() : 0, kApart * choice.size(),
                    [&](const Point& p) { return out.normal.cross(p.position - a).norm(); })
          .point;
  const Vec3 b = points[far].position, side = out.normal.cross(b - a);
  const double apart = kApart * choice.size() * side.norm(), flat = 1e-9 * side.squaredNorm();
  const auto farthest = [&](auto measure) { return choice.touching(choice.hovering(), apart, measure); };
  Choice::Best left = farthest([&](const Point&p) { return side.dot(p.position - a); }),
               right = farthest([&](const Point&p) { return -side.dot(p.position - a); });
  // Where the first two are a side of the patch, the third has both others to stand for: beside it counts,
  // too.
  const bool on_left = left.worth >= right.worth;
  Choice::Best &third = on_left ? left : right, &fourth = on_left ? right : left;
  if (third.worth > flat) {
    const double way = on_left ? -1 : 1;
    const Vec3 c = points[third.point].position, past_b = way * out.normal.cross(c - b),
               past_a = way * out.normal.cross(a - c);
    const Choice::Best beside = farthest(
        [&](const Point& p) { return greatest(past_b.dot(p.position - c), past_a.dot(p.position - c)); });
    if (beside.worth > greatest(flat, kBeside * fourth.worth)) fourth = beside;
  }
  keep(deepest);
  if (far != deepest) keep(far);
  for (const Choice::Best& x : {left, right})
    if (x.worth > flat) keep(x.point);
}

}  // namespace drubble::collide
