// SPDX-License-Identifier: Apache-2.0
// Which boxes overlap, from one substep to the next, where most of them stay where they are or go on as they
// went.
#pragma once
#include <functional>
#include <span>
#include <vector>

#include "core/base/pages.h"
#include "core/base/team.h"
#include "core/collide/box_tree.h"

namespace drubble::collide {

using NearPairList = PagedVector<std::pair<std::uint32_t, std::uint32_t>>;

// What moves has a fat box around its own, ahead in the direction of its travel, and the pairs whose fat
// boxes overlap are kept; while the own box stays inside, only those are looked at. What does not move stands
// in a tree that is kept; it is made anew when a quarter of it has changed. I1 the pairs are defined by the
// boxes alone: what is kept from one call to the next only saves time.
class NearPairs {
 public:
  explicit NearPairs(std::size_t count);

  // All overlapping pairs (i < j) of which one is among `moving` (ascending) and the other is known,
  // ascending; of those, if `wanted` is given, for which it is true. `settled`: those that do not move whose
  // boxes are new; they stay known until they are among `moving`. Box of those only are asked for. Cost: a
  // few comparisons a piece that moves; about n log n in those that have left their fat boxes.
  using Wanted = std::function<bool(std::uint32_t, std::uint32_t)>;
  NearPairList find(std::span<const std::uint32_t> moving, std::span<const std::uint32_t> settled,
                    const std::function<Box(std::uint32_t)>& box_of, Team& team, const Wanted& wanted = {});

  // Until it is among `moving` or `settled` again it is not known.
  void forget(std::uint32_t i);

  // Visits those that the last call knew whose fat boxes (of what rests: own boxes) overlap this one, and
  // maybe some more, each once. Thread safe.
  template <class Visit>
  void eachOver(const Box& box, Visit visit) const {
    young_.overlapping(box, [&](std::uint32_t j) {
      if (placed_[j] == Placed::Young && state_[j] != State::Out) visit(j);
    });
    for (const std::uint32_t j : left_)
      if (placed_[j] == Placed::Left && state_[j] != State::Out && box.overlaps(fat_[j])) visit(j);
    kept_.overlapping(box, [&](std::uint32_t j) {
      if (state_[j] == State::Kept) visit(j);
    });
  }
  // Whether eachOver finds i, which was among the last call's, wherever within the box it is.
  bool findsWithin(std::uint32_t i, const Box& box) const;
  // As it was asked for last.
  const Box& boxOf(std::uint32_t i) const { return boxes_[i]; }

 private:
  // Moving in this call; at rest, come so lately; at rest and in the tree that is kept.
  enum class State : std::uint8_t { Out, Moving, Loose, Kept };
  // Where a fat box stands: in the young tree; in the list of those that have left it since; nowhere.
  enum class Placed : std::uint8_t { Nowhere, Young, Left };
  void update(std::span<const std::uint32_t> moving, std::span<const std::uint32_t> settled);
  void keepResting();
  bool fits(std::uint32_t i) const;
  void fatten(std::uint32_t i);
  std::vector<std::uint32_t> leaving(std::span<const std::uint32_t> settled) const;
  void findAll(Team& team);
  void findFor(const std::vector<std::uint32_t>& leaving);
  template <class Visit>
  void eachFatOver(std::uint32_t i, Visit visit) const;
  NearPairList overlapping(Team& team, const Wanted& wanted) const;

  PagedVector<Box> boxes_, fat_;
  PagedVector<Vec3> travel_;  // of the box's middle, since the call before
  std::vector<State> state_;
  std::vector<Placed> placed_;
  std::vector<std::uint32_t> moved_in_;  // the last call in which it was among the moving
  std::uint32_t call_ = 0;
  std::vector<std::uint32_t> moving_, loose_, left_;
  BoxTree kept_, young_;
  std::size_t in_kept_ = 0, stale_ = 0;  // stale: in the tree that is kept, but no longer there
  PagedVector<std::uint64_t>
      candidates_;  // pairs whose fat boxes overlap: the lower piece above the higher's bits
};

}  // namespace drubble::collide
