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

void writeWatches(Database& db, const world::Scene& s);
void writeWatchFrame(Database& db, const world::World& w);
std::vector<CachedWatch> readWatches(Database& db);

}  // namespace drubble::files
