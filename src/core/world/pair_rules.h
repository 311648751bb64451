// SPDX-License-Identifier: Apache-2.0
// What two pieces do when they meet: their materials, and the scene's rules for pairs.
#pragma once
#include <cstdint>
#include <span>
#include <vector>

#include "core/world/scene.h"

namespace drubble::world {

// Whether what a yielding bond holds has been strained for good by more than a hundredth: what it is pressed
// into, or bent against, stops it from there on.
inline bool hasGiven(const solve::JointState& s) { return s.strained > 0.01; }

class PairRules {
 public:
  // At most kMostPairRules rules in the scene.
  explicit PairRules(const Scene& scene);

  // Which joined pairs collide again, now that some joints are broken, and some yielding bonds (`broken`: by
  // the scene's bonds) gone, or have given. `states`: of the scene's joints, then of its yielding bonds.
  void findJoined(std::span<const solve::JointState> states, const std::vector<char>& broken);

  // While it is absent it collides with nothing.
  void setAbsent(std::size_t piece, bool absent);
  bool isAbsent(std::size_t piece) const { return !absent_.empty() && absent_[piece] != 0; }

  // From now on it is of that material, as far as it touches.
  void setMaterial(std::size_t piece, MaterialId material);
  // What was set so, a piece; empty: nothing was. Invalid: it is of its own.
  const std::vector<MaterialId>& setMaterials() const { return set_materials_; }

  // i < j, in all. The last rule that names both counts, key by key.
  bool collide(std::size_t i, std::size_t j) const { return !isAbsent(i) && !isAbsent(j) && meet(i, j); }
  // Whether they would collide if both were there.
  bool meet(std::size_t i, std::size_t j) const;
  solve::Surfaces surfaces(std::size_t i, std::size_t j) const;

 private:
  template <class Visit>
  void eachRule(std::size_t i, std::size_t j, Visit visit) const;

  const Scene& scene_;
  std::vector<std::pair<std::uint32_t, std::uint32_t>> joined_;  // that do not collide, ascending
  const Material& materialOf(std::size_t piece) const;
  std::vector<MaterialId> set_materials_;
  std::vector<char> absent_;                // a piece; empty: none is
  std::vector<std::uint64_t> in_a_, in_b_;  // a piece: the rules whose first or second set it is in
};

}  // namespace drubble::world
