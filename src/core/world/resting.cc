// SPDX-License-Identifier: Apache-2.0
#include "core/world/resting.h"

#include <algorithm>

namespace drubble::world {

RestingContacts::RestingContacts(std::size_t pieces) : of_(pieces), below_(pieces) {}

void RestingContacts::clear() {
  for (solve::Contacts& c : of_) c = {};
  for (std::vector<std::uint32_t>& b : below_) b = {};
  size_ = 0;
}

void RestingContacts::put(const solve::Contact& c) {
  solve::Contacts& list = of_[c.a.index()];
  const auto behind = std::upper_bound(list.begin(), list.end(), c.b,
                                       [](PieceId b, const solve::Contact& x) { return b < x.b; });
  solve::Contact& kept = *list.insert(behind, c);
  kept.gone = kept.strayed = solve::kGoneFar;
  below_[c.b.index()].push_back(c.a.value);
  ++size_;
}

void RestingContacts::take(std::size_t piece, solve::Contacts& out) {
  solve::Contacts& above = of_[piece];
  for (const solve::Contact& c : above) {
    std::vector<std::uint32_t>& lower = below_[c.b.index()];
    lower.erase(std::find(lower.begin(), lower.end(), piece));
    out.push_back(c);
  }
  size_ -= above.size();
  above = {};
  for (const std::uint32_t a : below_[piece]) {
    // Named once a contact: the first time takes all of the pair's.
    solve::Contacts& list = of_[a];
    for (const solve::Contact& c : list)
      if (c.b.index() == piece) out.push_back(c);
    size_ -= std::erase_if(list, [&](const solve::Contact& c) { return c.b.index() == piece; });
  }
  below_[piece] = {};
}

}  // namespace drubble::world
