// SPDX-License-Identifier: Apache-2.0
#include "core/collide/broad.h"

#include <algorithm>

#include "core/collide/box_tree.h"

namespace drubble::collide {

std::vector<std::pair<std::uint32_t, std::uint32_t>> overlappingPairs(std::span<const Box> boxes,
                                                                      std::span<const BoxKind> kinds) {
  std::vector<std::uint32_t> held;
  for (std::uint32_t i = 0; i < boxes.size(); ++i)
    if (kinds[i] != BoxKind::Ignored) held.push_back(i);
  BoxTree tree;
  tree.build(boxes, held);
  std::vector<std::uint64_t> keys;  // the lower piece above the higher one's bits
  for (const std::uint32_t i : held) {
    if (kinds[i] != BoxKind::Moving) continue;
    tree.overlapping(boxes[i], [&](std::uint32_t j) {
      // Two that move find each other; once is enough.
      if (j == i || (kinds[j] == BoxKind::Moving && j < i) || !boxes[i].overlaps(boxes[j])) return;
      keys.push_back(static_cast<std::uint64_t>(std::min(i, j)) << 32 | std::max(i, j));
    });
  }
  std::sort(keys.begin(), keys.end());
  std::vector<std::pair<std::uint32_t, std::uint32_t>> pairs;
  pairs.reserve(keys.size());
  for (const std::uint64_t k : keys)
    pairs.emplace_back(static_cast<std::uint32_t>(k >> 32), static_cast<std::uint32_t>(k));
  return pairs;
}

}  // namespace drubble::collide
