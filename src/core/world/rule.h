// SPDX-License-Identifier: Apache-2.0
// "When this holds for a piece, do that to it", as data.
#pragma once
#include <limits>
#include <optional>
#include <string>
#include <vector>

#include "core/base/id.h"
#include "core/base/vec.h"

namespace drubble::world {

// Where a piece is: its centre of mass counts. Box and ball in the world; the closed mesh of a piece, or all
// that its convex outline holds, where that is now.
struct Region {
  std::optional<Box> box;
  Vec3 centre = Vec3::Zero();
  double radius = 0;       // m
  PieceId body;            // valid: its mesh
  bool container = false;  // its outline: what fills it counts as inside
};

// What a rule waits for. All that is given must hold at once; nothing given holds always.
struct RuleWhen {
  double from = -std::numeric_limits<double>::infinity();  // shot frames, whole or not
  double to = std::numeric_limits<double>::infinity();
  std::optional<double> hit_harder_than;  // m/s of closing speed, in this substep
  std::vector<PieceId> touched_by;        // ascending; empty: not asked
  std::optional<Region> inside, outside;
  std::optional<double> slower_than;  // m/s: no point of it goes faster
  std::optional<double> faster_than;  // m/s: its centre of mass does
  std::optional<double> older_than;   // s since the first frame, or since it was poured
  bool bond_broken = false;           // one of its bonds, in this substep
  double seconds = 0;                 // it has held for so long without a break

  // Of a moment, not of a state that lasts.
  bool momentary() const { return hit_harder_than.has_value() || bond_broken; }
};

enum class Deed {
  Wake,
  Hold,        // stop where it is, until hit harder than its wake_above
  Release,     // held, frozen, static or driven by keys: it moves by itself
  Freeze,      // stop where it is, whatever happens
  Fix,         // the same, as what is static: it does not count as one that moves
  Drive,       // driven by its keys, or with its leader, from where it is then
  Remove,      // gone: nothing touches it any more
  BreakBonds,  // all it has
  Strength,    // of its bonds: times `to` of what they have
  Material     // it touches as one of that: friction, bounce, rolling
};
const char* deedName(Deed d);

struct Rule {
  std::string name;
  std::vector<PieceId> who;  // ascending
  RuleWhen when;
  double delay = 0;  // s, from then on
  Deed then = Deed::Wake;
  double to = 1;
  MaterialId material;
  bool again = false;  // each time that it comes to hold; else once a piece
};

// A rule did what it says to a piece.
struct RuleDeed {
  std::uint32_t rule = 0;
  PieceId piece;
};

}  // namespace drubble::world
