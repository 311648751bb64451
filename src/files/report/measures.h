// SPDX-License-Identifier: Apache-2.0
// Everything `report` says of a cache, as plain data. SI units; names of pieces.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/measure/motion.h"
#include "files/cache/reader.h"
#include "files/report/damage.h"
#include "files/report/watched.h"

namespace drubble::files {

// What a joint went through.
struct JointHistory {
  std::string name;
  double force = 0, torque = 0;  // N, N m: the greatest, of the frames' ends
  int force_frame = 0, torque_frame = 0;
  std::optional<CachedJointBreak> broke;
};

struct Measures {
  std::size_t pieces = 0, dynamic = 0;
  int first_frame = 0, last_frame = 0;
  double seconds = 0;  // that the run took
  double simulated_seconds = 0;
  std::string state, motion_digest;
  std::uint32_t asleep = 0;                                               // at the last frame
  double depth_worst = 0, depth_p99 = 0, share_worst = 0, share_p99 = 0;  // over all frames
  std::string deepest_a, deepest_b;
  int deepest_frame = 0;
  double end_share_worst = 0, end_share_p99 = 0;  // at the last frame
  double end_depth_worst = 0;
  std::string end_a, end_b;
  double jitter_median = 0, jitter_p99 = 0, jitter_worst = 0;  // over the last half second
  std::string jitter_piece;
  std::optional<int> rest_frame;
  std::vector<std::string> strays;
  double drift = 0;
  std::optional<HitTold> first_hit;
  std::size_t hits = 0;
  double share_moved = 0, share_toppled = 0;
  std::vector<CachedFrame> frames;
  std::vector<double> fastest;          // per frame, m/s
  std::vector<std::string> fastest_of;  // per frame
  std::vector<std::string> notes;
  std::vector<JointHistory> joints;
  std::vector<CachedPour> pours;
  std::vector<CachedWatch> watches;
  std::vector<WatchOutcome> watch_outcomes;  // in their order
  Damage damage;
  std::vector<CachedRule> rules;
  std::size_t finest = 0;  // the place in `frames` of the one that was cut most finely
};

Measures measureCache(CacheReader& cache);

}  // namespace drubble::files
