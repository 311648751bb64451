// SPDX-License-Identifier: Apache-2.0
#include "files/go_on.h"

#include <fmt/format.h>

#include <filesystem>
#include <sstream>

#include "files/cache/format.h"
#include "files/setup/changes.h"

namespace drubble::files {

namespace {

std::vector<std::string> linesOf(const std::string& text) {
  std::istringstream in(text);
  std::vector<std::string> out;
  for (std::string line; std::getline(in, line);) out.push_back(line);
  return out;
}

// What a killed run left before its first frame is nothing to go on from.
bool nothingThere(const std::string& path) {
  std::error_code ignored;
  if (!std::filesystem::exists(path, ignored)) return true;
  if (std::filesystem::is_regular_file(path, ignored) && std::filesystem::file_size(path, ignored) == 0)
    return true;
  Database db(path, Database::Mode::Read);
  Statement tables(db, "SELECT COUNT(*) FROM sqlite_master");
  tables.step();
  Statement application(db, "PRAGMA application_id");
  application.step();
  if (tables.integer(0) == 0 && application.integer(0) == kCacheApplication) return true;
  if (application.integer(0) != kCacheApplication) return false;  // no cache: the reader says so
  Statement frames(db, "SELECT COUNT(*) FROM frames");
  frames.step();
  return frames.integer(0) == 0;
}

void refuseEdited(const CacheReader& cache) {
  if (!cache.info().edited.empty())
    throw Error(
        ErrorKind::Usage,
        fmt::format("'{}' was edited ({}): a run goes on from what was simulated; a setup may start_from it",
                    cache.path(), cache.info().edited));
}

void refuseChanges(const Setup& setup, const RunOptions& options, const CachePast& past) {
  std::string told;
  std::size_t more = 0;
  for (const SetupChange& c :
       changesBetween({past.text, linesOf(past.overrides)}, {setup.text, options.overrides})) {
    if (leavesMotion(c, past.last_frame)) continue;
    if (told.size() < 300)
      told += (told.empty() ? "" : "; ") + c.told();
    else
      ++more;
  }
  if (told.empty()) return;
  if (more > 0) told += fmt::format("; and {} more", more);
  throw Error(
      ErrorKind::Usage,
      fmt::format("the setup has changed since frame {} of '{}' was written ({}): --from FRAME goes on "
                  "with it in a new cache, --force starts over",
                  past.last_frame, options.cache_path, told));
}

// The state at a frame of a cache, by its own setup.
Bytes stateAt(CacheReader& cache, const CachePast& past, const Setup& setup, const RunOptions& options) {
  const int frame = options.from->frame;
  const std::vector<std::string> overrides = linesOf(past.overrides);
  const Setup old = parseSetup(setup.path, past.text, overrides);
  Building how;
  Team team(options.machine.threads);
  how.team = &team;
  how.store = (std::filesystem::path(options.cache_path).parent_path() / "parts").string();
  const BuiltScene built = buildScene(old, how);
  if (const std::string why = differsFrom(cache, built.scene, true); !why.empty())
    throw Error(ErrorKind::Usage, fmt::format("'{}' cannot be gone on from: {}", cache.path(), why));
  world::World world(built.scene, options.machine);
  if (const Bytes state = checkpointUpTo(cache, frame); !state.empty()) world.restore(state);
  if (world.frame() < frame && options.say)
    options.say(fmt::format("finding the state at frame {} from that at {}", frame, world.frame()));
  world::Watcher nobody;
  while (world.frame() < frame) {
    world.advance(nobody);
    if (options.stop && options.stop())
      throw Error(ErrorKind::Cancelled, fmt::format("stopped before frame {} was found again", frame));
  }
  sameAsBefore(past, world, cache.path());
  return world.save();
}

std::optional<RunPast> branch(const Setup& setup, const RunOptions& options, const BuiltScene& built,
                              world::World& world, const WriterLock& lock) {
  CacheReader cache(options.from->cache);
  refuseEdited(cache);
  const CachePast past = pastOf(cache);
  const int frame = options.from->frame;
  if (!past.digests.contains(frame))
    throw Error(ErrorKind::Usage, fmt::format("--from {}: '{}' holds frames {} to {}", frame, cache.path(),
                                              past.digests.begin()->first, past.last_frame));
  if (const std::string why = differsFrom(cache, built.scene, false); !why.empty())
    throw Error(ErrorKind::Usage,
                fmt::format("--from {}: '{}' cannot be gone on from: {}", frame, cache.path(), why));
  const Bytes state = stateAt(cache, past, setup, options);
  try {
    world.restore(state);
  } catch (const Error& e) {
    throw Error(ErrorKind::Usage, fmt::format("--from {}: {}", frame, e.what()));
  }
  copyUpTo(cache, frame, lock, options.force);
  std::string told = fmt::format("goes on from frame {} of '{}'", frame, cache.path());
  for (const SetupChange& c :
       changesBetween({past.text, linesOf(past.overrides)}, {setup.text, options.overrides}))
    told += "; " + c.told();
  CacheReader copy(options.cache_path);
  return RunPast{pastOf(copy), copy.frames(), copy.rules(), told};
}

}  // namespace

void sameAsBefore(const CachePast& past, const world::World& w, const std::string& path) {
  const auto before = past.digests.find(w.frame());
  if (before == past.digests.end() || before->second == fmt::format("{:016x}", w.digest())) return;
  throw Error(
      ErrorKind::Input,
      fmt::format(
          "frame {} comes out other than it is stored: something besides the setup has changed (a mesh, "
          "a cache that it starts from, this program); simulate again",
          w.frame()),
      Where{path, 0, 0, ""});
}

std::optional<RunPast> pastFor(const Setup& setup, const RunOptions& options, const BuiltScene& built,
                               world::World& world, const WriterLock& lock) {
  if (options.from) return branch(setup, options, built, world, lock);
  if (!options.resume || nothingThere(options.cache_path)) return std::nullopt;
  CacheReader cache(options.cache_path);
  refuseEdited(cache);
  RunPast out{pastOf(cache), cache.frames(), cache.rules(), ""};
  out.told = fmt::format("goes on behind frame {}", out.cache.last_frame);
  refuseChanges(setup, options, out.cache);
  const auto refuse = [&](const std::string& why) {
    throw Error(ErrorKind::Usage,
                fmt::format("'{}' cannot be gone on with: {}; --force starts over", options.cache_path, why));
  };
  if (const std::string why = differsFrom(cache, built.scene, true); !why.empty()) refuse(why);
  try {
    if (const Bytes state = checkpointUpTo(cache, out.cache.last_frame); !state.empty()) world.restore(state);
  } catch (const Error& e) {
    refuse(e.what());
  }
  return out;
}

}  // namespace drubble::files
