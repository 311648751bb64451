// SPDX-License-Identifier: Apache-2.0
// Watches in a cache: what bore on their pieces, and what of them lay in their regions, frame by frame.
#pragma once
#include <string>
#include <utility>
#include <vector>

#include "core/world/world.h"
#include "files/cache/sql.h"

namespace drubble::files {

struct CachedWatch {
  std::string name;
  std::vector<std::uint32_t> members;                 // pieces, ascending
  std::vector<std::pair<int, Vec3>> forces;           // N, by frame: of all that touches it
  std::vector<std::pair<int, world::Filled>> filled;  // by frame; empty: it has no region
};

struct CachedContact {  // of a pair, as a frame ends
  std::uint32_t a = 0, b = 0;
  Vec3 place = Vec3::Zero(), normal = Vec3::Zero();
  double force = 0, speed = 0, sliding = 0, area = 0;  // N, m/s, m/s, m2
};
// By pair; empty where none are kept. Throws Error(Input) for a damaged frame.
std::vector<CachedContact> readContacts(Database& db, int frame);

void writeWatches(Database& db, const world::Scene& s);
void writeWatchFrame(Database& db, const world::World& w);
std::vector<CachedWatch> readWatches(Database& db);

}  // namespace drubble::files
