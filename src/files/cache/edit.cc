// SPDX-License-Identifier: Apache-2.0
#include "files/cache/edit.h"

#include <fmt/format.h>
#include <xxhash.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "files/cache/format.h"
#include "files/cache/moments.h"
#include "files/cache/writer.h"
#include "files/setup/select.h"

namespace drubble::files {

namespace {

// Frames of the new cache and what they are of an old one.
struct Sourced {
  int frame = 0;
  double of = 0;
};

// Tables with rows for each frame, and those that say what hangs on none.
constexpr const char* kFramewise[] = {"joint_loads", "bond_worst", "yield_worst", "bond_stress",
                                      "pour_frames", "contacts",   "watch_fills", "watch_forces"};
constexpr const char* kOnce[] = {"meta",    "setup",   "prototypes",   "shown", "pieces",
                                 "cameras", "joints",  "joint_points", "bonds", "rules",
                                 "pours",   "watches", "watch_members"};

double sourceAt(const EditOptions& o, double frame, int first) {
  if (o.keys.empty()) return first + (frame - first) / o.slower;
  if (frame <= o.keys.front().first) return o.keys.front().second;
  for (std::size_t k = 1; k < o.keys.size(); ++k) {
    const auto& [f0, s0] = o.keys[k - 1];
    const auto& [f1, s1] = o.keys[k];
    if (frame <= f1) return s0 + (s1 - s0) * (frame - f0) / (f1 - f0);
  }
  return o.keys.back().second;
}

void checkKeys(const EditOptions& o, int first, int last) {
  for (std::size_t k = 0; k < o.keys.size(); ++k) {
    const auto& [frame, of] = o.keys[k];
    if (of < first || of > last)
      throw Error(ErrorKind::Usage, fmt::format("frame {} is not among {} to {}", of, first, last));
    if (k > 0 && (frame <= o.keys[k - 1].first || of < o.keys[k - 1].second))
      throw Error(ErrorKind::Usage, "times run on: each key is later than the one before, in both caches");
  }
}

std::vector<Sourced> planned(const EditOptions& o, const std::vector<int>& frames) {
  const int first = o.first.value_or(frames.front()), last = o.last.value_or(frames.back());
  for (const int f : {first, last})
    if (f < frames.front() || f > frames.back())
      throw Error(ErrorKind::Usage, fmt::format("frame {} is not there: the cache holds {} to {}", f,
                                                frames.front(), frames.back()));
  if (last < first) throw Error(ErrorKind::Usage, fmt::format("frames {} to {} are none", first, last));
  checkKeys(o, first, last);
  const double from = o.keys.empty() ? first : std::ceil(o.keys.front().first);
  const double to = o.keys.empty() ? first + (last - first) * o.slower : o.keys.back().first;
  std::vector<Sourced> out;
  int number = o.starts_at.value_or(static_cast<int>(from) - (o.keys.empty() ? o.hold_first : 0));
  for (int k = 0; k < o.hold_first; ++k) out.push_back({number++, sourceAt(o, from, first)});
  for (double f = from; f <= to + 1e-9; f += 1)
    out.push_back({number++, std::min(sourceAt(o, f, first), static_cast<double>(last))});
  for (int k = 0; k < o.hold_last; ++k) out.push_back({number++, out.back().of});
  return out;
}

std::vector<std::uint32_t> taken(const CacheReader& cache, const std::string& who) {
  std::vector<std::uint32_t> out;
  for (std::uint32_t i = 0; i < cache.pieces().size(); ++i)
    if (matchesName(who, cache.pieces()[i].name)) out.push_back(i);
  if (out.empty())
    throw Error(ErrorKind::Usage, fmt::format("no piece of '{}' is called '{}'", cache.path(), who));
  return out;
}

std::array<float, 3> floats(const Vec3& v) {
  return {static_cast<float>(v.x()), static_cast<float>(v.y()), static_cast<float>(v.z())};
}

std::string digestOf(const std::vector<PieceState>& states) {
  std::uint64_t hash = 0;
  for (const PieceState& s : states) {
    const std::uint64_t parts[] = {hash, XXH3_64bits(s.position.data(), sizeof(s.position)),
                                   XXH3_64bits(s.turn.data(), sizeof(s.turn)), s.flags};
    hash = XXH3_64bits(parts, sizeof(parts));
  }
  return fmt::format("{:016x}", hash);
}

// What is half written goes, unless it is kept.
struct PartFile {
  std::string path;
  explicit PartFile(std::string p) : path(std::move(p)) {}
  PartFile(const PartFile&) = delete;
  PartFile& operator=(const PartFile&) = delete;
  ~PartFile() {
    std::error_code ignored;
    if (!path.empty()) std::filesystem::remove(path, ignored);
  }
  void keepAs(const std::string& name) {
    std::error_code failed;
    std::filesystem::rename(path, name, failed);
    if (failed)
      throw Error(ErrorKind::Output, "cannot be written: " + failed.message(), Where{name, 0, 0, ""});
    path.clear();
  }
};

class Editing {
 public:
  Editing(CacheReader& cache, const EditOptions& options)
      : cache_(cache),
        options_(options),
        moments_(cache),
        plan_(planned(options, moments_.frames())),
        lock_(notItself(cache, options)),
        part_(options.path + ".part"),
        db_(freedPath(part_.path, true), Database::Mode::Write) {
    if (!options.force) freedPath(options.path, false);
  }

