// SPDX-License-Identifier: Apache-2.0
// A tree of boxes for overlap queries, four children to a node, made anew whenever boxes have moved. It only
// accelerates: which boxes overlap is for the caller to decide exactly.
#pragma once
#include <xmmintrin.h>

#include <cstdint>
#include <span>
#include <vector>

#include "core/base/vec.h"

namespace drubble::collide {

// Over boxes in the order of a Morton curve through their centres; the levels of the tree follow from the
// order alone. Boxes wider than kWide belong to no place and are always visited.
class BoxTree {
 public:
  static constexpr double kWide = 1e6;  // m

  // `which`: the boxes to hold, by their index. Cost: a sort of those.
  void build(std::span<const Box> boxes, std::span<const std::uint32_t> which);

  // Calls visit(index) for every box that overlaps, and for a few that only nearly do.
  template <class Visit>
  void overlapping(const Box& box, Visit visit) const {
    for (const std::uint32_t i : wide_) visit(i);
    if (levels_.empty()) return;
    const Query q(box);
    struct Place {
      std::uint32_t level, node;
    };
    Place stack[128];
    int top = 0;
    stack[top++] = {static_cast<std::uint32_t>(levels_.size() - 1), 0};
    while (top > 0) {
      const Place p = stack[--top];
      const int hit = q.against(levels_[p.level][p.node]);
      for (std::uint32_t lane = 0; lane < 4; ++lane) {
        if ((hit >> lane & 1) == 0) continue;
        if (p.level == 0)
          visit(order_[4 * p.node + lane]);
        else
          stack[top++] = {p.level - 1, 4 * p.node + lane};
      }
    }
  }

 private:
  // Rounded outwards; lanes without a child overlap nothing.
  struct alignas(16) Node {
    float low[3][4], high[3][4];
  };
  struct Query {
    __m128 low[3], high[3];
    explicit Query(const Box& box);
    int against(const Node& n) const {
      __m128 in = _mm_and_ps(_mm_cmple_ps(_mm_load_ps(n.low[0]), high[0]),
                             _mm_cmpge_ps(_mm_load_ps(n.high[0]), low[0]));
      for (int k = 1; k < 3; ++k)
        in = _mm_and_ps(in, _mm_and_ps(_mm_cmple_ps(_mm_load_ps(n.low[k]), high[k]),
                                       _mm_cmpge_ps(_mm_load_ps(n.high[k]), low[k])));
      return _mm_movemask_ps(in);
    }
  };
  static Node emptyNode();

  std::vector<std::uint32_t> wide_, order_;
  std::vector<std::vector<Node>> levels_;  // from the boxes up to one node
};

}  // namespace drubble::collide
