// SPDX-License-Identifier: Apache-2.0
// Writes a cache while a simulation runs. One transaction a frame: what is committed stays readable whatever
// happens.
#pragma once
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/measure/penetration.h"
#include "core/world/world.h"
#include "files/cache/blob.h"
#include "files/cache/frame_rows.h"
#include "files/cache/lock.h"
#include "files/cache/sql.h"
#include "files/setup/build_scene.h"

namespace drubble::files {

// The same path, at which nothing is left; without `force` Error(Usage) when there is something.
std::string freedPath(const std::string& path, bool force);
// The tables of an empty cache.
void makeCache(Database& db);

struct Timings {
  double solve = 0, measure = 0, store = 0;  // s
};

class CacheWriter {
 public:
  // Creates what is locked, which outlives this; with `force` what is there is replaced. Throws Error(Usage)
  // when it exists, Error(Output) when it cannot be written.
  // `local`: as onLocalDisk says, unless told.
  CacheWriter(const WriterLock& lock, bool force, std::optional<bool> local = {});
  // Goes on behind the frames of a cache.
  CacheWriter(const WriterLock& lock, const CachePast& past);

  // With a past, what was said of the setup is said anew.
  void begin(const Setup& setup, const std::vector<std::string>& overrides, const BuiltScene& built);
  // Returns the digest of the motion, as it is stored.
  std::string addFrame(const world::World& w, const world::FrameStats& stats,
                       const measure::Penetration& depth, const Timings& timings);
  void note(int frame, const std::string& text);
  // Keeps all of the world's state between frames: of kKeptCheckpoints, those that lie most evenly, and the
  // last two.
  void addCheckpoint(const world::World& between_frames);
  // `state`: "done", "stopped" or "diverged". A world between frames is kept as a checkpoint. Leaves one file
  // without side files.
  void finish(const world::World* between_frames, const std::string& state);

  const std::string& path() const { return db_.path(); }

 private:
  void setMeta(const std::string& key, const std::string& value);
  void addPrototypes(const BuiltScene& built);
  void addShown(const Setup& setup, const BuiltScene& built);
  void addBends(const world::Scene& s);
  void addEvents(const world::World& w);

  void openJournal();
  bool local() const { return told_local_.value_or(onLocalDisk(path())); }

  std::optional<bool> told_local_;
  Database db_;
  bool goes_on_ = false;
  FrameRows rows_;
};

}  // namespace drubble::files