  Edited run() {
    choose();
    db_.run("PRAGMA page_size=16384; PRAGMA journal_mode=MEMORY; PRAGMA synchronous=OFF;");
    makeCache(db_);
    db_.run("BEGIN");
    takeOver(cache_, plan_, true);
    writeFrames(cache_, moments_, plan_, 0);
    std::string told = fmt::format("made of '{}'", cache_.path());
    if (!options_.join.empty()) told += joinOther();
    setMeta("first_frame", std::to_string(plan_.front().frame));
    setMeta("last_frame", std::to_string(last_));
    setMeta("state", "done");
    setMeta("edited", told);
    Statement(db_, "INSERT INTO notes VALUES (?, ?)").bind(plan_.front().frame).bind(told).once();
    db_.run("COMMIT; PRAGMA journal_mode=DELETE");
    freedPath(options_.path, options_.force);
    part_.keepAs(options_.path);
    out_.first_frame = plan_.front().frame;
    out_.last_frame = last_;
    return out_;
  }

 private:
  static const std::string& notItself(const CacheReader& cache, const EditOptions& o) {
    std::error_code ignored;
    for (const std::string& source : {cache.path(), o.join})
      if (!source.empty() && std::filesystem::equivalent(source, o.path, ignored))
        throw Error(ErrorKind::Usage, fmt::format("'{}' is what is edited: give -o another name", o.path));
    return o.path;
  }

  void setMeta(const std::string& key, const std::string& value) {
    Statement(db_, "INSERT OR REPLACE INTO meta VALUES (?, ?)").bind(key).bind(value).once();
  }

  void choose() {
    frozen_.assign(cache_.pieces().size(), {});
    dropped_.assign(cache_.pieces().size(), 0);
    for (const EditOptions::Freeze& f : options_.freezes) {
      const std::vector<PieceState> states = cache_.states(f.frame);
      for (const std::uint32_t i : taken(cache_, f.who)) {
        out_.frozen += !frozen_[i].has_value();
        if (frozen_[i] && frozen_[i]->frame <= f.frame) continue;
        frozen_[i] = Frozen{f.frame, states[i]};
        frozen_[i]->state.velocity = frozen_[i]->state.spin = {};
        frozen_[i]->state.flags &= static_cast<std::uint8_t>(~(kFlagAwake | kFlagBending));
        frozen_[i]->state.flags |= kFlagFrozen;
      }
    }
    for (const std::string& who : options_.drops)
      for (const std::uint32_t i : taken(cache_, who)) {
        out_.dropped += dropped_[i] == 0;
        dropped_[i] = 1;
      }
  }

