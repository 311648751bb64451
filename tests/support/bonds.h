// SPDX-License-Identifier: Apache-2.0
// Bonded pieces for tests: a stone of a given strength, and bonds between all that touch.
#pragma once
#include "core/world/bonding.h"
#include "stage.h"

namespace drubble::test {

// `tension` in Pa.
inline world::Material stone(double tension) {
  world::Material m{"stone", 2000, 0.5, 0.5, 0, true};
  m.strength = {tension, 10 * tension, 2 * tension};
  m.stiffness = 20e9;
  return m;
}

// Among the pieces from `first` to before `end`.
inline void bondAll(Stage& s, std::size_t first, std::size_t end, const world::BondTable& table = {}) {
  std::vector<PieceId> who;
  for (std::size_t i = first; i < end; ++i) who.push_back(PieceId(i));
  s.scene.bond_tables.push_back(table);
  for (const world::Facing& f : world::facing(s.scene, who, who, 0.001))
    s.scene.bonds.push_back(world::bondOf(s.scene, f.a, f.b, f.face, u32(s.scene.bond_tables.size() - 1)));
}
inline void bondAll(Stage& s, std::size_t first = 0) { bondAll(s, first, s.scene.pieces.size()); }

}  // namespace drubble::test
