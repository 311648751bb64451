// SPDX-License-Identifier: Apache-2.0
// The last guard against tunnelling: the ball inside a fast piece is swept along the motion that really
// happened, against everything on its way. Conservative advancement: as far as the gap allows, then look
// again.
#include <algorithm>

#include "core/collide/broad.h"
#include "core/collide/pairs.h"
#include "core/solve/flight.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr std::array<double, 3> kCores = {0.8, 0.4,
                                          0.1};  // of the inner radius: the largest that is free at first
constexpr double kStep = 0.2;                    // rad: farther turns of the other are cut up
constexpr int kMostAdvances = 400;

// Distance from a ball to a shape, in the shape's frame; `reach` when farther.
double ballGap(double radius, const Vec3& centre, const shape::Shape& s, double reach) {
  thread_local collide::Manifolds found;
  found.clear();
  collide::collide(shape::sphere(radius), {centre, Quat::Identity()}, s, {}, reach, found);
  double gap = reach;
  for (const collide::Manifold& m : found) gap = least(gap, m.leastGap() + s.margin);
  return gap;
}

// The share of the way at which the ball meets the shape; above 1 when it does not.
double meetingShare(double radius, const Vec3& from, const Vec3& to, const shape::Shape& s) {
  const double length = (to - from).norm(), close = 1e-3 * radius;
  if (length == 0) return 2;
  double share = 0;
  for (int k = 0; k < kMostAdvances && share < 1; ++k) {
    const double gap = ballGap(radius, from + share * (to - from), s, 4 * radius);
    if (gap <= close) return share;
    share += gap / length;
  }
  return share < 1 ? share : 2;
}

}  // namespace

// Whether the core of active body i passes into active or fixed piece's shape j (a piece) on its way;
// `too_far`: what its core has come beyond where it was stopped, world.
bool World::passesThrough(const solve::Proposal& p, std::size_t body, std::size_t piece,
                          Vec3& too_far) const {
  const std::size_t i = p.bodies[body].piece, j_body = body_of_[piece];
  const shape::Shape &a = shapeOf(i), &b = shapeOf(piece);
  const auto poseOf = [&](std::size_t step) {
    return j_body == 0 ? motion_.pose(piece) : p.way[step][j_body];
  };
  const auto coreIn = [&](std::size_t step, const Pose& other) {
    return other.toBody(p.way[step][body].toWorld(a.core));
  };
  const Vec3 start = coreIn(0, poseOf(0));
  double radius = 0;
  for (const double share : kCores) {
    radius = share * a.inner_radius;
    if (ballGap(radius, start, b, 4 * radius) > 1e-3 * radius) break;
    radius = 0;
  }
  if (radius == 0) return false;  // it begins inside: nothing to guard
  for (std::size_t step = 1; step < p.way.size(); ++step) {
    const Pose p0 = poseOf(step - 1), p1 = poseOf(step);
    const Vec3 turn = turnBetween(p0.turn, p1.turn);
    const int cuts = 1 + static_cast<int>(least(turn.norm() / kStep, 64));
    for (int k = 0; k < cuts; ++k) {
      const auto at = [&](double share) {
        const Pose q{p0.position + share * (p1.position - p0.position),
                     p0.turn.coeffs() == p1.turn.coeffs() ? p0.turn : solve::turnBy(share * turn) * p0.turn};
        const Vec3 c0 = p.way[step - 1][body].toWorld(a.core), c1 = p.way[step][body].toWorld(a.core);
        return q.toBody(c0 + share * (c1 - c0));
      };
      const Vec3 from = at(static_cast<double>(k) / cuts), to = at(static_cast<double>(k + 1) / cuts);
      const double share = meetingShare(radius, from, to, b);
      if (share > 1) continue;
      const Pose end = poseOf(p.way.size() - 1);
      too_far = p.way.back()[body].toWorld(a.core) - end.toWorld(from + share * (to - from));
      return true;
    }
  }
  return false;
}

std::vector<World::Passing> World::findPassings(const solve::Proposal& p) const {
  std::vector<Passing> out;
  if (p.way.empty()) return out;
  std::vector<Box> boxes(motion_.size());
  std::vector<collide::BoxKind> kinds(motion_.size(), collide::BoxKind::Static);
  for (std::size_t i = 0; i < boxes.size(); ++i) {
    const shape::Shape& s = shapeOf(i);
    if (!scene_.pieces[i].collide) kinds[i] = collide::BoxKind::Ignored;
    if (body_of_[i] == 0) {
      boxes[i] = shape::boundsAt(s, motion_.pose(i));
      continue;
    }
    for (const std::vector<Pose>& step : p.way) boxes[i].add(shape::boundsAt(s, step[body_of_[i]]));
    const Box& first = boxes[i];
    const double far = (first.size() - shape::boundsAt(s, motion_.pose(i)).size()).maxCoeff();
    if (far > solve::kFastShare * s.inner_radius && kinds[i] == collide::BoxKind::Static)
      kinds[i] = collide::BoxKind::Moving;
  }
  for (const auto& [i, j] : collide::overlappingPairs(boxes, kinds)) {
    if (!traits_[i].dynamic && !traits_[j].dynamic) continue;
    if (!rules_.collide(i, j)) continue;
    // The larger core is swept, of a piece that moves.
    const bool first =
        body_of_[i] != 0 && (body_of_[j] == 0 || traits_[i].inner_radius >= traits_[j].inner_radius);
    const std::size_t swept = first ? i : j, other = first ? j : i;
    if (body_of_[swept] == 0 || !(traits_[swept].inner_radius > 0)) continue;
    Vec3 too_far;
    if (!passesThrough(p, body_of_[swept], other, too_far)) continue;
    if (awake(swept))
      out.push_back({body_of_[swept], -too_far});
    else if (awake(other))
      out.push_back({body_of_[other], too_far});
  }
  return out;
}

}  // namespace drubble::world
