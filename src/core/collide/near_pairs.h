// SPDX-License-Identifier: Apache-2.0
// Which boxes overlap, from one substep to the next, where most of them stay where they are.
#pragma once
#include <functional>
#include <span>
#include <vector>

#include "core/base/team.h"
#include "core/collide/box_tree.h"

namespace drubble::collide {

// What does not move stands in a tree that is kept; it is made anew when a quarter of it has changed. What
// moves, and what came to rest lately, gets a tree a call. The pairs are defined by the boxes alone.
class NearPairs {
 public:
  explicit NearPairs(std::size_t count) : boxes_(count), state_(count, State::Out) {}

  // All overlapping pairs (i < j) of which one is among `moving` and the other is known, ascending.
  // `settled`: those that do not move whose boxes are new; they stay known until they are among `moving`. Box
  // of those only are asked for. Cost: about n log n in what moves.
  std::vector<std::pair<std::uint32_t, std::uint32_t>> find(std::span<const std::uint32_t> moving,
                                                            std::span<const std::uint32_t> settled,
                                                            const std::function<Box(std::uint32_t)>& box_of,
                                                            Team& team);

 private:
  // Moving in this call; at rest and in the tree that is made in each; at rest and in the one that is kept.
  enum class State : std::uint8_t { Out, Moving, Loose, Kept };
  void update(std::span<const std::uint32_t> moving, std::span<const std::uint32_t> settled);
  void rebuild();

  std::vector<Box> boxes_;
  std::vector<State> state_;
  std::vector<std::uint32_t> moving_, loose_;
  BoxTree kept_;
  std::size_t in_kept_ = 0, stale_ = 0;  // stale: in the tree that is kept, but no longer there
};

}  // namespace drubble::collide
