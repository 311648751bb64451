// SPDX-License-Identifier: Apache-2.0
// Finding the contacts of a substep: which pairs are near enough, where they touch, what they carried before.
#include <algorithm>
#include <cmath>
#include <memory>

#include "core/base/scan.h"
#include "core/collide/pairs.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr std::size_t kMoreContacts = 64;  // room for those that come
constexpr double kFollowed = 1e-3;         // of the smaller piece's size: so far a patch goes on as it is
constexpr double kClipped =
    1e-2;  // and so far it is cut anew against the same face, without a search for one
constexpr double kSamePlace =
    0.05;  // of the smaller piece's size: how far a contact point may wander and be the same

}  // namespace

namespace {

constexpr std::size_t kPairsWorthAThread = 256;
constexpr std::size_t kWaysWorthAThread = 256, kContactsWorthAThread = 512;

// What is known of pairs, in ascending order, gone through in step with the pairs that are looked at.
template <class Known>
class Following {
 public:
  using Pair = std::pair<std::uint32_t, std::uint32_t>;
  // From the first entry of `first` or beyond to before `last`; none: from the start, to the end.
  Following(std::span<const Known> list, const Pair* first, const Pair* last)
      : list_(list), at_(first ? placeOf(*first) : 0), end_(last ? placeOf(*last) : list.size()) {}

  // The entries before those of `pair`, and then those of it.
  std::span<const Known> upTo(const Pair& pair) {
    return take([&](const Known& k) { return pairOf(k) < pair; });
  }
  std::span<const Known> of(const Pair& pair) {
    return take([&](const Known& k) { return pairOf(k) == pair; });
  }

 private:
  static Pair pairOf(const Known& k) { return {k.a.value, k.b.value}; }
  std::size_t placeOf(const Pair& pair) const {
    const auto before = [](const Known& k, const Pair& p) { return pairOf(k) < p; };
    return static_cast<std::size_t>(std::lower_bound(list_.begin(), list_.end(), pair, before) -
                                    list_.begin());
  }
  template <class While>
  std::span<const Known> take(While holds) {
    const std::size_t begin = at_;
    while (at_ < end_ && holds(list_[at_])) ++at_;
    return {list_.data() + begin, at_ - begin};
  }

  std::span<const Known> list_;
  std::size_t at_, end_;
};

}  // namespace

// The contacts of pairs [begin, end).
void World::findContactsOf(std::span<const Pair> pairs, std::size_t begin, std::size_t end, double h,
                           FoundContacts& out) const {
  thread_local collide::Manifolds found;
  thread_local std::vector<collide::Apart> known, fresh;
  const Pair *first = begin == 0 ? nullptr : &pairs[begin],
             *last = end == pairs.size() ? nullptr : &pairs[end];
  Following<solve::Contact> before(contacts_, first, last);
  Following<PairApart> apart(apart_, first, last);
  for (std::size_t n = begin; n < end; ++n) {
    const auto [i, j] = pairs[n];
    before.upTo(pairs[n]);
    if (!rules_.collide(i, j) || together(i, j)) continue;
    if (!traits_[i].dynamic && !traits_[j].dynamic) {
      if (forces(i, j, h))
        for (const std::uint32_t x : {i, j})
          if (hangs(x)) out.forced.push_back(x);
      continue;
    }
    const std::span<const solve::Contact> old = before.of(pairs[n]);
    if (old.size() == 1 && goOn(pairs[n], old[0], h, out.contacts)) continue;
    apart.upTo(pairs[n]);
    known.clear();
    for (const PairApart& x : apart.of(pairs[n])) known.push_back(x.apart);
    found.clear();
    fresh.clear();
    collide::collide(shapeOf(i), motion_.pose(i), shapeOf(j), motion_.pose(j), reach(i, j, h), found,
                     {known, &fresh});
    for (const collide::Apart& x : fresh) out.apart.push_back({PieceId{i}, PieceId{j}, x});
    addPatches(pairs[n], found, old, out.contacts);
  }
}

// How far what has moved has come since contacts were found last.
void World::findWays() {
  for (const std::uint32_t i : went_of_.pieces) went_of_.place[i] = 0;
  went_of_.pieces = moved_;
  ways_.resize(moved_.size() + 1);
  ways_[0] = {};
  team_.share(moved_.size(), kWaysWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t n = begin; n < end; ++n) {
      const std::uint32_t i = moved_[n];
      const Quat q = motion_.turn[i] * looked_from_.turn[i].conjugate();
      const bool stayed = motion_.position[i] == looked_from_.position[i] &&
                          motion_.turn[i].coeffs() == looked_from_.turn[i].coeffs();
      went_of_.place[i] = stayed ? 0 : u32(n + 1);
      ways_[n + 1] = {q.toRotationMatrix(), looked_from_.position[i], motion_.position[i],
                      2 * q.vec().norm()};
    }
  });
}

