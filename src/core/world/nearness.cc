// SPDX-License-Identifier: Apache-2.0
// Which pairs of pieces are near enough to be looked at.
#include <cmath>

#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr std::size_t kBoxesWorthAThread = 128;
constexpr double kLookAhead = 0.02;  // of the smaller piece's size

}  // namespace

// Where a piece whose shape stands in `box` may come within h.
Box World::swept(std::size_t i, Box box, double h) const {
  box = box.grown(bendSpeed(i) * h + shapeOf(i).margin);
  if (!mobile(i)) return box;
  const solve::Traits& t = traits_[i];
  const Vec3 travel = motion_.velocity[i] * h;
  box.add(Box{box.low + travel, box.high + travel});
  const double swing = least(motion_.spin[i].norm() * h, 2) * (t.outer_radius - t.inner_radius);
  const double ahead = scene_.solver.look_ahead >= 0 ? scene_.solver.look_ahead : kLookAhead * t.size;
  return box.grown(swing + ahead + pullOn(i) * h * h);
}

Box World::sweptBox(std::size_t i, double h) const {
  return swept(i, shape::boundsAt(shapeOf(i), motion_.pose(i)), h);
}

// How far apart two pieces may be and still meet within the substep.
double World::reach(std::size_t a, std::size_t b, double h) const {
  double size = std::numeric_limits<double>::infinity(), swing = 0;
  for (const std::size_t i : {a, b}) {
    if (traits_[i].dynamic) size = least(size, traits_[i].size);
    if (mobile(i)) swing += least(motion_.spin[i].norm() * h, 2) * traits_[i].outer_radius;
  }
  const double ahead = scene_.solver.look_ahead >= 0 ? scene_.solver.look_ahead : kLookAhead * size;
  // Either may be stopped short by a third within the substep: the other then comes on with its own speed.
  const double speed = greatest((motion_.velocity[a] - motion_.velocity[b]).norm(),
                                greatest(motion_.velocity[a].norm(), motion_.velocity[b].norm()));
  return ahead + swing + (speed + bendSpeed(a) + bendSpeed(b)) * h + greatest(pullOn(a), pullOn(b)) * h * h;
}

// Most pieces of a cluster touch only others of it, and hardly move: their boxes are known about. Only where
// that is not enough to tell are they looked at closely, so that the pairs are those of the true boxes.
collide::NearPairList World::findNear(double h) {
  std::vector<std::uint32_t> moving;
  for (std::uint32_t i = 0; i < in_play_.size(); ++i)
    if (in_play_[i] != 0 && scene_.pieces[i].collide) moving.push_back(i);
  for (const std::uint32_t i : bending_pieces_)
    if (in_play_[i] == 0) settled_.push_back(i);
  std::erase_if(settled_, [&](std::uint32_t i) { return !scene_.pieces[i].collide; });
  const auto loose = [&](std::uint32_t i) {
    return cluster_of_[i] != kNoCluster && in_play_[i] != 0 && bendOf(i) == nullptr;
  };
  const auto box_of = [&](std::uint32_t i) {
    return loose(i) ? swept(i, loose_boxes_.around(i, shapeOf(i), motion_.pose(i)), h) : sweptBox(i, h);
  };
  collide::NearPairs::Wanted wanted;
  if (!clusters_.empty()) wanted = [&](std::uint32_t i, std::uint32_t j) { return !together(i, j); };
  collide::NearPairList pairs = near_.find(moving, settled_, box_of, team_, wanted);
  settled_.clear();
  if (clusters_.empty()) return pairs;
  std::vector<std::uint32_t> close;
  std::vector<std::uint32_t> place(motion_.size(), 0);  // from 1
  for (const auto& [i, j] : pairs) {
    for (const std::uint32_t x : {i, j}) {
      if (place[x] != 0 || !loose(x)) continue;
      close.push_back(x);
      place[x] = u32(close.size());
    }
  }
  std::vector<Box> boxes(close.size());
  team_.share(close.size(), kBoxesWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t n = begin; n < end; ++n) boxes[n] = sweptBox(close[n], h);
  });
  const auto boxOf = [&](std::uint32_t i) -> const Box& {
    return place[i] != 0 ? boxes[place[i] - 1] : near_.boxOf(i);
  };
  std::erase_if(pairs, [&](const Pair& p) { return !boxOf(p.first).overlaps(boxOf(p.second)); });
  return pairs;
}

}  // namespace drubble::world
