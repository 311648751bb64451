// SPDX-License-Identifier: Apache-2.0
// Runs a setup to a cache.
#pragma once
#include <functional>
#include <string>
#include <vector>

#include "files/cache/writer.h"
#include "files/setup/build_scene.h"

namespace drubble::files {

struct RunProgress {
  int frame = 0, last_frame = 0;
  double seconds = 0;       // so far
  double seconds_left = 0;  // guessed from the last frames
  std::uint32_t awake = 0, contacts = 0;
  int substeps = 0;
};

struct RunOptions {
  std::string cache_path;
  bool force = false;
  std::vector<std::string> overrides;
  world::Machine machine;
  std::function<void(const RunProgress&)> progress;  // after each frame
  std::function<bool()> stop;                        // asked often
};

struct RunOutcome {
  int last_frame = 0;
  bool stopped = false;  // before the last frame, as asked
  double seconds = 0;
  std::string digest;  // of the last frame
  std::vector<std::string> notes;
};

// Throws what the setup, the cache or the simulation throws; the cache is then closed with what it holds.
RunOutcome simulate(const Setup& setup, const RunOptions& options);

}  // namespace drubble::files
