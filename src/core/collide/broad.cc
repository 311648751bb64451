// SPDX-License-Identifier: Apache-2.0
#include "core/collide/broad.h"

#include <algorithm>

#include "core/collide/box_tree.h"

namespace drubble::collide {

namespace {

constexpr std::size_t kWorthAThread = 512;  // boxes

}  // namespace

std::vector<std::pair<std::uint32_t, std::uint32_t>> overlappingPairs(std::span<const Box> boxes,
                                                                      std::span<const BoxKind> kinds,
                                                                      Team& team) {
  std::vector<std::uint32_t> held;
  for (std::uint32_t i = 0; i < boxes.size(); ++i)
    if (kinds[i] != BoxKind::Ignored) held.push_back(i);
  BoxTree tree;
  tree.build(boxes, held);
  std::vector<std::vector<std::uint64_t>> found(static_cast<std::size_t>(team.size()));
  team.share(held.size(), kWorthAThread, [&](std::size_t part, std::size_t begin, std::size_t end) {
    for (std::size_t n = begin; n < end; ++n) {
      const std::uint32_t i = held[n];
      if (kinds[i] != BoxKind::Moving) continue;
      tree.overlapping(boxes[i], [&](std::uint32_t j) {
        // Two that move find each other; once is enough.
        if (j == i || (kinds[j] == BoxKind::Moving && j < i) || !boxes[i].overlaps(boxes[j])) return;
        found[part].push_back(static_cast<std::uint64_t>(std::min(i, j)) << 32 | std::max(i, j));
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

std::vector<std::pair<std::uint32_t, std::uint32_t>> overlappingPairs(std::span<const Box> boxes,
                                                                      std::span<const BoxKind> kinds) {
  Team alone(1);
  return overlappingPairs(boxes, kinds, alone);
}

}  // namespace drubble::collide
