// SPDX-License-Identifier: Apache-2.0
#include "files/cache/writer.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <future>

#include "files/cache/bonds.h"
#include "files/cache/format.h"
#include "files/cache/joints.h"
#include "files/cache/pours.h"
#include "files/cache/rules.h"
#include "files/cache/watches.h"
#include "files/shown.h"

namespace drubble::files {

namespace {

constexpr std::size_t kManyPieces = 4000;

// Driven at first, handed to the solver later.
bool released(const world::Scene& s, std::size_t piece) {
  for (const world::Mover& m : s.movers)
    if (m.piece.index() == piece && m.release_frame && !m.waits) return true;
  for (const world::Rule& r : s.rules)
    if (r.then == world::Deed::Release && s.pieces[piece].role != world::Role::Dynamic &&
        std::binary_search(r.who.begin(), r.who.end(), PieceId(piece)))
      return true;
  return false;
}

PieceState stateOf(const world::World& w, std::size_t i) {
  PieceState s;
  const solve::Motion& m = w.motion();
  const Quat& q = m.turn[i];
  s.turn = {static_cast<float>(q.w()), static_cast<float>(q.x()), static_cast<float>(q.y()),
            static_cast<float>(q.z())};
  for (std::size_t k = 0; k < 3; ++k) {
    const auto a = static_cast<Eigen::Index>(k);
    s.position[k] = m.position[i][a];
    s.velocity[k] = static_cast<float>(m.velocity[i][a]);
    s.spin[k] = static_cast<float>(m.spin[i][a]);
  }
  if (w.sleepOf(i) == world::Sleep::Awake) s.flags |= kFlagAwake;
  // What hangs on something by its bonds rests, as far as anybody can see.
  const bool hangs = w.scene().pieces[i].role == world::Role::Dynamic && w.clusterOf(i) != world::kNoCluster;
  if (w.sleepOf(i) == world::Sleep::Fixed && !hangs) s.flags |= kFlagFixed;
  if (w.sleepOf(i) == world::Sleep::Driven) s.flags |= kFlagDriven;
  if (w.sleepOf(i) == world::Sleep::Held) s.flags |= kFlagHeld;
  if (w.sleepOf(i) == world::Sleep::Frozen) s.flags |= kFlagFrozen;
  if (w.sleepOf(i) == world::Sleep::Gone) s.flags |= kFlagGone;
  if (w.sleepOf(i) == world::Sleep::Unborn) s.flags |= kFlagUnborn;
  if (w.bending(i)) s.flags |= kFlagBending;
  return s;
}

}  // namespace

std::string freedPath(const std::string& path, bool force) {
  namespace fs = std::filesystem;
  std::error_code ignored;
  if (fs::exists(path, ignored)) {
    if (fs::is_directory(path, ignored))
      throw Error(ErrorKind::Usage, fmt::format("'{}' is a folder: name a file", path));
    if (!force)
      throw Error(
          ErrorKind::Usage,
          fmt::format("'{}' is there already: add --force to replace it, or -o to write elsewhere", path));
    for (const char* side : {"", "-wal", "-shm", "-journal"}) fs::remove(path + side, ignored);
  }
  return path;
}

// A write-ahead log needs memory that all who have the file open share; elsewhere the older way, in which a
// reader may wait for a writer.
void CacheWriter::openJournal() {
  const char* journal = local() ? "WAL" : "DELETE";
  db_.run(fmt::format("PRAGMA page_size=16384; PRAGMA journal_mode={}; PRAGMA synchronous=NORMAL;", journal));
}

void makeCache(Database& db) {
  db.run(fmt::format("PRAGMA application_id={}; PRAGMA user_version={};", kCacheApplication, kCacheVersion));
  db.run("BEGIN");
  db.run(kCacheSchema);
  db.run("COMMIT");
}

CacheWriter::CacheWriter(const WriterLock& lock, bool force, std::optional<bool> local)
    : told_local_(local), db_(freedPath(lock.path(), force), Database::Mode::Write) {
  openJournal();
  makeCache(db_);
}

CacheWriter::CacheWriter(const WriterLock& lock, const CachePast& past)
    : db_(lock.path(), Database::Mode::Write), goes_on_(true), rows_(past) {
  openJournal();
}

void CacheWriter::setMeta(const std::string& key, const std::string& value) {
  Statement(db_, "INSERT OR REPLACE INTO meta VALUES (?, ?)").bind(key).bind(value).once();
}

void CacheWriter::begin(const Setup& setup, const std::vector<std::string>& overrides,
                        const BuiltScene& built) {
  const world::Scene& s = built.scene;
  db_.run("BEGIN");
  if (goes_on_)
    for (const char* table : {"meta", "setup", "prototypes", "shown", "bends", "pieces", "cameras", "joints",
                              "joint_points", "bonds", "rules", "pours", "watches", "watch_members"})
      db_.run(fmt::format("DELETE FROM {}", table));
  setMeta("state", "running");
  setMeta("title", setup.title);
  setMeta("units", setup.units);
  setMeta("unit", fmt::format("{}", setup.unit));
  setMeta("up", setup.up_is_z ? "z" : "y");
  setMeta("fps", fmt::format("{}", s.fps));
  setMeta("time_scale", fmt::format("{}", s.time_scale));
  setMeta("first_frame", std::to_string(setup.cached_from));
  setMeta("last_frame", std::to_string(s.last_frame));
  setMeta("seed", std::to_string(setup.seed));
  setMeta("gravity", fmt::format("{} {} {}", s.gravity.x(), s.gravity.y(), s.gravity.z()));
  setMeta("sleep_speed", fmt::format("{}", s.solver.sleep_speed));
  if (s.keep_inside) {
    const Box& b = *s.keep_inside;
    setMeta("keep_inside", fmt::format("{} {} {} {} {} {}", b.low.x(), b.low.y(), b.low.z(), b.high.x(),
                                       b.high.y(), b.high.z()));
  }
  std::string changed;
  for (const std::string& o : overrides) changed += o + "\n";
  Statement(db_, "INSERT INTO setup VALUES (?, ?, ?)").bind(setup.path).bind(setup.text).bind(changed).once();
  addPrototypes(built);
  addShown(setup, built);
  addBends(s);
  Statement piece(db_, "INSERT INTO pieces VALUES (?, ?, ?, ?)");
  for (std::size_t i = 0; i < s.pieces.size(); ++i)
    piece.bind(u32(i))
        .bind(s.pieces[i].name)
        .bind(s.pieces[i].prototype.value)
        .bind(released(s, i) ? "released" : world::roleName(s.pieces[i].role))
        .once();
  Statement camera(db_, "INSERT INTO cameras VALUES (?, ?, ?, ?, ?, ?, ?, ?)");
  for (const CameraSetup& c : setup.cameras)
    if (c.enabled)
      camera.bind(c.name)
          .bind(c.at.x())
          .bind(c.at.y())
          .bind(c.at.z())
          .bind(c.look.x())
          .bind(c.look.y())
          .bind(c.look.z())
          .bind(c.lens)
          .once();
  writeJoints(db_, s);
  writeBonds(db_, s);
  writeRules(db_, s);
  writePours(db_, s);
  writeWatches(db_, s);
  if (!goes_on_)
    for (const std::string& n : built.notes) note(setup.cached_from, n);
  db_.run("COMMIT");
}

void CacheWriter::addPrototypes(const BuiltScene& built) {
  Statement row(
      db_,
      "INSERT INTO prototypes VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)");
  for (std::size_t i = 0; i < built.scene.prototypes.size(); ++i) {
    const world::Prototype& p = built.scene.prototypes[i];
    const Blob mesh = packMesh(p.mesh);
    row.bind(u32(i))
        .bind(p.name)
        .bind(built.scene.materials[p.material.index()].name)
        .bind(p.volume)
        .bind(p.traits.mass());
    row.bind(p.traits.size).bind(p.traits.inner_radius).bind(p.traits.outer_radius);
    row.bind(p.origin.x()).bind(p.origin.y()).bind(p.origin.z());
    row.bind(p.colour[0])
        .bind(p.colour[1])
        .bind(p.colour[2])
        .bind(p.show ? 1 : 0)
        .bind(shape::kindName(p.shape.kind));
    for (const double x : p.inside_colour) row.bind(x);
    row.bind(std::as_bytes(std::span(p.inside)));
    row.bind(std::span<const std::byte>(mesh.data)).bind(mesh.hash).once();
  }
}

void CacheWriter::addShown(const Setup& setup, const BuiltScene& built) {
  Statement row(db_, "INSERT INTO shown VALUES (?, ?, ?, ?, ?, ?)");
  const std::vector<std::optional<LookedMesh>> shown = shownMeshes(setup, built);
  for (std::size_t i = 0; i < shown.size(); ++i) {
    if (!shown[i]) continue;
    const Blob mesh = packMesh(shown[i]->mesh), look = packLook(shown[i]->look);
    row.bind(u32(i)).bind(std::span<const std::byte>(mesh.data)).bind(mesh.hash);
    row.bind(std::span<const std::byte>(look.data)).bind(look.hash);
    row.bind(fmt::format("{}", fmt::join(shown[i]->look.names, "\n"))).once();
  }
}

// Only forms that the shot shows; those before and after are the first and the last kept.
void CacheWriter::addBends(const world::Scene& s) {
  Statement row(db_, "INSERT INTO bends VALUES (?, ?, ?, ?)");
  for (std::size_t i = 0; i < s.prototypes.size(); ++i) {
    const world::Prototype& p = s.prototypes[i];
    const int last = p.bends_from + static_cast<int>(p.bends.size()) - 1;
    for (int f = s.first_frame; f <= s.last_frame && !p.bends.empty(); ++f) {
      if (f > s.first_frame && (f < p.bends_from || f > last)) continue;
      const Blob b = packPlaces(world::verticesAt(p, f));
      row.bind(u32(i)).bind(f).bind(std::span<const std::byte>(b.data)).bind(b.hash).once();
    }
  }
}

std::string CacheWriter::addFrame(const world::World& w, const world::FrameStats& stats,
                                  const measure::Penetration& depth, const Timings& timings) {
  std::vector<PieceState> states(w.motion().size());
  // Of many pieces it takes as long as all the rest.
  const auto how = states.size() > kManyPieces ? std::launch::async : std::launch::deferred;
  std::future<std::uint64_t> digest = std::async(how, [&w] { return w.digest(); });
  for (std::size_t i = 0; i < states.size(); ++i) states[i] = stateOf(w, i);
  const auto number = [](PieceId id) { return id.valid() ? static_cast<int>(id.value) : -1; };
  CachedFrame f;
  f.frame = stats.frame;
  f.substeps = stats.substeps;
  f.iterations = stats.iterations;
  f.awake = stats.awake;
  f.asleep = stats.asleep;
  f.contacts = stats.contacts;
  f.kinetic = stats.kinetic;
  f.potential = stats.potential;
  f.work = stats.work;
  f.asks = world::asksName(stats.asks);
  f.asking = number(stats.asking);
  f.simulated = stats.seconds;
  f.depth_worst = depth.worst;
  f.depth_p99 = depth.p99;
  f.share_worst = depth.worst_share;
  f.share_p99 = depth.p99_share;
  f.deepest_a = number(depth.a);
  f.deepest_b = number(depth.b);
  f.solve_seconds = timings.solve;
  f.measure_seconds = timings.measure;
  f.store_seconds = timings.store;
  const FrameRows::Packed packed = rows_.pack(f.frame, std::move(states));
  f.digest = fmt::format("{:016x}", digest.get());
  db_.run("BEGIN");
  FrameRows::write(db_, f, packed);
  addEvents(w);
  writeJointFrame(db_, w);
  writeBondFrame(db_, w, stats);
  writeRuleFrame(db_, w);
  writePourFrame(db_, w);
  writeWatchFrame(db_, w);
  db_.run("COMMIT");
  return f.digest;
}

void CacheWriter::addEvents(const world::World& w) {
  Statement row(db_, "INSERT INTO events VALUES (?, 'hit', ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)");
  for (const solve::Hit& h : w.hits())
    row.bind(w.frame())
        .bind(h.a.value)
        .bind(h.b.value)
        .bind(h.place.x())
        .bind(h.place.y())
        .bind(h.place.z())
        .bind(h.normal.x())
        .bind(h.normal.y())
        .bind(h.normal.z())
        .bind(h.impulse)
        .bind(h.speed)
        .once();
}

void CacheWriter::note(int frame, const std::string& text) {
  Statement(db_, "INSERT INTO notes VALUES (?, ?)").bind(frame).bind(text).once();
}

void CacheWriter::addCheckpoint(const world::World& between_frames) {
  const Blob b = packBytes(between_frames.save());
  db_.run("BEGIN");
  Statement(db_, "INSERT OR REPLACE INTO checkpoints VALUES (?, ?, ?)")
      .bind(between_frames.frame())
      .bind(std::span<const std::byte>(b.data))
      .bind(b.hash)
      .once();
  std::vector<int> kept;
  for (Statement rows(db_, "SELECT frame FROM checkpoints ORDER BY frame"); rows.step();)
    kept.push_back(static_cast<int>(rows.integer(0)));
  while (kept.size() > kKeptCheckpoints) {
    // The one whose neighbours are nearest to each other is missed least.
    std::size_t least = 0;
    const auto gap = [&](std::size_t i) { return kept[i + 1] - (i > 0 ? kept[i - 1] : kept[0] - 1); };
    for (std::size_t i = 1; i + 2 < kept.size(); ++i)
      if (gap(i) < gap(least)) least = i;
    Statement(db_, "DELETE FROM checkpoints WHERE frame = ?").bind(kept[least]).once();
    kept.erase(kept.begin() + static_cast<std::ptrdiff_t>(least));
  }
  db_.run("COMMIT");
}

void CacheWriter::finish(const world::World* between_frames, const std::string& state) {
  if (between_frames != nullptr) addCheckpoint(*between_frames);
  db_.run("BEGIN");
  setMeta("state", state);
  db_.run("COMMIT");
  if (local()) db_.run("PRAGMA wal_checkpoint(TRUNCATE); PRAGMA journal_mode=DELETE;");
}

}  // namespace drubble::files
