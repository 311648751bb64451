// SPDX-License-Identifier: Apache-2.0
// What became of the pieces of each watch.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/measure/motion.h"
#include "files/cache/reader.h"

namespace drubble::files {

struct HitTold {
  int frame = 0;
  std::string a, b;
  Vec3 place = Vec3::Zero();
  double speed = 0;  // m/s, of closing
};

struct WatchOutcome {
  std::string name;
  std::size_t pieces = 0;
  double moved = 0, toppled = 0;     // shares of those that were there from the first frame to the last
  std::optional<HitTold> first_hit;  // of one of them by something else; `a` is the watched one
  std::optional<HitTold> landing;    // the first on something that does not move by itself
  std::vector<int> bounces;          // frames with such a hit, each once, ascending
};

// `first`, `last`: the cache's first and last frame. `there`: pieces present in both. Sizes in m.
std::vector<WatchOutcome> watchOutcomes(CacheReader& cache, const std::vector<CachedHit>& hits,
                                        const measure::Sample& first, const measure::Sample& last,
                                        const std::vector<double>& sizes, const std::vector<char>& there);

}  // namespace drubble::files
