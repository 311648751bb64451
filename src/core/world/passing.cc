// SPDX-License-Identifier: Apache-2.0
// The last guard against tunnelling: the ball inside a fast piece is swept along the motion that really
// happened, against everything on its way. Conservative advancement: as far as the gap allows, then look
// again.
#include <algorithm>
#include <array>
#include <numeric>
#include <optional>

#include "core/collide/box_tree.h"
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

// The share of the way at which the ball meets the shape; none when it does not. `room`: how far it may
// surely go, at the way's start and then at its end; it is looked for up to `reach`.
std::optional<double> meetingShare(double radius, const Vec3& from, const Vec3& to, const shape::Shape& s,
                                   double reach, double& room) {
  const double length = (to - from).norm(), close = 1e-3 * radius;
  double gone = 0;
  for (int k = 0; k < kMostAdvances; ++k) {
    if (gone + room > length + close) {
      room -= length - gone;
      return {};
    }
    gone += room;
    if (gone >= length) {
      room = 0;
      return {};
    }
    room = ballGap(radius, from + gone / length * (to - from), s, reach);
    if (room <= close) return gone / length;
  }
  return gone / length;
}

// The way of a place that moves as another that moves sees it, in straight lines; returns its length.
template <class PlaceAt, class PoseAt>
double wayOf(PlaceAt place_at, PoseAt pose_at, std::size_t steps, std::vector<Vec3>& way) {
  Pose before = pose_at(0);
  Vec3 place = place_at(0);
  way.assign(1, before.toBody(place));
  double length = 0;
  for (std::size_t step = 1; step < steps; ++step) {
    const Pose after = pose_at(step);
    const Vec3 next = place_at(step);
    const bool turns = after.turn.coeffs() != before.turn.coeffs();
    const Vec3 turn = turns ? turnBetween(before.turn, after.turn) : Vec3(Vec3::Zero());
    const int cuts = 1 + static_cast<int>(least(turn.norm() / kStep, 64));
    for (int k = 1; k <= cuts; ++k) {
      const double share = static_cast<double>(k) / cuts;
      Pose q = after;
      if (k < cuts)
        q = {before.position + share * (after.position - before.position),
             solve::turnBy(share * turn) * before.turn};
      way.push_back(q.toBody(place + share * (next - place)));
      length += (way.back() - way[way.size() - 2]).norm();
    }
    before = after;
    place = next;
  }
  return length;
}

}  // namespace

// Whether the core of a piece that moves passes into another's shape on its way; `too_far`: what its core has
// come beyond where it was stopped, world.
bool World::passesThrough(const solve::Proposal& p, std::size_t swept, std::size_t piece,
                          Vec3& too_far) const {
  const shape::Shape &a = shapeOf(swept), &b = shapeOf(piece);
  const auto poseOf = [&](std::size_t step) { return poseIn(p, step, piece); };
  const auto coreAt = [&](std::size_t step) { return poseIn(p, step, swept).toWorld(a.core); };
  thread_local std::vector<Vec3> way;
  const double length = wayOf(coreAt, poseOf, p.way.size(), way);
  // What is farther than the way is long need not be looked at: most go along with what holds them.
  const auto reachOf = [&](double radius) { return least(4 * radius, 1.001 * length + 0.01 * radius); };
  double radius = 0, room = 0;
  for (const double share : kCores) {
    radius = share * a.inner_radius;
    room = ballGap(radius, way[0], b, reachOf(radius));
    if (room > 1e-3 * radius) break;
    radius = 0;
  }
  if (radius == 0) return false;  // it begins inside: nothing to guard
  for (std::size_t k = 1; k < way.size(); ++k) {
    const std::optional<double> met = meetingShare(radius, way[k - 1], way[k], b, reachOf(radius), room);
    if (!met) continue;
    const std::size_t last = p.way.size() - 1;
    too_far = coreAt(last) - poseOf(last).toWorld(way[k - 1] + *met * (way[k] - way[k - 1]));
    return true;
  }
  return false;
}

namespace {

constexpr std::size_t kBodiesWorthAThread = 128, kPairsWorthAThread = 16;

// Where a body went: boxes around it and around its core on all of the way. What most look at is one cache
// line.
struct alignas(64) Went {
  bool fast = false, strayed = false;  // strayed: beyond where the search for pairs finds it
  Box box, core;
};

Went wentOf(const shape::Shape& s, const Pose& start, const solve::Trail& trail) {
  const Box& places = trail.places;
  const double turned = 2 * std::sqrt(1 - trail.alike + 1e-14);  // twice the sine
  const Box at = boundsAt(s, start);
  const double swing = s.outer_radius > s.inner_radius ? turned * s.outer_radius : 0;
  Went out;
  out.box =
      Box{at.low + (places.low - start.position), at.high + (places.high - start.position)}.grown(swing);
  out.core = places.grown(s.core.norm() + s.inner_radius);
  // What turns goes over others with what stands out of its ball.
  const double over = turned * (s.outer_radius - s.inner_radius);
  out.fast = places.size().maxCoeff() + over > solve::kFastShare * s.inner_radius;
  return out;
}

// What several threads have found, in ascending order.
template <class T>
std::vector<T> sorted(std::vector<std::vector<T>>& parts) {
  std::vector<T> all;
  for (const std::vector<T>& part : parts) all.insert(all.end(), part.begin(), part.end());
  std::sort(all.begin(), all.end());
  return all;
}

}  // namespace

