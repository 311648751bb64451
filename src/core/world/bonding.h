// SPDX-License-Identifier: Apache-2.0
// Bonds between the pieces of a scene, as they stand at its start.
#pragma once
#include <span>
#include <utility>
#include <vector>

#include "core/world/scene.h"

namespace drubble::world {

// A bond between two pieces over a face whose normal looks from `a` to `b`: as strong as the weaker of their
// materials (a piece that does not move by itself counts only where it has a material of its own), as stiff
// as the softer.
bond::Bond bondOf(const Scene& s, PieceId a, PieceId b, bond::Face face, std::uint32_t table);

// Whether a bond between the two may ever bear anything: one of them moves by itself, or keys lead both, and
// neither ever past the other, so that they hold together once they are let go.
bool mayBond(const Scene& s, PieceId a, PieceId b);

// The faces over which pieces `a` (ascending) face pieces `b` (ascending; the same list: each other) no
// farther apart than `reach` (m), by their shapes: one a pair, the widest; what is round or meets at an edge
// faces nothing. Pairs ascending, lower piece first. Cost: n log n, and a pair test for every pair that is
// near.
struct Facing {
  PieceId a, b;
  bond::Face face;
};
std::vector<Facing> facing(const Scene& s, std::span<const PieceId> a, std::span<const PieceId> b,
                           double reach);

// A yielding bond as the solver has it, its strength as at the scene's first frame: elastic as a bar from
// centre to centre with the bond's face for a section, plastic where that would be. A bar's moments: Gere and
// Goodno, Mechanics of Materials (2012), 5.5 and 6.10.
solve::Joint yieldingJoint(const Scene& s, const bond::Bond& b);
// Its strength is `times` what the bond has.
void setYieldStrength(const bond::Bond& b, double times, solve::Joint& j);

}  // namespace drubble::world
