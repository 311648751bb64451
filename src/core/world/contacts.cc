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

// Where a piece may come within h.
Box World::sweptBox(std::size_t i, double h) const {
  const shape::Shape& s = shapeOf(i);
  Box box = shape::boundsAt(s, motion_.pose(i)).grown(bendSpeed(i) * h + s.margin);
  if (!mobile(i)) return box;
  const solve::Traits& t = traits_[i];
  const Vec3 travel = motion_.velocity[i] * h;
  box.add(Box{box.low + travel, box.high + travel});
  const double swing = least(motion_.spin[i].norm() * h, 2) * (t.outer_radius - t.inner_radius);
  const double ahead = scene_.solver.look_ahead >= 0 ? scene_.solver.look_ahead : kLookAhead * t.size;
  return box.grown(swing + ahead + scene_.gravity.norm() * h * h);
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

namespace {

constexpr std::size_t kPairsWorthAThread = 256, kBoxesWorthAThread = 2048;

// Goes through what is known of pairs, ascending, in step with pairs that are looked at.
template <class Known>
std::size_t firstFrom(const std::vector<Known>& list, const std::pair<std::uint32_t, std::uint32_t>& pair) {
  const auto before = [](const Known& k, const std::pair<std::uint32_t, std::uint32_t>& p) {
    return std::pair(k.a.value, k.b.value) < p;
  };
  return static_cast<std::size_t>(std::lower_bound(list.begin(), list.end(), pair, before) - list.begin());
}

}  // namespace

// The contacts of pairs [begin, end), and those kept from before that stand between them.
void World::findContactsOf(const std::vector<Pair>& pairs, std::size_t begin, std::size_t end, double h,
                           FoundContacts& out) const {
  thread_local collide::Manifolds found;
  thread_local std::vector<collide::Apart> known, fresh;
  std::size_t old = begin == 0 ? 0 : firstFrom(contacts_, pairs[begin]);
  const std::size_t old_last = end == pairs.size() ? contacts_.size() : firstFrom(contacts_, pairs[end]);
  std::size_t old_apart = begin == 0 ? 0 : firstFrom(apart_, pairs[begin]);
  // Contacts between pieces that both rest are kept as they are.
  const auto keepUpTo = [&](std::size_t last) {
    for (; old < last; ++old)
      if (!mobile(contacts_[old].a.index()) && !mobile(contacts_[old].b.index()))
        out.contacts.push_back(contacts_[old]);
  };
  for (std::size_t n = begin; n < end; ++n) {
    const auto [i, j] = pairs[n];
    const PieceId a{i}, b{j};
    std::size_t old_begin = old;
    while (old_begin < old_last &&
           std::pair(contacts_[old_begin].a, contacts_[old_begin].b) < std::pair(a, b))
      ++old_begin;
    keepUpTo(old_begin);
    if (!traits_[i].dynamic && !traits_[j].dynamic) continue;
    if (!rules_.collide(i, j)) continue;
    std::size_t old_end = old;
    while (old_end < old_last && contacts_[old_end].a == a && contacts_[old_end].b == b) ++old_end;
    known.clear();
    while (old_apart < apart_.size() && std::pair(apart_[old_apart].a, apart_[old_apart].b) < std::pair(a, b))
      ++old_apart;
    for (; old_apart < apart_.size() && apart_[old_apart].a == a && apart_[old_apart].b == b; ++old_apart)
      known.push_back(apart_[old_apart].apart);
    found.clear();
    fresh.clear();
    collide::collide(shapeOf(i), motion_.pose(i), shapeOf(j), motion_.pose(j), reach(i, j, h), found,
                     {known, &fresh});
    for (const collide::Apart& x : fresh) out.apart.push_back({a, b, x});
    if (!found.empty()) {
      const std::size_t first = out.contacts.size();
      const solve::Surfaces surfaces = rules_.surfaces(i, j);
      const double zero = restOverlap(a, b);
      for (const collide::Manifold& m : found) {
        solve::Contact& c = out.contacts.emplace_back();
        c.a = a;
        c.b = b;
        c.patch = m;
        c.surfaces = surfaces;
        for (collide::Point& p : c.patch.points) p.gap += zero;
      }
      const double size =
          least(traits_[i].dynamic ? traits_[i].size : 1e9, traits_[j].dynamic ? traits_[j].size : 1e9);
      solve::inherit(contacts_.data() + old, contacts_.data() + old_end, out.contacts.data() + first,
                     out.contacts.data() + out.contacts.size(), kSamePlace * size);
    }
    old = old_end;
  }
  keepUpTo(old_last);
}

solve::Contacts World::findContacts(double h) {
  std::vector<collide::BoxKind> kinds(motion_.size(), collide::BoxKind::Static);
  for (std::size_t i = 0; i < kinds.size(); ++i) {
    if (mobile(i)) kinds[i] = collide::BoxKind::Moving;
    if (!scene_.pieces[i].collide) kinds[i] = collide::BoxKind::Ignored;
  }
  std::vector<Box> boxes(motion_.size());
  team_.share(boxes.size(), kBoxesWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) boxes[i] = sweptBox(i, h);
  });
  const std::vector<Pair> pairs = collide::overlappingPairs(boxes, kinds, team_);
  std::vector<FoundContacts> parts(static_cast<std::size_t>(team_.size()));
  team_.share(pairs.size(), kPairsWorthAThread, [&](std::size_t part, std::size_t begin, std::size_t end) {
    findContactsOf(pairs, begin, end, h, parts[part]);
  });
  for (std::size_t k = 1; k < parts.size(); ++k) {
    parts[0].contacts.insert(parts[0].contacts.end(), parts[k].contacts.begin(), parts[k].contacts.end());
    parts[0].apart.insert(parts[0].apart.end(), parts[k].apart.begin(), parts[k].apart.end());
  }
  apart_ = std::move(parts[0].apart);
  return std::move(parts[0].contacts);
}

}  // namespace drubble::world
