// SPDX-License-Identifier: Apache-2.0
#include "core/world/pair_rules.h"

#include <bit>

namespace drubble::world {

PairRules::PairRules(const Scene& scene) : scene_(scene) {
  if (scene.pair_rules.empty()) return;
  in_a_.assign(scene.pieces.size(), 0);
  in_b_ = in_a_;
  for (std::size_t r = 0; r < scene.pair_rules.size(); ++r) {
    for (const PieceId p : scene.pair_rules[r].a) in_a_[p.index()] |= std::uint64_t{1} << r;
    for (const PieceId p : scene.pair_rules[r].b) in_b_[p.index()] |= std::uint64_t{1} << r;
  }
}

PairRules::Meeting PairRules::meet(std::size_t i, std::size_t j) const {
  Meeting m;
  m.surfaces = combine(scene_.materialOf(i), scene_.materialOf(j));
  if (in_a_.empty()) return m;
  const std::uint64_t straight = in_a_[i] & in_b_[j], crossed = in_a_[j] & in_b_[i];
  for (std::uint64_t left = straight | crossed; left != 0; left &= left - 1) {
    const auto r = static_cast<std::size_t>(std::countr_zero(left));
    const PairRule& rule = scene_.pair_rules[r];
    if (rule.friction_rest) m.surfaces.friction_rest = *rule.friction_rest;
    if (rule.friction_slide) m.surfaces.friction_slide = *rule.friction_slide;
    if (rule.bounce) m.surfaces.bounce = *rule.bounce;
    if (rule.adhesion) m.surfaces.adhesion = *rule.adhesion;
    if (rule.collide) m.collide = *rule.collide;
    const bool i_is_a = straight >> r & 1u;
    if (rule.one_way == PairRule::OneWay::AMovesB) m.surfaces.unmoved = i_is_a ? 1 : 2;
    if (rule.one_way == PairRule::OneWay::BMovesA) m.surfaces.unmoved = i_is_a ? 2 : 1;
  }
  return m;
}

}  // namespace drubble::world
