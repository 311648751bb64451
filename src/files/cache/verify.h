// SPDX-License-Identifier: Apache-2.0
// What a cache holds, and whether all of it is whole.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "files/cache/reader.h"

namespace drubble::files {

struct CachePart {
  std::string what;  // "frames", "meshes", ...
  std::size_t count = 0;
  std::uint64_t bytes = 0;  // as stored
};

struct CacheContents {
  std::uint64_t file_bytes = 0;
  int first_frame = 0, last_frame = 0;
  std::size_t key_frames = 0;
  std::vector<int> checkpoints;  // frames
  std::vector<CachePart> parts;
  std::vector<std::string> notes;
  std::vector<std::string> damage;  // what is not whole, and what that costs; empty: all is
  std::vector<int> lost_frames;     // ascending: cannot be read
  double read_seconds = 0;          // for all frames, each read on its own
};

// Reads everything once and compares each block with its hash. Throws as CacheReader does where not even the
// list of pieces can be read.
CacheContents contentsOf(CacheReader& cache);

}  // namespace drubble::files
