// SPDX-License-Identifier: Apache-2.0
// Runs a setup to a cache.
#pragma once
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/base/work.h"
#include "files/cache/writer.h"
#include "files/limits.h"
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
  std::function<void(const RunProgress&)> progress;        // after each frame
  std::function<bool()> stop;                              // asked often
  std::function<void(const std::string&)> say;             // what takes long before the first frame
  std::function<void(const std::string&, double)> making;  // and what share of it is done
  std::vector<Limit> limits;                               // passing one stops the run after that frame
  bool stop_at_rest = false;                               // once nothing moves
  int checkpoint_every = 24;                               // frames; sooner where they take long
  // Go on behind the last frame of the cache, if it is there: with the same bits as if never stopped.
  bool resume = false;
  // Or from a frame of another one, perhaps with other settings; what came up to there is taken over.
  struct From {
    std::string cache;
    int frame = 0;
  };
  std::optional<From> from;
  // Until all rests, with its last frame alone in the cache; strays go.
  struct Settling {
    int most_frames = 960;
    bool lively = false;            // bounce and damping as they are; else none, and more
    std::vector<std::string> drop;  // selectors: these are taken away first
    struct Nudge {
      std::string piece;
      Vec3 by = Vec3::Zero();  // m
    };
    std::vector<Nudge> nudges;  // moved first, and woken
  };
  std::optional<Settling> settle;
};

// Where the time went, and how much there was to do.
struct RunStats {
  std::array<double, kWorks> work{};         // s, by Work
  double build = 0, measure = 0, store = 0;  // s
  std::uint64_t substeps = 0, internal_steps = 0, hits = 0;
  std::uint32_t most_awake = 0, most_contacts = 0;
};

struct RunOutcome {
  int last_frame = 0;
  std::optional<int> gone_on_from;  // the last frame that was there before
  bool stopped = false;             // before the last frame, as asked
  double seconds = 0;
  std::string digest;  // of the last frame
  std::vector<std::string> notes;
  std::string limit;   // the one that stopped it, and by what
  std::string finest;  // which frame was cut most finely, and why
  int finest_steps = 0;
  RunStats stats;
  std::vector<std::string> rules;  // what each came to
  // Of what was settled.
  std::vector<std::string> strays;      // with the frames in which they left
  std::vector<std::string> on_nothing;  // rest although nothing bears them
  std::vector<std::string> moving;      // still, at the end
  std::vector<std::string> on_edge;     // flat things that do not lie, long ones that stand
  std::vector<std::string> too_high;    // lie above nearly all others
  std::size_t dropped = 0;
  std::size_t pieces = 0;  // that move by themselves and are left
};

// Throws what the setup, the cache or the simulation throws; the cache is then closed with what it holds.
RunOutcome simulate(const Setup& setup, const RunOptions& options);

}  // namespace drubble::files
