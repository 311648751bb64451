// SPDX-License-Identifier: Apache-2.0
// Disjoint sets, the lowest member standing for each.
#pragma once
#include <algorithm>
#include <cstdint>
#include <numeric>
#include <vector>

namespace drubble {

class Sets {
 public:
  explicit Sets(std::size_t n) : parent_(n) { std::iota(parent_.begin(), parent_.end(), 0u); }
  std::uint32_t find(std::uint32_t i) {
    while (parent_[i] != i) i = parent_[i] = parent_[parent_[i]];
    return i;
  }
  void join(std::uint32_t a, std::uint32_t b) {
    a = find(a);
    b = find(b);
    parent_[std::max(a, b)] = std::min(a, b);
  }

 private:
  std::vector<std::uint32_t> parent_;
};

}  // namespace drubble
