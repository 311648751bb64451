// SPDX-License-Identifier: Apache-2.0
// Makes another cache of one, or of two.
#pragma once
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "files/cache/reader.h"

namespace drubble::files {

struct EditOptions {
  std::string path;  // where the new one goes
  bool force = false;
  std::optional<int> first, last;  // frames that are kept; else all
  // Of frames of the new cache (ascending) which of the old they are: straight between, held outside. Empty:
  // each its own.
  std::vector<std::pair<double, double>> keys;
  double slower = 1;                  // without keys: so many times as many frames
  int hold_first = 0, hold_last = 0;  // frames that stand still before and after
  std::optional<int> starts_at;       // the number of the first frame
  struct Freeze {
    std::string who;
    int frame = 0;  // of the old cache
  };
  std::vector<Freeze> freezes;
  std::vector<std::string> drops;  // selectors: gone in all frames
  std::string join;  // a cache of the same pieces whose frames come after, as they are; empty: none
  std::function<void(double)> progress;
  std::function<bool()> stop;
};

struct Edited {
  int first_frame = 0, last_frame = 0;
  std::size_t frozen = 0, dropped = 0;  // pieces
  std::size_t joined = 0;               // frames
};

// Frames between frames are where their pieces go between them (Moments); speeds stay those of the
// simulation, and the simulated time of each frame says how fast that is in the shot: so a shot that is
// slowed to half has half the speed when it is drawn or handed on. Events, loads and breaks come along, in
// the first frame that is not before them; checkpoints do not. The old cache is never touched. Throws
// Error(Usage) for frames and pieces that are not there.
Edited editCache(CacheReader& cache, const EditOptions& options);

}  // namespace drubble::files
