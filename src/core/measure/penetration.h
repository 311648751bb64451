// SPDX-License-Identifier: Apache-2.0
// How deep shapes overlap.
#pragma once
#include <string>
#include <vector>

#include "core/world/world.h"

namespace drubble::measure {

struct Depth {
  PieceId a, b;
  double depth = 0;  // m
  double share = 0;  // of the smaller dynamic partner's inscribed diameter
};

struct Penetration {
  double worst = 0, p99 = 0;  // m, over all touching pairs
  double worst_share = 0, p99_share = 0;
  PieceId a, b;  // the deepest pair by share; not valid when nothing touches
};

// Over the true shapes at the present poses, all pairs that the world's contacts know of. Pairs whose both
// partners rest keep the depth found last time: hand the same measurer every frame.
class PenetrationMeter {
 public:
  // By the team, or none: alone. It changes no bit.
  Penetration measure(const world::World& w, Team* team = nullptr);

 private:
  struct Entry {
    PieceId a, b;
    double depth;
    bool at_rest;
  };
  std::vector<Entry> known_;
};

// The value below which 99 % of `values` lie (nearest rank); 0 for none. Reorders them.
double percentile99(std::vector<double>& values);

// All pairs that overlap by more than 1e-6 of the smaller one's size where they start, worst share first.
std::vector<Depth> startOverlaps(const world::Scene& s);

}  // namespace drubble::measure