  // All but frames, by a map from frames of the source to new ones.
  void takeOver(CacheReader& source, const std::vector<Sourced>& plan, bool once) {
    db_.run("COMMIT");
    Statement(db_, "ATTACH ? AS source").bind(source.path()).once();
    db_.run("BEGIN");
    db_.run("CREATE TEMP TABLE of_frame (source INTEGER, frame INTEGER PRIMARY KEY)");
    db_.run("CREATE TEMP TABLE in_frame (source INTEGER PRIMARY KEY, frame INTEGER)");
    {
      Statement of(db_, "INSERT INTO of_frame VALUES (?, ?)"),
          in(db_, "INSERT OR IGNORE INTO in_frame VALUES (?, ?)");
      int done = static_cast<int>(std::ceil(plan.front().of)) - 1;
      for (const Sourced& s : plan) {
        of.bind(static_cast<int>(s.of + 0.5)).bind(s.frame).once();
        for (; done < static_cast<int>(s.of); ++done) in.bind(done + 1).bind(s.frame).once();
      }
    }
    if (once)
      for (const char* table : kOnce) db_.run(fmt::format("INSERT INTO {0} SELECT * FROM source.{0}", table));
    for (const char* table : kFramewise) copyRows(table, "of_frame", false);
    for (const char* table : {"events", "rule_deeds", "notes"}) copyRows(table, "in_frame", true);
    // What had broken before stays broken: that is said of a frame before the first.
    for (const char* table : {"bond_breaks", "joint_breaks"}) {
      db_.run(fmt::format(
          "INSERT OR IGNORE INTO in_frame SELECT DISTINCT frame, {} FROM source.{} WHERE frame < {}",
          plan.front().frame - 1, table, plan.front().of));
    }
    for (const char* table : {"bond_breaks", "joint_breaks"}) copyRows(table, "in_frame", true);
    copyForms(plan);
    for (std::uint32_t i = 0; i < dropped_.size(); ++i)
      if (dropped_[i] != 0) Statement(db_, "DELETE FROM events WHERE a = ?1 OR b = ?1").bind(i).once();
    db_.run("DROP TABLE of_frame; DROP TABLE in_frame");
    db_.run("COMMIT");
    db_.run("DETACH source");
    db_.run("BEGIN");
  }

  void copyRows(const std::string& table, const char* map, bool in_order) {
    std::string columns;
    for (Statement c(db_, fmt::format("SELECT name FROM pragma_table_info('{}') ORDER BY cid", table));
         c.step();)
      columns +=
          (columns.empty() ? "" : ", ") + (c.text(0) == "frame" ? std::string("m.frame") : "t." + c.text(0));
    db_.run(fmt::format("INSERT INTO {0} SELECT {1} FROM source.{0} t JOIN {2} m ON m.source = t.frame{3}",
                        table, columns, map, in_order ? " ORDER BY t.rowid" : ""));
  }

  // Of meshes that change theirs: where it is another than in the frame before.
  void copyForms(const std::vector<Sourced>& plan) {
    for (const Sourced& s : plan)
      Statement(db_,
                "INSERT INTO bends SELECT b.prototype, ?1, b.data, b.hash FROM source.bends b WHERE b.frame "
                "= (SELECT "
                "MAX(frame) FROM source.bends c WHERE c.prototype = b.prototype AND c.frame <= ?2)")
          .bind(s.frame)
          .bind(static_cast<int>(s.of))
          .once();
  }

  void writeFrames(CacheReader& source, Moments& moments, const std::vector<Sourced>& plan,
                   double simulated_before) {
    const std::vector<CachedFrame> about = source.frames();
    const auto indexOf = [&](double frame) {
      return static_cast<std::size_t>(
          std::upper_bound(about.begin(), about.end(), frame,
                           [](double x, const CachedFrame& f) { return x < f.frame; }) -
          about.begin() - 1);
    };
    const double start = secondsAt(about, indexOf(plan.front().of), plan.front().of);
    for (const Sourced& s : plan) {
      if (options_.stop && options_.stop()) throw Error(ErrorKind::Cancelled, "stopped: nothing was written");
      const std::size_t at = indexOf(s.of);
      CachedFrame f = about[at];
      std::vector<PieceState> states = statesAt(source, moments, s.of);
      change(states, s.of);
      f.frame = s.frame;
      f.simulated = simulated_before + secondsAt(about, at, s.of) - start;
      f.digest = digestOf(states);
      last_ = s.frame;
      last_simulated_ = f.simulated;
      FrameRows::write(db_, f, rows_.pack(s.frame, std::move(states)));
      if (options_.progress)
        options_.progress(static_cast<double>(&s - plan.data() + 1) / static_cast<double>(plan.size()));
    }
  }

