// SPDX-License-Identifier: Apache-2.0
#include "core/collide/broad.h"

#include <algorithm>

namespace drubble::collide {

std::vector<std::pair<std::uint32_t, std::uint32_t>> overlappingPairs(std::span<const Box> boxes,
                                                                      std::span<const BoxKind> kinds) {
  std::vector<std::uint32_t> order;
  for (std::uint32_t i = 0; i < boxes.size(); ++i)
    if (kinds[i] != BoxKind::Ignored) order.push_back(i);
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    return boxes[a].low.x() != boxes[b].low.x() ? boxes[a].low.x() < boxes[b].low.x() : a < b;
  });
  std::vector<std::pair<std::uint32_t, std::uint32_t>> pairs;
  // Open boxes of each kind; a static one need not be held against the other static ones.
  std::vector<std::uint32_t> open_moving, open_static;
  const auto against = [&](std::vector<std::uint32_t>& open, std::uint32_t i) {
    std::size_t kept = 0;
    for (const std::uint32_t j : open) {
      if (boxes[j].high.x() < boxes[i].low.x()) continue;
      open[kept++] = j;
      if (boxes[i].overlaps(boxes[j])) pairs.emplace_back(std::min(i, j), std::max(i, j));
    }
    open.resize(kept);
  };
  for (const std::uint32_t i : order) {
    against(open_moving, i);
    if (kinds[i] == BoxKind::Moving) {
      against(open_static, i);
      open_moving.push_back(i);
    } else {
      open_static.push_back(i);
    }
  }
  std::sort(pairs.begin(), pairs.end());
  return pairs;
}

}  // namespace drubble::collide
