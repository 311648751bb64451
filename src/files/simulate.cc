// SPDX-License-Identifier: Apache-2.0
#include "files/simulate.h"

#include <fmt/format.h>

#include <chrono>

namespace drubble::files {

namespace {

using Clock = std::chrono::steady_clock;

double since(Clock::time_point t) { return std::chrono::duration<double>(Clock::now() - t).count(); }

class StopWatcher : public world::Watcher {
 public:
  explicit StopWatcher(const std::function<bool()>& stop) : stop_(stop) {}
  bool cancelled() override { return stop_ && stop_(); }

 private:
  const std::function<bool()>& stop_;
};

class Run {
 public:
  Run(const Setup& setup, const RunOptions& options)
      : options_(options),
        built_(buildScene(setup)),
        world_(built_.scene),
        writer_(options.cache_path, options.force) {
    writer_.begin(setup, options.overrides, built_);
    out_.notes = built_.notes;
  }

  RunOutcome run() {
    StopWatcher watcher(options_.stop);
    store(world_.stats(), 0);
    try {
      while (world_.frame() < built_.scene.last_frame && !watcher.cancelled()) {
        const auto t = Clock::now();
        const world::FrameStats stats = world_.advance(watcher);
        store(stats, since(t));
        tell(stats, since(t));
      }
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::Cancelled) {
        writer_.note(world_.frame(), e.what());
        writer_.finish(world_, e.kind() == ErrorKind::Diverged ? "diverged" : "stopped");
        throw;
      }
    }
    out_.last_frame = world_.frame();
    out_.stopped = world_.frame() < built_.scene.last_frame;
    writer_.finish(world_, out_.stopped ? "stopped" : "done");
    out_.seconds = since(start_);
    return out_;
  }

 private:
  void store(const world::FrameStats& stats, double solve_seconds) {
    const auto t = Clock::now();
    const measure::Penetration depth = meter_.measure(world_);
    const double measured = since(t);
    writer_.addFrame(world_, stats, depth, {solve_seconds, measured, last_store_});
    last_store_ = since(t) - measured;
    out_.digest = fmt::format("{:016x}", world_.digest());
  }

  void tell(const world::FrameStats& stats, double seconds) {
    // The coming frames cost about what the last ones did.
    pace_ = pace_ == 0 ? seconds : 0.9 * pace_ + 0.1 * seconds;
    if (!options_.progress) return;
    const int left = built_.scene.last_frame - stats.frame;
    options_.progress({stats.frame, built_.scene.last_frame, since(start_), left * pace_, stats.awake,
                       stats.contacts, stats.substeps});
  }

  const RunOptions& options_;
  Clock::time_point start_ = Clock::now();
  BuiltScene built_;
  world::World world_;
  CacheWriter writer_;
  measure::PenetrationMeter meter_;
  RunOutcome out_;
  double pace_ = 0, last_store_ = 0;
};

}  // namespace

RunOutcome simulate(const Setup& setup, const RunOptions& options) { return Run(setup, options).run(); }

}  // namespace drubble::files
