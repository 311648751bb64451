// SPDX-License-Identifier: Apache-2.0
#include "files/simulate.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <optional>
#include <set>

#include "core/measure/support.h"
#include "files/go_on.h"
#include "files/report/asks.h"
#include "files/setup/select.h"
#include "files/setup/table.h"

namespace drubble::files {

namespace {

using Clock = std::chrono::steady_clock;

double since(Clock::time_point t) { return std::chrono::duration<double>(Clock::now() - t).count(); }

// A stop waits for the frame in hand, but not for long.
class StopWatcher : public world::Watcher {
 public:
  explicit StopWatcher(const std::function<bool()>& stop) : stop_(stop) {}
  bool asked() {
    if (!asked_ && stop_ && stop_()) asked_ = Clock::now();
    return asked_.has_value();
  }
  bool cancelled() override { return asked() && since(*asked_) > kPatience; }
  void entering(Work w) override {
    const Clock::time_point now = Clock::now();
    times_[static_cast<std::size_t>(work_)] += std::chrono::duration<double>(now - since_).count();
    work_ = w;
    since_ = now;
  }
  // From here on time counts; it is not that of a frame before.
  void begin() {
    work_ = Work::Other;
    since_ = Clock::now();
  }
  const std::array<double, kWorks>& times() const { return times_; }

 private:
  std::array<double, kWorks> times_{};
  Work work_ = Work::Other;
  Clock::time_point since_ = Clock::now();
  static constexpr double kPatience = 2;  // s
  const std::function<bool()>& stop_;
  std::optional<Clock::time_point> asked_;
};

constexpr double kCalmTravel = 0.5, kCalmSpin = 2;  // 1/s: damping while things settle
constexpr const char* kStrays = "(strays)";         // the rule that takes them away
constexpr const char* kDropped = "(dropped)";

bool ownRule(const world::Rule& r) { return r.name.starts_with('('); }

// Takes away and moves what it is told to.
void tidy(const Setup& setup, const RunOptions::Settling& how, BuiltScene& built) {
  std::vector<Problem> problems;
  world::Rule rule;
  for (const std::string& text : how.drop)
    for (const PieceId p : Selecting(setup, built, problems).take(text)) rule.who.push_back(p);
  std::sort(rule.who.begin(), rule.who.end());
  rule.who.erase(std::unique(rule.who.begin(), rule.who.end()), rule.who.end());
  if (!how.drop.empty() && rule.who.empty())
    throw Error(ErrorKind::Usage, fmt::format("--drop '{}' takes no piece", how.drop.front()));
  rule.name = kDropped;
  rule.then = world::Deed::Remove;
  if (!rule.who.empty()) built.scene.rules.push_back(std::move(rule));
  for (const RunOptions::Settling::Nudge& n : how.nudges) {
    std::vector<world::Piece>& pieces = built.scene.pieces;
    const auto at =
        std::find_if(pieces.begin(), pieces.end(), [&](const auto& p) { return p.name == n.piece; });
    if (at == pieces.end() || at->role != world::Role::Dynamic) {
      std::set<std::string> known;
      for (const world::Piece& p : pieces)
        if (p.role == world::Role::Dynamic) known.insert(p.name);
      const std::string near = nearest(n.piece, known);
      throw Error(ErrorKind::Usage,
                  fmt::format("--nudge: no piece that moves by itself is called '{}'{}", n.piece,
                              near.empty() ? "" : "; did you mean '" + near + "'?"));
    }
    at->start.position += n.by;
    at->start_state = world::Start::Awake;
  }
}

// Nothing bounces, what moves is slowed, what leaves goes.
void prepareSettling(const RunOptions::Settling& how, world::Scene& s) {
  s.last_frame = s.first_frame + how.most_frames;
  if (!how.lively) {
    for (world::Material& m : s.materials) m.bounce = 0;
    for (world::PairRule& r : s.pair_rules) r.bounce.reset();
    for (world::Prototype& p : s.prototypes) {
      p.traits.travel_damping = greatest(p.traits.travel_damping, kCalmTravel);
      p.traits.spin_damping = greatest(p.traits.spin_damping, kCalmSpin);
    }
  }
  Box all;
  world::Rule strays;
  for (std::size_t i = 0; i < s.pieces.size(); ++i) {
    const world::Piece& p = s.pieces[i];
    if (s.prototypeOf(i).shape.kind != shape::Kind::Plane)
      all.add(shape::boundsAt(s.prototypeOf(i).shape, p.start));
    if (p.role == world::Role::Dynamic) strays.who.push_back(PieceId(i));
  }
  strays.name = kStrays;
  strays.then = world::Deed::Remove;
  strays.when.outside.emplace().box = s.keep_inside.value_or(all.grown(5 * all.size().norm()));
  s.rules.push_back(std::move(strays));
}

// What is costly to make is kept beside the cache, and not begun for one that cannot be written.
BuiltScene build(const Setup& setup, const RunOptions& options) {
  if (!options.force && !options.resume) freedPath(options.cache_path, false);
  Team team(options.machine.threads);
  Building how;
  how.team = &team;
  how.store = (std::filesystem::path(options.cache_path).parent_path() / "parts").string();
  how.say = options.say;
  how.progress = options.making;
  BuiltScene out = buildScene(setup, how);
  if (options.settle) {
    tidy(setup, *options.settle, out);
    prepareSettling(*options.settle, out.scene);
  }
  return out;
}

class Run {
 public:
  Run(const Setup& setup, const RunOptions& options)
      : options_(options),
        lock_(options.cache_path),
        built_(build(setup, options)),
        world_(built_.scene, options.machine),
        past_(pastFor(setup, options, built_, world_, lock_)),
        writer_(past_ ? CacheWriter(lock_, past_->cache)
                      : CacheWriter(lock_, options.force || options.resume)) {
    writer_.begin(setup, options.overrides, built_);
    out_.notes = built_.notes;
    done_.resize(built_.scene.rules.size());
    if (past_) recall();
    out_.stats.build = since(start_);
    unit_ = setup.unit;
    from_ = setup.cached_from;
  }

