// SPDX-License-Identifier: Apache-2.0
// What a shot did to its bonds.
#pragma once
#include <array>
#include <optional>
#include <string>
#include <vector>

#include "files/cache/reader.h"

namespace drubble::files {

// Broken bonds and all bonds of a distance from the first hit, or from the first break where that came
// before.
struct DamageRing {
  double to = 0;  // m
  std::size_t bonds = 0, broken = 0;
};

struct Damage {
  std::size_t bonds = 0, broken = 0;
  double area = 0, broken_area = 0;  // m2
  std::size_t clusters = 0;          // at the end: what two pieces or more are tied into
  std::size_t loose = 0;             // pieces that bonds held and no bond holds any more
  double largest_share = 0;          // of the mass of all that bonds held
  double radius90 = 0;               // m: within it lie nine tenths of what broke
  bool from_hit = false;             // distances are from the first hit; else from the first break
  std::array<std::size_t, 4> why{};  // broken by tension, compression, shear, on cue
  // What all strengths would have to be multiplied by for the first bond just to go; none: nothing bore on
  // them.
  std::optional<double> first_break_factor;
  std::string worst_a, worst_b, worst_why;  // the bond that says so
  int worst_frame = 0;
  // Of those that yield and hold to the end, what went farthest; none: nothing bore on them.
  std::optional<CachedYieldWorst> yielded;
  std::string yielded_a, yielded_b;
  std::optional<CachedBondBreak> first;
  std::vector<std::pair<int, std::size_t>> over_time;  // frames in which some went, and how many had by then
  std::vector<DamageRing> rings;

  double share() const { return bonds > 0 ? static_cast<double>(broken) / static_cast<double>(bonds) : 0; }
  double areaShare() const { return area > 0 ? broken_area / area : 0; }
};

// A first hit: places of bonds are those before anything moved, so that a hit after the first break says
// nothing of where that was.
struct FirstHit {
  int frame = 0;
  Vec3 place = Vec3::Zero();
};
Damage damageOf(CacheReader& cache, const std::optional<FirstHit>& hit);

}  // namespace drubble::files
