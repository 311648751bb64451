// SPDX-License-Identifier: Apache-2.0
#include "core/world/pair_rules.h"

#include <algorithm>
#include <bit>

namespace drubble::world {

PairRules::PairRules(const Scene& scene) : scene_(scene) {
  findJoined(std::vector<solve::JointState>(scene.joints.size() + scene.bonds.size()),
             std::vector<char>(scene.bonds.size(), 0));
  if (scene.pair_rules.empty()) return;
  in_a_.assign(scene.pieces.size(), 0);
  in_b_ = in_a_;
  for (std::size_t r = 0; r < scene.pair_rules.size(); ++r) {
    for (const PieceId p : scene.pair_rules[r].a) in_a_[p.index()] |= std::uint64_t{1} << r;
    for (const PieceId p : scene.pair_rules[r].b) in_b_[p.index()] |= std::uint64_t{1} << r;
  }
}

void PairRules::findJoined(std::span<const solve::JointState> states, const std::vector<char>& broken) {
  joined_.clear();
  for (std::size_t k = 0; k < scene_.joints.size(); ++k) {
    const SceneJoint& j = scene_.joints[k];
    const PieceId a = j.joint.a.piece, b = j.joint.b.piece;
    if (!j.collide && !states[k].broken && a.valid() && b.valid())
      joined_.push_back(std::minmax(a.value, b.value));
  }
  std::size_t at = scene_.joints.size();
  for (std::size_t k = 0; k < scene_.bonds.size(); ++k) {
    if (!scene_.yields(scene_.bonds[k])) continue;
    if (!broken[k] && !hasGiven(states[at]))
      joined_.push_back({scene_.bonds[k].a.value, scene_.bonds[k].b.value});
    ++at;
  }
  std::sort(joined_.begin(), joined_.end());
}

void PairRules::setAbsent(std::size_t piece, bool absent) {
  absent_.resize(scene_.pieces.size(), 0);
  absent_[piece] = absent;
}

void PairRules::setMaterial(std::size_t piece, MaterialId material) {
  set_materials_.resize(scene_.pieces.size());
  set_materials_[piece] = material;
}

const Material& PairRules::materialOf(std::size_t piece) const {
  const bool set = !set_materials_.empty() && set_materials_[piece].valid();
  return set ? scene_.materials[set_materials_[piece].index()] : scene_.materialOf(piece);
}

// Calls visit(rule, whether i is in its first set) with the rules that name both, in the scene's order.
template <class Visit>
void PairRules::eachRule(std::size_t i, std::size_t j, Visit visit) const {
  if (in_a_.empty()) return;
  const std::uint64_t straight = in_a_[i] & in_b_[j], crossed = in_a_[j] & in_b_[i];
  for (std::uint64_t left = straight | crossed; left != 0; left &= left - 1) {
    const auto r = static_cast<std::size_t>(std::countr_zero(left));
    visit(scene_.pair_rules[r], (straight >> r & 1u) != 0);
  }
}

bool PairRules::meet(std::size_t i, std::size_t j) const {
  bool out =
      joined_.empty() || !std::binary_search(joined_.begin(), joined_.end(), std::pair(u32(i), u32(j)));
  eachRule(i, j, [&](const PairRule& rule, bool) { out = rule.collide.value_or(out); });
  return out;
}

solve::Surfaces PairRules::surfaces(std::size_t i, std::size_t j) const {
  solve::Surfaces s = combine(materialOf(i), materialOf(j));
  eachRule(i, j, [&](const PairRule& rule, bool i_is_a) {
    s.friction_rest = rule.friction_rest.value_or(s.friction_rest);
    s.friction_slide = rule.friction_slide.value_or(s.friction_slide);
    s.bounce = rule.bounce.value_or(s.bounce);
    s.adhesion = rule.adhesion.value_or(s.adhesion);
    if (rule.one_way == PairRule::OneWay::AMovesB) s.unmoved = i_is_a ? 1 : 2;
    if (rule.one_way == PairRule::OneWay::BMovesA) s.unmoved = i_is_a ? 2 : 1;
  });
  return s;
}

}  // namespace drubble::world
