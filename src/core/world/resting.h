// SPDX-License-Identifier: Apache-2.0
// Contacts between pieces that both rest, put away so that they cost nothing until one of the two moves.
#pragma once
#include <algorithm>
#include <vector>

#include "core/solve/contact.h"

namespace drubble::world {

class RestingContacts {
 public:
  explicit RestingContacts(std::size_t pieces);
  void clear();

  // Those of one pair come one after the other, in their order.
  void put(const solve::Contact& c);
  // Hands over all of a piece's, in no order of pairs.
  void take(std::size_t piece, solve::Contacts& out);

  std::size_t size() const { return size_; }
  // Calls visit(other) for every piece that it touches.
  template <class Visit>
  void eachNeighbour(std::size_t piece, Visit visit) const {
    for (const std::uint32_t lower : below_[piece]) visit(lower);
    for (const solve::Contact& c : of_[piece]) visit(c.b.value);
  }
  // Calls visit(contact) for every contact of the piece.
  template <class Visit>
  void eachContact(std::size_t piece, Visit visit) const {
    for (const solve::Contact& c : of_[piece]) visit(c);
    const std::vector<std::uint32_t>& lower = below_[piece];
    for (std::size_t k = 0; k < lower.size(); ++k) {
      // Named once a contact: the first time visits all of the pair's.
      if (std::find(lower.begin(), lower.begin() + static_cast<std::ptrdiff_t>(k), lower[k]) !=
          lower.begin() + static_cast<std::ptrdiff_t>(k))
        continue;
      for (const solve::Contact& c : of_[lower[k]])
        if (c.b.index() == piece) visit(c);
    }
  }
  // Those whose lower piece this is, by the other one.
  const solve::Contacts& of(std::size_t piece) const { return of_[piece]; }

 private:
  std::vector<solve::Contacts> of_;
  std::vector<std::vector<std::uint32_t>> below_;  // a piece: its lower partners, a contact each
  std::size_t size_ = 0;
};

}  // namespace drubble::world
