// SPDX-License-Identifier: Apache-2.0
#include "core/solve/lots.h"

namespace drubble::solve {

Lots sortOut(const Links& links, const std::vector<std::uint32_t>& some) {
  Lots lots;
  for (const std::uint32_t i : some)
    if (const Link& l = links[i]; l.solved) lots[2 * l.colour + l.extra].push_back(i);
  for (std::size_t g = 2 * kOverflow; g < lots.size(); ++g)
    std::stable_sort(lots[g].begin(), lots[g].end(), [&](std::uint32_t x, std::uint32_t y) {
      return links[x].crowded() < links[y].crowded();
    });
  return lots;
}

Some firstCrowd(const Links& links, Some group) {
  std::size_t n = 1;
  while (n < group.size() && links[group[n]].crowded() == links[group[0]].crowded()) ++n;
  return group.first(n);
}

void countTimes(const Links& links, Some block, ContactBlock& out) {
  const auto count = [&](std::uint32_t body) {
    std::uint8_t n = 0;
    for (const std::uint32_t i : block) {
      if (body != 0 && links[i].a == body) ++n;
      if (body != 0 && links[i].b == body) ++n;
    }
    return n > 1 ? n : std::uint8_t{1};
  };
  for (std::size_t i = 0; i < block.size(); ++i) {
    out.times_a[i] = count(links[block[i]].a);
    out.times_b[i] = count(links[block[i]].b);
  }
}

}  // namespace drubble::solve
