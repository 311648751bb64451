// SPDX-License-Identifier: Apache-2.0
// Bonds in a cache: what holds together at the start, what bore how much, what gave way.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/base/vec.h"
#include "core/world/world.h"
#include "files/cache/sql.h"

namespace drubble::files {

struct CachedBond {
  std::string table;
  std::uint32_t a = 0, b = 0;                        // pieces
  Vec3 place = Vec3::Zero(), normal = Vec3::Zero();  // where the pieces start; from a to b
  double area = 0;                                   // m2
  bond::Strength strength;
};

struct CachedBondBreak {
  int frame = 0;
  std::uint32_t bond = 0;
  std::string why;
  double share = 0;  // of its strength, when it went
  Vec3 place = Vec3::Zero(), normal = Vec3::Zero();
};

// The bond that took most of its strength in a frame.
struct CachedBondWorst {
  int frame = 0;
  std::uint32_t bond = 0;
  std::string why;
  double share = 0;
};

// What had gone farthest of those that yield, in a frame: as world::YieldWorst.
struct CachedYieldWorst {
  int frame = 0;
  std::uint32_t bond = 0;
  double strain = 0, load = 0;
};

// As a cache of the scene would hold them.
std::vector<CachedBond> bondsIn(const world::Scene& s);
void writeBonds(Database& db, const world::Scene& s);
void writeBondFrame(Database& db, const world::World& w, const world::FrameStats& stats);
std::vector<CachedBond> readBonds(Database& db);
std::vector<CachedBondBreak> readBondBreaks(Database& db);  // in order
// By bond: what share of its strength it bore in a frame, below 0 where that is not known; empty: not kept.
std::vector<float> readBondStress(Database& db, int frame);
std::vector<CachedBondWorst> readBondWorsts(
    Database& db);  // by frame; none for a frame in which nothing bore on them
std::vector<CachedYieldWorst> readYieldWorsts(Database& db);  // likewise

}  // namespace drubble::files
