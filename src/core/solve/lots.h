// SPDX-License-Identifier: Apache-2.0
// Which contacts share a block.
#pragma once
#include <algorithm>
#include <array>
#include <span>
#include <vector>

#include "core/solve/links.h"

namespace drubble::solve {

// The contacts of each group: by colour, those without extras first; what overflows comes last, by the body
// that has too many.
using Lots = std::array<std::vector<std::uint32_t>, 2 * (kColours + 1)>;
using Some = std::span<const std::uint32_t>;

Lots sortOut(const Links& links, const std::vector<std::uint32_t>& some);
inline bool overflows(std::size_t group) { return group / 2 == kOverflow; }

// So many of one body go eight at a time; of fewer each is solved with what the one before it left.
inline constexpr std::size_t kCrowd = 64;

// What a group that overflows begins with: the contacts of one body.
Some firstCrowd(const Links& links, Some group);

// Calls visit(group, contacts) for each block, in order. Which contacts of a crowd share one hangs on that
// crowd alone.
template <class Visit>
void eachBlock(const Lots& lots, const Links& links, bool crowds, Visit visit) {
  for (std::size_t g = 0; g < lots.size(); ++g) {
    for (Some rest = lots[g]; !rest.empty();) {
      Some some = overflows(g) ? firstCrowd(links, rest) : rest;
      rest = rest.subspan(some.size());
      const std::size_t lanes = !overflows(g) || (crowds && some.size() >= kCrowd) ? kLanes : 1;
      while (!some.empty()) {
        const Some block = some.first(std::min(lanes, some.size()));
        visit(g, block);
        some = some.subspan(block.size());
      }
    }
  }
}

// What a sweep over a block costs: as sweepCost counts.
inline std::size_t costOf(std::size_t group, Some block) { return overflows(group) ? block.size() : 1; }

// In how many of the lanes each body stands that the contacts move.
void countTimes(const Links& links, Some block, ContactBlock& out);

}  // namespace drubble::solve
