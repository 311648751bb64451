// SPDX-License-Identifier: Apache-2.0
#include "core/collide/near_pairs.h"

#include <algorithm>

namespace drubble::collide {

namespace {

constexpr std::size_t kBoxesWorthAThread = 128;
constexpr std::size_t kPairsWorthAThread = 2048;
constexpr std::size_t kFewChanges = 64;  // do not make a tree anew for fewer
constexpr double kFat = 0.04;  // of a box's greatest side: what a fat box is larger by on every side
constexpr double kAhead = 4;   // and this many times as far ahead as the box came since it was seen last

std::uint64_t keyOf(std::uint32_t i, std::uint32_t j) {
  return static_cast<std::uint64_t>(std::min(i, j)) << 32 | std::max(i, j);
}
std::uint32_t lower(std::uint64_t key) { return static_cast<std::uint32_t>(key >> 32); }
std::uint32_t higher(std::uint64_t key) { return static_cast<std::uint32_t>(key); }

bool holds(const Box& outer, const Box& b) {
  return outer.low.x() <= b.low.x() && outer.low.y() <= b.low.y() && outer.low.z() <= b.low.z() &&
         outer.high.x() >= b.high.x() && outer.high.y() >= b.high.y() && outer.high.z() >= b.high.z();
}

// What several threads have found, one after the other.
template <class List>
List joined(std::vector<List>& parts) {
  List all = std::move(parts[0]);
  std::size_t size = all.size();
  for (std::size_t k = 1; k < parts.size(); ++k) size += parts[k].size();
  all.reserve(size);
  for (std::size_t k = 1; k < parts.size(); ++k) all.insert(all.end(), parts[k].begin(), parts[k].end());
  return all;
}

}  // namespace

NearPairs::NearPairs(std::size_t count)
    : boxes_(count),
      fat_(count),
      travel_(count, Vec3::Zero()),
      state_(count, State::Out),
      placed_(count, Placed::Nowhere),
      moved_in_(count, 0) {}

// What has come to rest stands in its own tree.
void NearPairs::keepResting() {
  std::vector<std::uint32_t> all;
  for (std::uint32_t i = 0; i < state_.size(); ++i) {
    if (state_[i] != State::Loose && state_[i] != State::Kept) continue;
    state_[i] = State::Kept;
    placed_[i] = Placed::Nowhere;
    all.push_back(i);
  }
  kept_.build(boxes_, all);
  in_kept_ = all.size();
  stale_ = 0;
  loose_.clear();
  std::erase_if(candidates_, [&](std::uint64_t key) {
    return state_[lower(key)] != State::Moving && state_[higher(key)] != State::Moving;
  });
}

void NearPairs::update(std::span<const std::uint32_t> moving, std::span<const std::uint32_t> settled) {
  ++call_;
  for (const std::uint32_t i : moving_)
    if (state_[i] == State::Moving) state_[i] = State::Out;
  moving_.assign(moving.begin(), moving.end());
  for (const std::uint32_t i : settled) {
    stale_ += state_[i] == State::Kept;
    if (state_[i] != State::Loose) loose_.push_back(i);
    state_[i] = State::Loose;
  }
  for (const std::uint32_t i : moving) {
    stale_ += state_[i] == State::Kept;
    state_[i] = State::Moving;
    // Whose partners at rest were none of its candidates.
    if (moved_in_[i] + 1 != call_) placed_[i] = Placed::Nowhere;
    moved_in_[i] = call_;
  }
  std::erase_if(loose_, [&](std::uint32_t i) { return state_[i] != State::Loose; });
  if (loose_.size() + stale_ > std::max(kFewChanges, in_kept_ / 4)) keepResting();
}

void NearPairs::forget(std::uint32_t i) {
  stale_ += state_[i] == State::Kept;
  state_[i] = State::Out;
}

bool NearPairs::fits(std::uint32_t i) const {
  return placed_[i] != Placed::Nowhere && holds(fat_[i], boxes_[i]);
}

bool NearPairs::findsWithin(std::uint32_t i, const Box& box) const {
  if (state_[i] == State::Kept) return holds(boxes_[i], box);
  return placed_[i] != Placed::Nowhere && holds(fat_[i], box);
}

void NearPairs::fatten(std::uint32_t i) {
  const Box& b = boxes_[i];
  fat_[i] = state_[i] == State::Moving ? b.grown(kFat * b.size().maxCoeff()) : b;
  if (state_[i] != State::Moving) return;
  const Vec3 ahead = kAhead * travel_[i];
  fat_[i].add(Box{fat_[i].low + ahead, fat_[i].high + ahead});
}

// Those whose candidates must be looked for: their boxes have left the fat ones, or they have none.
std::vector<std::uint32_t> NearPairs::leaving(std::span<const std::uint32_t> settled) const {
  std::vector<std::uint32_t> out;
  for (const std::uint32_t i : moving_)
    if (!fits(i)) out.push_back(i);
  for (const std::uint32_t i : settled)
    if (state_[i] == State::Loose && !fits(i)) out.push_back(i);
  return out;
}

// Visits what overlaps the fat box of i: what stands in the young tree, by fat boxes, and what rests.
template <class Visit>
void NearPairs::eachFatOver(std::uint32_t i, Visit visit) const {
  young_.overlapping(fat_[i], [&](std::uint32_t j) {
    if (j != i && placed_[j] == Placed::Young && fat_[i].overlaps(fat_[j])) visit(j);
  });
  kept_.overlapping(fat_[i], [&](std::uint32_t j) {
    if (state_[j] == State::Kept && fat_[i].overlaps(boxes_[j])) visit(j);
  });
}

void NearPairs::findAll(Team& team) {
  std::fill(placed_.begin(), placed_.end(), Placed::Nowhere);
  left_.clear();
  std::vector<std::uint32_t> young(moving_.begin(), moving_.end());
  young.insert(young.end(), loose_.begin(), loose_.end());
  for (const std::uint32_t i : young) {
    placed_[i] = Placed::Young;
    fatten(i);
  }
  young_.build(fat_, young);
  std::vector<PagedVector<std::uint64_t>> found(static_cast<std::size_t>(team.size()));
  team.share(moving_.size(), kBoxesWorthAThread, [&](std::size_t part, std::size_t begin, std::size_t end) {
    for (std::size_t n = begin; n < end; ++n) {
      const std::uint32_t i = moving_[n];
      // Two that move find each other; once is enough.
      eachFatOver(i, [&](std::uint32_t j) {
        if (state_[j] != State::Moving || i < j) found[part].push_back(keyOf(i, j));
      });
    }
  });
  candidates_ = joined(found);
  std::sort(candidates_.begin(), candidates_.end());
}

// The same for a few.
void NearPairs::findFor(const std::vector<std::uint32_t>& some) {
  std::vector<char> leaves(state_.size(), 0);
  for (const std::uint32_t i : some) leaves[i] = 1;
  std::erase_if(candidates_,
                [&](std::uint64_t k) { return leaves[lower(k)] != 0 || leaves[higher(k)] != 0; });
  std::erase_if(left_, [&](std::uint32_t i) { return leaves[i] != 0 || placed_[i] != Placed::Left; });
  for (const std::uint32_t i : some) placed_[i] = Placed::Nowhere;
  const auto middle = static_cast<std::ptrdiff_t>(candidates_.size());
  for (const std::uint32_t i : some) {
    fatten(i);
    eachFatOver(i, [&](std::uint32_t j) { candidates_.push_back(keyOf(i, j)); });
    for (const std::uint32_t j : left_)
      if (fat_[i].overlaps(fat_[j])) candidates_.push_back(keyOf(i, j));
    placed_[i] = Placed::Left;
    left_.push_back(i);
  }
  std::sort(candidates_.begin() + middle, candidates_.end());
  std::inplace_merge(candidates_.begin(), candidates_.begin() + middle, candidates_.end());
}

// Of the candidates, those that are pairs now.
NearPairList NearPairs::overlapping(Team& team, const Wanted& wanted) const {
  std::vector<NearPairList> found(static_cast<std::size_t>(team.size()));
  team.share(candidates_.size(), kPairsWorthAThread,
             [&](std::size_t part, std::size_t begin, std::size_t end) {
               if (!wanted) found[part].reserve(end - begin);
               for (std::size_t n = begin; n < end; ++n) {
                 const std::uint32_t i = lower(candidates_[n]), j = higher(candidates_[n]);
                 const State a = state_[i], b = state_[j];
                 if ((a != State::Moving && b != State::Moving) || a == State::Out || b == State::Out)
                   continue;
                 if (wanted && !wanted(i, j)) continue;
                 if (boxes_[i].overlaps(boxes_[j])) found[part].emplace_back(i, j);
               }
             });
  return joined(found);
}

NearPairList NearPairs::find(std::span<const std::uint32_t> moving, std::span<const std::uint32_t> settled,
                             const std::function<Box(std::uint32_t)>& box_of, Team& team,
                             const Wanted& wanted) {
  for (const std::uint32_t i : settled) boxes_[i] = box_of(i);
  team.share(moving.size(), kBoxesWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t n = begin; n < end; ++n) {
      const std::uint32_t i = moving[n];
      const Box b = box_of(i);
      travel_[i] =
          moved_in_[i] == call_ && call_ > 0 ? Vec3(b.centre() - boxes_[i].centre()) : Vec3(Vec3::Zero());
      boxes_[i] = b;
    }
  });
  update(moving, settled);
  const std::vector<std::uint32_t> out = leaving(settled);
  if (left_.size() + out.size() > std::max(kFewChanges, moving_.size() / 32))
    findAll(team);
  else if (!out.empty())
    findFor(out);
  return overlapping(team, wanted);
}

}  // namespace drubble::collide
