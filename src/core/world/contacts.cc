// SPDX-License-Identifier: Apache-2.0
// Finding the contacts of a substep: which pairs are near enough, where they touch, what they carried before.
#include <algorithm>

#include "core/collide/broad.h"
#include "core/collide/pairs.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr double kLookAhead = 0.02;  // of the smaller piece's size
constexpr double kSamePlace =
    0.05;  // of the smaller piece's size: how far a contact point may wander and be the same

}  // namespace

std::vector<Box> World::sweptBoxes(double h) const {
  std::vector<Box> boxes(motion_.size());
  for (std::size_t i = 0; i < boxes.size(); ++i) {
    const shape::Shape& s = shapeOf(i);
    boxes[i] = shape::boundsAt(s, motion_.pose(i));
    boxes[i] = boxes[i].grown(bendSpeed(i) * h);
    if (!mobile(i)) boxes[i] = boxes[i].grown(s.margin);
    if (!mobile(i)) continue;
    const solve::Traits& t = traits_[i];
    boxes[i] = boxes[i].grown(s.margin);
    const Vec3 travel = motion_.velocity[i] * h;
    Box moved = boxes[i];
    moved.low += travel;
    moved.high += travel;
    boxes[i].add(moved);
    const double swing = least(motion_.spin[i].norm() * h, 2) * (t.outer_radius - t.inner_radius);
    const double ahead = scene_.solver.look_ahead >= 0 ? scene_.solver.look_ahead : kLookAhead * t.size;
    boxes[i] = boxes[i].grown(swing + ahead + scene_.gravity.norm() * h * h);
  }
  return boxes;
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
  return ahead + swing + (speed + bendSpeed(a) + bendSpeed(b)) * h + scene_.gravity.norm() * h * h;
}

solve::Contacts World::findContacts(double h) {
  std::vector<collide::BoxKind> kinds(motion_.size(), collide::BoxKind::Static);
  for (std::size_t i = 0; i < kinds.size(); ++i) {
    if (mobile(i)) kinds[i] = collide::BoxKind::Moving;
    if (!scene_.pieces[i].collide) kinds[i] = collide::BoxKind::Ignored;
  }
  const std::vector<Box> boxes = sweptBoxes(h);
  solve::Contacts out;
  collide::Manifolds found;
  std::vector<PairApart> apart;
  std::vector<collide::Apart> known, fresh;
  std::size_t old = 0, old_apart = 0;
  const auto olderThan = [&](std::size_t i, PieceId a, PieceId b) {
    return std::pair(contacts_[i].a, contacts_[i].b) < std::pair(a, b);
  };
  // Contacts between pieces that both rest are kept as they are.
  const auto keepUpTo = [&](PieceId a, PieceId b) {
    for (; old < contacts_.size() && olderThan(old, a, b); ++old)
      if (!mobile(contacts_[old].a.index()) && !mobile(contacts_[old].b.index()))
        out.push_back(contacts_[old]);
  };
  for (const auto& [i, j] : collide::overlappingPairs(boxes, kinds)) {
    const PieceId a{i}, b{j};
    keepUpTo(a, b);
    if (!traits_[i].dynamic && !traits_[j].dynamic) continue;
    if (!rules_.collide(i, j)) continue;
    std::size_t old_end = old;
    while (old_end < contacts_.size() && contacts_[old_end].a == a && contacts_[old_end].b == b) ++old_end;
    known.clear();
    while (old_apart < apart_.size() && std::pair(apart_[old_apart].a, apart_[old_apart].b) < std::pair(a, b))
      ++old_apart;
    for (; old_apart < apart_.size() && apart_[old_apart].a == a && apart_[old_apart].b == b; ++old_apart)
      known.push_back(apart_[old_apart].apart);
    found.clear();
    fresh.clear();
    collide::collide(shapeOf(i), motion_.pose(i), shapeOf(j), motion_.pose(j), reach(i, j, h), found,
                     {known, &fresh});
    for (const collide::Apart& x : fresh) apart.push_back({a, b, x});
    if (!found.empty()) {
      const std::size_t first = out.size();
      const solve::Surfaces surfaces = rules_.surfaces(i, j);
      const double zero = restOverlap(a, b);
      for (const collide::Manifold& m : found) {
        solve::Contact& c = out.emplace_back();
        c.a = a;
        c.b = b;
        c.patch = m;
        c.surfaces = surfaces;
        for (collide::Point& p : c.patch.points) p.gap += zero;
      }
      const double size =
          least(traits_[i].dynamic ? traits_[i].size : 1e9, traits_[j].dynamic ? traits_[j].size : 1e9);
      solve::inherit(contacts_.data() + old, contacts_.data() + old_end, out.data() + first,
                     out.data() + out.size(), kSamePlace * size);
    }
    old = old_end;
  }
  keepUpTo(PieceId{}, PieceId{});
  apart_ = std::move(apart);
  return out;
}

}  // namespace drubble::world