// The patch of two flat faces that have hardly moved past each other goes on without a search: with its
// bodies, its points with both and its normal with the face; where they went farther, cut anew against the
// same face. False: it must be looked for again.
bool World::goOn(const Pair& pair, const solve::Contact& old, double h, solve::Contacts& out) const {
  const auto [i, j] = pair;
  if (old.patch.face_of == collide::FaceOf::Neither || old.patch.part != 0) return false;
  double size = std::numeric_limits<double>::infinity(), swing = 0;
  for (const std::size_t p : {i, j}) {
    if (!bends_.empty() && bendOf(p) != nullptr) return false;
    if (traits_[p].dynamic) size = least(size, traits_[p].size);
    swing += motion_.spin[p].norm() * traits_[p].outer_radius;
  }
  const auto strayed = static_cast<double>(old.strayed), gone = static_cast<double>(old.gone);
  if (strayed > kClipped * size) return false;
  const double coming = ((motion_.velocity[i] - motion_.velocity[j]).norm() + swing) * h;
  if (coming > 0.25 * kClipped * size) return false;
  const Way &way_a = ways_[went_of_.place[i]], &way_b = ways_[went_of_.place[j]];
  solve::Contact& c = out.emplace_back(old);
  const double step = followPatch(way_a, way_b, size, c.patch);
  if (gone + step <= kFollowed * size && strayed + step <= kClipped * size && coming <= kFollowed * size) {
    c.gone = static_cast<float>(gone + step);
    c.strayed = static_cast<float>(strayed + step);
    return true;
  }
  out.pop_back();
  if (strayed + step > kClipped * size) return false;
  collide::Manifold again = old.patch.manifold();
  if (!collide::clipAgain(shapeOf(i), motion_.pose(i), shapeOf(j), motion_.pose(j), reach(i, j, h), again))
    return false;
  addPatches(pair, {&again, 1}, {&old, 1}, out);
  out.back().strayed = static_cast<float>(strayed + step);
  return true;
}

namespace {

// Vectors side by side.
struct Four {
  d4 x, y, z;
  Four operator+(const Four& o) const { return {x + o.x, y + o.y, z + o.z}; }
  Four operator-(const Four& o) const { return {x - o.x, y - o.y, z - o.z}; }
  d4 along(const Four& o) const { return x * o.x + (y * o.y + z * o.z); }
};
Four fourOf(const Vec3& v) { return {spread(v.x()), spread(v.y()), spread(v.z())}; }

// Way::now of each.
Four now(const Way& way, const Four& p) {
  const Four arm = p - fourOf(way.from);
  const auto row = [&](int k) { return fourOf(way.turn.row(k)).along(arm); };
  return Four{row(0), row(1), row(2)} + fourOf(way.to);
}

}  // namespace

// Takes the points with both bodies and the normal with the face; returns how far they went past each other
// (m). What a patch has fewer points than four stays at nothing.
double World::followPatch(const Way& way_a, const Way& way_b, double size, solve::Patch& m) {
  const Vec3 normal = ((m.face_of == collide::FaceOf::A ? way_a : way_b).turn * m.normal()).normalized();
  m.direction = normal.cast<float>();
  alignas(32) double at[3][4];
  for (std::size_t k = 0; k < 4; ++k)
    for (int i = 0; i < 3; ++i) at[i][k] = static_cast<double>(m.arm[k][i]);
  const Four p = fourOf(m.middle) + Four{load4(at[0]), load4(at[1]), load4(at[2])};
  const Vec3 middle = 0.5 * (way_a.now(m.middle) + way_b.now(m.middle));
  const Four a = now(way_a, p), b = now(way_b, p), past = b - a, sum = a + b;
  const d4 half = drubble::spread(0.5);
  const Four arm = Four{half * sum.x, half * sum.y, half * sum.z} - fourOf(middle);
  alignas(32) double opened[4], squares[4];
  store4(opened, fourOf(normal).along(past));
  store4(squares, past.along(past));
  store4(at[0], arm.x);
  store4(at[1], arm.y);
  store4(at[2], arm.z);
  double squared = 0;
  for (std::size_t k = 0; k < m.count; ++k) {
    m.gap[k] = static_cast<float>(m.gapAt(k) + opened[k]);
    for (int i = 0; i < 3; ++i) m.arm[k][i] = static_cast<float>(at[i][k]);
    squared = greatest(squared, squares[k]);
  }
  m.middle = middle;
  return std::sqrt(squared) + (way_a.turned + way_b.turned) * size;
}

