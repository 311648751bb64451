// SPDX-License-Identifier: Apache-2.0
// What a cache knows of a run that may go on.
#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "files/cache/blob.h"
#include "files/cache/lock.h"
#include "files/cache/reader.h"

namespace drubble::files {

struct CachePast {
  std::string text, overrides;         // of the setup, as the run had them
  int last_frame = 0;                  // that is stored
  std::map<int, std::string> digests;  // of each frame's motion
  // The last key frame, from which frames to come are told apart.
  std::vector<PieceState> key;
  int key_frame = 0, since_key = 0;
};

// Throws Error(Input) as CacheReader does, and when the last frames are damaged.
CachePast pastOf(CacheReader& cache);

// All of a world's state at the latest frame up to `frame` at which it was kept whole and undamaged; empty:
// nowhere.
Bytes checkpointUpTo(CacheReader& cache, int frame);

// Copies a cache without what comes after `frame`, to what is locked, which is free (or, with `force`,
// replaced).
void copyUpTo(CacheReader& cache, int frame, const WriterLock& to, bool force);

// Of the run's prototypes and pieces, what these are not; empty: all as they were. `masses`: they may weigh
// something else.
std::string differsFrom(const CacheReader& cache, const world::Scene& s, bool masses);

}  // namespace drubble::files
