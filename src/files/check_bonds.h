// SPDX-License-Identifier: Apache-2.0
// What a setup's bonds come to, and trouble with them before it is run.
#pragma once
#include "files/check.h"

namespace drubble::files {

// Of one table, after later ones have had their word.
struct BondRow {
  std::string name;
  std::size_t bonds = 0;
  double area = 0;          // m2
  bond::Strength least;     // Pa: the weakest of each kind, `strength` counted
  std::size_t anchors = 0;  // bonds to what does not move by itself
};

struct BondsReport {
  std::vector<BondRow> tables;
  std::size_t clusters = 0,
              anchored = 0;        // what holds together at the start; of those, what hangs on something
  std::size_t largest = 0;         // pieces
  std::vector<std::string> loose;  // pieces of bodies of which others are bonded
};
BondsReport bondsOf(const BuiltScene& built);

void checkBonds(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out);

}  // namespace drubble::files
