// SPDX-License-Identifier: Apache-2.0
// Rules in a cache: which there were, and what they did when to which piece.
#pragma once
#include <string>
#include <vector>

#include "core/world/world.h"
#include "files/cache/sql.h"

namespace drubble::files {

struct CachedRule {
  std::string name, deed;
  std::uint32_t pieces = 0;  // that it is for
  struct Done {
    int frame = 0;
    std::uint32_t piece = 0;
  };
  std::vector<Done> done;  // in order
};

void writeRules(Database& db, const world::Scene& s);
void writeRuleFrame(Database& db, const world::World& w);
std::vector<CachedRule> readRules(Database& db);

}  // namespace drubble::files