// Where a piece that moves was on its way.
solve::Trail World::trailOf(const solve::Proposal& p, std::size_t piece) const {
  const std::uint32_t body = body_of_[piece];
  if (p.bodies[body].piece == piece) return p.trails[body];
  const Quat start = poseIn(p, 0, piece).turn;
  solve::Trail out;
  for (std::size_t step = 0; step < p.way.size(); ++step) {
    const Pose now = poseIn(p, step, piece);
    out.add(now.position, start, now.turn);
  }
  return out;
}

// The larger core is swept, of a piece that moves.
std::uint32_t World::sweptOf(const Pair& pair) const {
  const auto [i, j] = pair;
  if (body_of_[i] == 0 || body_of_[j] == 0) return body_of_[i] == 0 ? j : i;
  return shapeOf(i).inner_radius >= shapeOf(j).inner_radius ? i : j;
}

// Pairs of which one was fast, whose boxes on the way overlap, ascending.
std::vector<World::Pair> World::fastPairs(const solve::Proposal& p) {
  // All pieces that moved: `place` is where each stands among them, from 1.
  std::vector<std::uint32_t> movers{0}, place(motion_.size(), 0);
  for (std::uint32_t i = 0; i < motion_.size(); ++i) {
    if (body_of_[i] == 0) continue;
    place[i] = u32(movers.size());
    movers.push_back(i);
  }
  PagedVector<Went> went;
  addUnset(went, movers.size());
  team_.share(movers.size() - 1, kBodiesWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t k = begin + 1; k <= end; ++k) {
      const std::uint32_t i = movers[k];
      went[k] = wentOf(shapeOf(i), poseIn(p, 0, i), trailOf(p, i));
      went[k].strayed = !near_.findsWithin(i, went[k].box);
    }
  });
  std::vector<std::uint32_t> fast, strayed;
  for (std::uint32_t k = 1; k < movers.size(); ++k) {
    if (!scene_.pieces[movers[k]].collide) continue;
    if (went[k].fast) fast.push_back(k);
    if (went[k].strayed) strayed.push_back(k);
  }
  std::vector<Box> boxes;
  for (const std::uint32_t k : strayed) boxes.push_back(went[k].box);
  std::vector<std::uint32_t> all(boxes.size());
  std::iota(all.begin(), all.end(), 0);
  collide::BoxTree strays;
  strays.build(boxes, all);
  std::vector<std::vector<Pair>> found(static_cast<std::size_t>(team_.size()));
  team_.share(fast.size(), kBodiesWorthAThread, [&](std::size_t part, std::size_t begin, std::size_t end) {
    for (std::size_t n = begin; n < end; ++n) {
      const std::uint32_t me = fast[n], i = movers[me];
      const auto meets = [&](std::uint32_t j) {
        const std::uint32_t other = place[j];
        // Two fast ones find each other.
        if (i == j || (other != 0 && went[other].fast && j < i)) return;
        const Box& box = other != 0 ? went[other].box : near_.boxOf(j);
        if (!went[me].box.overlaps(box) || together(i, j)) return;
        if (!traits_[i].dynamic && !traits_[j].dynamic) return;
        const Pair pair = std::minmax(i, j);
        const bool mine = sweptOf(pair) == i;
        const bool meet = mine ? went[me].core.overlaps(box) : went[other].core.overlaps(went[me].box);
        if (meet && rules_.collide(pair.first, pair.second)) found[part].push_back(pair);
      };
      near_.eachOver(went[me].box, [&](std::uint32_t j) {
        if (place[j] == 0 || !went[place[j]].strayed) meets(j);
      });
      strays.overlapping(went[me].box, [&](std::uint32_t k) { meets(movers[strayed[k]]); });
    }
  });
  return sorted(found);
}

std::vector<Passing> World::findPassings(const solve::Proposal& p) {
  if (p.way.empty()) return {};
  const std::vector<Pair> pairs = fastPairs(p);
  std::vector<std::vector<std::pair<std::size_t, Passing>>> found(static_cast<std::size_t>(team_.size()));
  team_.share(pairs.size(), kPairsWorthAThread, [&](std::size_t part, std::size_t begin, std::size_t end) {
    for (std::size_t n = begin; n < end; ++n) {
      const std::uint32_t swept = sweptOf(pairs[n]),
                          other = swept == pairs[n].first ? pairs[n].second : pairs[n].first;
      if (!(shapeOf(swept).inner_radius > 0)) continue;
      Vec3 too_far;
      if (!passesThrough(p, swept, other, too_far)) continue;
      if (awake(swept))
        found[part].push_back({n, {body_of_[swept], -too_far}});
      else if (awake(other))
        found[part].push_back({n, {body_of_[other], too_far}});
    }
  });
  std::vector<Passing> out;
  for (const auto& part : found)
    for (const auto& [n, passing] : part) out.push_back(passing);
  return out;
}

}  // namespace drubble::world