  RunOutcome run() {
    StopWatcher watcher(options_.stop);
    if (!past_ && !options_.settle && world_.frame() >= from_) store(world_.stats(), 0);
    try {
      while (world_.frame() < built_.scene.last_frame && !watcher.asked() && !endsHere()) {
        const auto t = Clock::now();
        watcher.begin();
        const world::FrameStats stats = world_.advance(watcher);
        if (options_.settle)
          follow(stats);
        else if (past_ && stats.frame <= past_->cache.last_frame)
          sameAsBefore(past_->cache, world_, options_.cache_path);
        else if (stats.frame >= from_)
          store(stats, since(t));
        keepState();
        tell(stats, since(t));
        out_.stats.work = watcher.times();
      }
    } catch (const Error& e) {
      if (e.kind() ==
          ErrorKind::Output)  // a full disk: nothing more can be written, what was committed is whole
        throw Error(ErrorKind::Cancelled, fmt::format("{} (stopped after frame {})", e.what(), stored_),
                    Where{writer_.path(), 0, 0, ""});
      // The world stands amid a frame now: that is no state to go on from.
      writer_.note(stored_, e.what());
      writer_.finish(nullptr, e.kind() == ErrorKind::Diverged ? "diverged" : "stopped");
      if (e.kind() != ErrorKind::Cancelled) throw;
      out_.stopped = true;
      return finished();
    }
    out_.stopped = options_.settle ? !at_rest_ : world_.frame() < built_.scene.last_frame && !at_rest_;
    if (options_.settle)
      store(last_, since(start_));
    else
      tellFloating();
    writer_.finish(world_.frame() >= stored_ ? &world_ : nullptr, out_.stopped ? "stopped" : "done");
    return finished();
  }

 private:
  // What was stored before counts as if this run had done it.
  void recall() {
    stored_ = past_->cache.last_frame;
    out_.gone_on_from = stored_;
    out_.notes.assign(1, past_->told);
    writer_.note(stored_, past_->told);
    out_.digest = past_->cache.digests.at(stored_);
    for (const CachedFrame& f : past_->frames)
      tellFinest(f.frame, f.substeps, f.iterations, f.asks,
                 f.asking < 0 ? "" : built_.scene.pieces[static_cast<std::size_t>(f.asking)].name);
    for (std::size_t k = 0; k < past_->rules.size() && k < done_.size(); ++k)
      for (const CachedRule::Done& d : past_->rules[k].done) addDeed(k, d.frame, PieceId(d.piece));
  }

  void addDeed(std::size_t rule, int frame, PieceId piece) {
    Done& done = done_[rule];
    if (done.times++ == 0) done.frame = frame, done.piece = piece;
  }

  void tellFinest(int frame, int substeps, int iterations, const std::string& asks,
                  const std::string& asking) {
    if (substeps * iterations <= out_.finest_steps) return;
    out_.finest_steps = substeps * iterations;
    out_.finest = fmt::format("frame {} asked for most: {} substeps of {} internal steps{}", frame, substeps,
                              iterations, saidAsks(asks, asking));
  }

  // So that little is lost if the run is killed.
  void keepState() {
    if (options_.settle || world_.frame() < stored_) return;
    const bool due = (world_.frame() - built_.scene.first_frame) % options_.checkpoint_every == 0;
    if (!due && since(kept_at_) < kKeepSeconds) return;
    const auto t = Clock::now();
    writer_.addCheckpoint(world_);
    kept_at_ = Clock::now();
    out_.stats.store += since(t);
  }

  bool endsHere() const { return at_rest_ || !out_.limit.empty(); }

  // Of what settles only the last frame is kept.
  void follow(const world::FrameStats& stats) {
    last_ = stats;
    stored_ = stats.frame;
    for (const world::RuleDeed& d : world_.ruleDeeds()) {
      out_.dropped += built_.scene.rules[d.rule].name == kDropped;
      if (built_.scene.rules[d.rule].name == kStrays) {
        const std::string& name = built_.scene.pieces[d.piece.index()].name;
        out_.strays.push_back(fmt::format("{} (frame {})", name, stats.frame));
        writer_.note(stats.frame, fmt::format("'{}' strayed and was removed in frame {}", name, stats.frame));
      }
    }
    at_rest_ = stats.awake == 0 && world_.allAtRest();
  }

