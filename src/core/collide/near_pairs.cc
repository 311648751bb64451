// SPDX-License-Identifier: Apache-2.0
#include "core/collide/near_pairs.h"

#include <algorithm>

namespace drubble::collide {

namespace {

constexpr std::size_t kBoxesWorthAThread = 128;
constexpr std::size_t kFewChanges = 64;  // do not make the kept tree anew for fewer

}  // namespace

void NearPairs::update(std::span<const std::uint32_t> moving, std::span<const std::uint32_t> settled) {
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
  }
  std::erase_if(loose_, [&](std::uint32_t i) { return state_[i] != State::Loose; });
  if (loose_.size() + stale_ > std::max(kFewChanges, in_kept_ / 4)) rebuild();
}

void NearPairs::rebuild() {
  std::vector<std::uint32_t> all;
  for (std::uint32_t i = 0; i < state_.size(); ++i) {
    if (state_[i] != State::Loose && state_[i] != State::Kept) continue;
    state_[i] = State::Kept;
    all.push_back(i);
  }
  kept_.build(boxes_, all);
  in_kept_ = all.size();
  stale_ = 0;
  loose_.clear();
}

std::vector<std::pair<std::uint32_t, std::uint32_t>> NearPairs::find(
    std::span<const std::uint32_t> moving, std::span<const std::uint32_t> settled,
    const std::function<Box(std::uint32_t)>& box_of, Team& team) {
  for (const std::uint32_t i : settled) boxes_[i] = box_of(i);
  team.share(moving.size(), kBoxesWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t n = begin; n < end; ++n) boxes_[moving[n]] = box_of(moving[n]);
  });
  update(moving, settled);
  std::vector<std::uint32_t> young(moving.begin(), moving.end());
  young.insert(young.end(), loose_.begin(), loose_.end());
  BoxTree tree;
  tree.build(boxes_, young);
  std::vector<std::vector<std::uint64_t>> found(static_cast<std::size_t>(team.size()));
  team.share(moving.size(), kBoxesWorthAThread, [&](std::size_t part, std::size_t begin, std::size_t end) {
    for (std::size_t n = begin; n < end; ++n) {
      const std::uint32_t i = moving[n];
      const auto take = [&](std::uint32_t j) {
        if (boxes_[i].overlaps(boxes_[j]))
          found[part].push_back(static_cast<std::uint64_t>(std::min(i, j)) << 32 | std::max(i, j));
      };
      tree.overlapping(boxes_[i], [&](std::uint32_t j) {
        // Two that move find each other; once is enough.
        if (j != i && (state_[j] != State::Moving || i < j)) take(j);
      });
      kept_.overlapping(boxes_[i], [&](std::uint32_t j) {
        if (state_[j] == State::Kept) take(j);
      });
    }
  });
  std::vector<std::uint64_t> keys = std::move(found[0]);  // the lower piece above the higher one's bits
  for (std::size_t part = 1; part < found.size(); ++part)
    keys.insert(keys.end(), found[part].begin(), found[part].end());
  std::sort(keys.begin(), keys.end());
  std::vector<std::pair<std::uint32_t, std::uint32_t>> pairs;
  pairs.reserve(keys.size());
  for (const std::uint64_t k : keys)
    pairs.emplace_back(static_cast<std::uint32_t>(k >> 32), static_cast<std::uint32_t>(k));
  return pairs;
}

}  // namespace drubble::collide