  static double secondsAt(const std::vector<CachedFrame>& about, std::size_t at, double frame) {
    if (at + 1 >= about.size()) return about[at].simulated;
    const double s = (frame - about[at].frame) / (about[at + 1].frame - about[at].frame);
    return about[at].simulated + s * (about[at + 1].simulated - about[at].simulated);
  }

  static std::vector<PieceState> statesAt(CacheReader& source, Moments& moments, double frame) {
    const int whole = static_cast<int>(std::floor(frame));
    std::vector<PieceState> states = source.states(whole);
    if (frame == whole) return states;
    const double pace = moments.pace(whole);
    const std::vector<PieceMoment>& between = moments.at(frame);
    for (std::size_t i = 0; i < states.size(); ++i) {
      const PieceMoment& m = between[i];
      if (states[i].pose().position == m.pose.position &&
          states[i].pose().turn.coeffs() == m.pose.turn.coeffs())
        continue;
      const Quat& q = m.pose.turn;
      for (std::size_t k = 0; k < 3; ++k)
        states[i].position[k] = m.pose.position[static_cast<Eigen::Index>(k)];
      states[i].turn = {static_cast<float>(q.w()), static_cast<float>(q.x()), static_cast<float>(q.y()),
                        static_cast<float>(q.z())};
      states[i].velocity = floats(pace > 0 ? Vec3(m.velocity / pace) : Vec3(Vec3::Zero()));
      states[i].spin = floats(pace > 0 ? Vec3(m.spin / pace) : Vec3(Vec3::Zero()));
    }
    return states;
  }

  void change(std::vector<PieceState>& states, double of) const {
    for (std::size_t i = 0; i < states.size(); ++i) {
      if (frozen_[i] && of >= frozen_[i]->frame) states[i] = frozen_[i]->state;
      if (dropped_[i] == 0) continue;
      states[i].velocity = states[i].spin = {};
      states[i].flags = kFlagGone;
    }
  }

  // The first of its frames is left out where it is how this one ends.
  std::string joinOther() {
    CacheReader other(options_.join);
    if (other.pieces().size() != cache_.pieces().size())
      throw Error(ErrorKind::Usage,
                  fmt::format("'{}' has {} pieces, and '{}' {}: only what has the same is joined",
                              other.path(), other.pieces().size(), cache_.path(), cache_.pieces().size()));
    for (std::size_t i = 0; i < other.pieces().size(); ++i)
      if (other.pieces()[i].name != cache_.pieces()[i].name)
        throw Error(
            ErrorKind::Usage,
            fmt::format("'{}' has a piece '{}' where '{}' has '{}': only what has the same is joined",
                        other.path(), other.pieces()[i].name, cache_.path(), cache_.pieces()[i].name));
    Moments moments(other);
    std::vector<Sourced> plan;
    int number = last_;
    const bool same = sameStart(other, moments.frames().front());
    for (const int f : moments.frames())
      if (f != moments.frames().front() || !same) plan.push_back({++number, static_cast<double>(f)});
    if (plan.empty()) throw Error(ErrorKind::Usage, fmt::format("'{}' has nothing to join", other.path()));
    takeOver(other, plan, false);
    const double pace = moments.pace(moments.frames().front());
    writeFrames(other, moments, plan, last_simulated_ + pace / other.info().fps);
    out_.joined = plan.size();
    return fmt::format(" and '{}'", other.path());
  }

  bool sameStart(CacheReader& other, int frame) {
    const std::vector<PieceState> a = statesAt(cache_, moments_, plan_.back().of), b = other.states(frame);
    double off = 0;
    for (std::size_t i = 0; i < a.size(); ++i)
      off = std::max(off, (a[i].pose().position - b[i].pose().position).norm());
    return off < 1e-6;
  }

  struct Frozen {
    int frame = 0;
    PieceState state;
  };

  CacheReader& cache_;
  const EditOptions& options_;
  Moments moments_;
  std::vector<Sourced> plan_;
  WriterLock lock_;
  PartFile part_;
  Database db_;
  FrameRows rows_;
  std::vector<std::optional<Frozen>> frozen_;
  std::vector<char> dropped_;
  Edited out_;
  int last_ = 0;
  double last_simulated_ = 0;
};

}  // namespace

Edited editCache(CacheReader& cache, const EditOptions& options) { return Editing(cache, options).run(); }

}  // namespace drubble::files