// The patches of a pair become contacts that go on from what the pair's old ones carried.
void World::addPatches(const Pair& pair, std::span<const collide::Manifold> found,
                       std::span<const solve::Contact> old, solve::Contacts& out) const {
  if (found.empty()) return;
  const auto [i, j] = pair;
  const std::size_t first = out.size();
  const auto surfaces = rules_.surfaces(i, j).kept();
  const double zero = restOverlap(PieceId{i}, PieceId{j});
  for (const collide::Manifold& m : found) {
    solve::Contact& c = out.emplace_back();
    c.a = PieceId{i};
    c.b = PieceId{j};
    c.patch = solve::Patch(m);
    c.surfaces = surfaces;
    c.gone = c.strayed = zero == 0 ? 0 : solve::kGoneFar;
    for (float& gap : c.patch.gap) gap += static_cast<float>(zero);
  }
  const double size =
      least(traits_[i].dynamic ? traits_[i].size : 1e9, traits_[j].dynamic ? traits_[j].size : 1e9);
  solve::inherit(old.data(), old.data() + old.size(), out.data() + first, out.data() + out.size(),
                 kSamePlace * size);
}

// Puts away the contacts of pairs that rest now, and fetches those of pieces that move again.
void World::shelve() {
  std::vector<std::uint32_t> started;
  const std::size_t had = settled_.size();
  for (std::uint32_t i = 0; i < in_play_.size(); ++i) {
    const bool moves = mobile(i);
    if (moves == (in_play_[i] != 0)) continue;
    (moves ? started : settled_).push_back(i);
    in_play_[i] = moves;
  }
  if (settled_.size() > had) {
    const auto rests = [&](const solve::Contact& c) {
      return in_play_[c.a.index()] == 0 && in_play_[c.b.index()] == 0;
    };
    for (const solve::Contact& c : contacts_)
      if (rests(c)) resting_.put(c);
    std::erase_if(contacts_, rests);
  }
  if (started.empty()) return;
  const auto middle = static_cast<std::ptrdiff_t>(contacts_.size());
  for (const std::uint32_t i : started) resting_.take(i, contacts_);
  const auto before = [](const solve::Contact& x, const solve::Contact& y) {
    return std::pair(x.a, x.b) < std::pair(y.a, y.b);
  };
  std::stable_sort(contacts_.begin() + middle, contacts_.end(), before);
  std::inplace_merge(contacts_.begin(), contacts_.begin() + middle, contacts_.end(), before);
}

solve::Contacts World::findContacts(double h) {
  engine_.enter(Work::Nearness);
  shelve();
  const collide::NearPairList pairs = findNear(h);
  engine_.enter(Work::Pairs);
  findWays();
  std::vector<FoundContacts> parts(static_cast<std::size_t>(team_.size()));
  for (FoundContacts& part : parts) {
    part.contacts.reserve((&part == &parts[0] ? pairs.size() : pairs.size() / parts.size()) + kMoreContacts);
  }
  team_.share(pairs.size(), kPairsWorthAThread, [&](std::size_t part, std::size_t begin, std::size_t end) {
    findContactsOf(pairs, begin, end, h, parts[part]);
  });
  solve::Contacts all = std::move(parts[0].contacts);
  for (std::size_t k = 1; k < parts.size(); ++k) {
    const solve::Contacts& more = parts[k].contacts;
    const std::size_t had = all.size();
    addUnset(all, more.size());
    team_.share(more.size(), kContactsWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
      std::uninitialized_copy(more.data() + begin, more.data() + end, all.data() + had + begin);
    });
    parts[0].apart.insert(parts[0].apart.end(), parts[k].apart.begin(), parts[k].apart.end());
    parts[0].forced.insert(parts[0].forced.end(), parts[k].forced.begin(), parts[k].forced.end());
  }
  forced_ = std::move(parts[0].forced);
  apart_ = std::move(parts[0].apart);
  ways_ = PagedVector<Way>();  // the solver has better use for the memory
  return all;
}

}  // namespace drubble::world
