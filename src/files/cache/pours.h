// SPDX-License-Identifier: Apache-2.0
// Pours in a cache: which there are, and how far each is in each frame.
#pragma once
#include <string>
#include <vector>

#include "core/world/world.h"
#include "files/cache/sql.h"

namespace drubble::files {

struct CachedPour {
  std::string name;
  std::uint32_t planned = 0;  // births
  struct Frame {
    int frame = 0;
    std::uint32_t born = 0, waiting = 0, skipped = 0;  // since the first frame; waiting: now
    bool over = false;                                 // what it was to fill is full
  };
  std::vector<Frame> frames;  // those in which something changed
};

void writePours(Database& db, const world::Scene& s);
void writePourFrame(Database& db, const world::World& w);
std::vector<CachedPour> readPours(Database& db);

}  // namespace drubble::files
