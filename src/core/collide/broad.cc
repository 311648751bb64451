// SPDX-License-Identifier: Apache-2.0
#include "core/collide/broad.h"

#include "core/collide/near_pairs.h"

namespace drubble::collide {

std::vector<std::pair<std::uint32_t, std::uint32_t>> overlappingPairs(std::span<const Box> boxes,
                                                                      std::span<const BoxKind> kinds) {
  std::vector<std::uint32_t> moving, rest;
  for (std::uint32_t i = 0; i < boxes.size(); ++i)
    if (kinds[i] != BoxKind::Ignored) (kinds[i] == BoxKind::Moving ? moving : rest).push_back(i);
  Team alone(1);
  const NearPairList found = NearPairs(boxes.size())
                                 .find(
                                     moving, rest, [&](std::uint32_t i) { return boxes[i]; }, alone);
  return {found.begin(), found.end()};
}

}  // namespace drubble::collide
