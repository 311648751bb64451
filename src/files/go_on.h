// SPDX-License-Identifier: Apache-2.0
// A run that goes on where another stopped, or branches off from it.
#pragma once
#include <optional>
#include <vector>

#include "core/world/world.h"
#include "files/cache/past.h"
#include "files/simulate.h"

namespace drubble::files {

struct RunPast {
  CachePast cache;
  std::vector<CachedFrame> frames;
  std::vector<CachedRule> rules;
  std::string told;  // from where it goes on, and with what changes
};

// What a run of `setup` goes on from, as options say; nothing: it starts anew. The world is left at a frame
// not behind the last that is stored: its motion from there is known, and is compared. With `options.from`
// the cache to be written, which is locked, holds what came before. Throws Error(Usage) when setup, meshes or
// names have changed in a way that does not go with it, saying what; Error(Input) when the cache is damaged.
std::optional<RunPast> pastFor(const Setup& setup, const RunOptions& options, const BuiltScene& built,
                               world::World& world, const WriterLock& lock);

// Throws Error(Input) unless the world moves as it did when the cache's frame was written.
void sameAsBefore(const CachePast& past, const world::World& w, const std::string& path);

}  // namespace drubble::files