  void listSettled() {
    for (const PieceId p : measure::restOnNothing(world_))
      out_.on_nothing.push_back(built_.scene.pieces[p.index()].name);
    for (const PieceId p : measure::restOnEdge(world_))
      out_.on_edge.push_back(built_.scene.pieces[p.index()].name);
    for (const PieceId p : measure::restTooHigh(world_))
      out_.too_high.push_back(built_.scene.pieces[p.index()].name);
    for (std::size_t i = 0; i < built_.scene.pieces.size(); ++i) {
      if (built_.scene.pieces[i].role != world::Role::Dynamic || !world_.present(i)) continue;
      ++out_.pieces;
      if (world_.sleepOf(i) == world::Sleep::Awake) out_.moving.push_back(built_.scene.pieces[i].name);
    }
  }

  // What stays in mid-air at the end, with no one holding it.
  void tellFloating() {
    std::vector<std::string> names;
    for (const PieceId p : measure::restOnNothing(world_))
      if (world_.sleepOf(p.index()) != world::Sleep::Held)
        names.push_back(built_.scene.pieces[p.index()].name);
    if (names.empty()) return;
    out_.notes.push_back(
        fmt::format("{} {} in mid-air at the end, like '{}': frozen by a rule, or asleep on nothing",
                    names.size(), names.size() == 1 ? "piece rests" : "pieces rest", names[0]));
    writer_.note(stored_, out_.notes.back());
  }

  RunOutcome finished() {
    if (options_.settle) listSettled();
    for (std::size_t k = 0; k < done_.size(); ++k) {
      const world::Rule& r = built_.scene.rules[k];
      if (ownRule(r)) continue;
      const Done& d = done_[k];
      out_.rules.push_back(
          d.times == 0
              ? fmt::format("rule '{}' never came to it: {} for {} {}", r.name, world::deedName(r.then),
                            r.who.size(), r.who.size() == 1 ? "piece" : "pieces")
              : fmt::format("rule '{}': {} {} {}, first '{}' in frame {}", r.name, world::deedName(r.then),
                            d.times, d.times == 1 ? "time" : "times",
                            built_.scene.pieces[d.piece.index()].name, d.frame));
    }
    out_.last_frame = stored_;
    out_.seconds = since(start_);
    return out_;
  }

  void store(const world::FrameStats& stats, double solve_seconds) {
    const auto t = Clock::now();
    const measure::Penetration depth = meter_.measure(world_, &world_.team());
    const double measured = since(t);
    out_.digest = writer_.addFrame(world_, stats, depth, {solve_seconds, measured, last_store_});
    last_store_ = since(t) - measured;
    stored_ = stats.frame;
    out_.stats.measure += measured;
    out_.stats.store += last_store_;
    out_.stats.substeps += static_cast<std::uint64_t>(stats.substeps);
    out_.stats.internal_steps +=
        static_cast<std::uint64_t>(stats.substeps) * static_cast<std::uint64_t>(stats.iterations);
    out_.stats.hits += world_.hits().size();
    for (const world::RuleDeed& d : world_.ruleDeeds()) addDeed(d.rule, stats.frame, d.piece);
    tellFinest(stats.frame, stats.substeps, stats.iterations, world::asksName(stats.asks),
               stats.asking.valid() ? built_.scene.pieces[stats.asking.index()].name : "");
    out_.stats.most_awake = std::max(out_.stats.most_awake, stats.awake);
    out_.stats.most_contacts = std::max(out_.stats.most_contacts, stats.contacts);
    if (options_.settle) return;
    at_rest_ = stats.awake == 0 && options_.stop_at_rest && world_.frame() > built_.scene.first_frame &&
               world_.allAtRest();
    out_.limit = passedLimit(options_.limits, {world_, stats, depth, since(start_), unit_});
    if (!out_.limit.empty()) writer_.note(stored_, out_.limit);
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
  WriterLock lock_;
  BuiltScene built_;
  world::World world_;
  std::optional<RunPast> past_;
  CacheWriter writer_;
  measure::PenetrationMeter meter_;
  RunOutcome out_;
  int stored_ = 0;  // the last frame in the cache
  int from_ = 1;    // frames before that are not kept
  world::FrameStats last_;
  bool at_rest_ = false;
  double unit_ = 1;
  struct Done {  // by a rule
    std::size_t times = 0;
    int frame = 0;
    PieceId piece;
  };
  std::vector<Done> done_;
  double pace_ = 0, last_store_ = 0;
  static constexpr double kKeepSeconds = 60;
  Clock::time_point kept_at_ = start_;
};

}  // namespace

RunOutcome simulate(const Setup& setup, const RunOptions& options) { return Run(setup, options).run(); }

}  // namespace drubble::files
