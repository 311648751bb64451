// SPDX-License-Identifier: Apache-2.0
#include "files/cache/reader.h"

#include <fmt/format.h>

#include <filesystem>
#include <sstream>

#include "files/cache/format.h"
#include "files/shown.h"

namespace drubble::files {

namespace {

std::vector<double> numbersIn(const std::string& text) {
  std::istringstream in(text);
  std::vector<double> out;
  for (double x; in >> x;) out.push_back(x);
  return out;
}

}  // namespace

CacheReader::CacheReader(const std::string& path) {
  const Where where{path, 0, 0, ""};
  std::error_code ignored;
  if (!std::filesystem::exists(path, ignored)) throw Error(ErrorKind::Input, "no such cache", where);
  if (std::filesystem::is_directory(path, ignored))
    throw Error(ErrorKind::Input, "a folder, not a cache", where);
  if (std::filesystem::file_size(path, ignored) == 0)
    throw Error(ErrorKind::Input, "the file is empty: not a Drubble cache", where);
  db_ = std::make_unique<Database>(path, Database::Mode::Read);
  Statement application(*db_, "PRAGMA application_id"), version(*db_, "PRAGMA user_version");
  application.step();
  version.step();
  if (application.integer(0) != kCacheApplication)
    throw Error(ErrorKind::Input, "not a Drubble cache", where);
  if (version.integer(0) != kCacheVersion)
    throw Error(ErrorKind::Input,
                fmt::format("the cache has format {}, and this program reads {}: simulate again",
                            version.integer(0), kCacheVersion),
                where);
  readInfo();
  readPieces();
}

void CacheReader::damaged(const std::string& what) const {
  throw Error(ErrorKind::Input, what + " is damaged; the other frames may still be whole",
              Where{path(), 0, 0, ""});
}

void CacheReader::readInfo() {
  std::map<std::string, std::string> meta;
  Statement rows(*db_, "SELECT key, value FROM meta");
  while (rows.step()) meta[rows.text(0)] = rows.text(1);
  if (!meta.contains("fps") || !meta.contains("gravity"))
    throw Error(ErrorKind::Input, "the cache was never begun: simulate again", Where{path(), 0, 0, ""});
  const auto number = [&](const char* key, double fallback) {
    const std::vector<double> x = numbersIn(meta[key]);
    return x.empty() ? fallback : x[0];
  };
  info_.title = meta["title"];
  info_.units = meta["units"];
  info_.edited = meta["edited"];
  info_.state = meta["state"];
  info_.unit = number("unit", 1);
  info_.fps = number("fps", 24);
  info_.time_scale = number("time_scale", 1);
  info_.sleep_speed = number("sleep_speed", -1);
  info_.up_is_z = meta["up"] == "z";
  info_.first_frame = static_cast<int>(number("first_frame", 1));
  info_.last_frame = static_cast<int>(number("last_frame", 1));
  if (const std::vector<double> g = numbersIn(meta["gravity"]); g.size() == 3)
    info_.gravity = vec3(g[0], g[1], g[2]);
  if (const std::vector<double> b = numbersIn(meta["keep_inside"]); b.size() == 6)
    info_.keep_inside = Box{vec3(b[0], b[1], b[2]), vec3(b[3], b[4], b[5])};
  Statement setup(*db_, "SELECT path, text, overrides FROM setup");
  if (setup.step()) {
    info_.setup_path = setup.text(0);
    info_.setup_text = setup.text(1);
    info_.overrides = setup.text(2);
  }
}

void CacheReader::readPieces() {
  Statement p(*db_,
              "SELECT name, material, shape, volume, mass, size, inner_radius, outer_radius, origin_x, "
              "origin_y, origin_z, "
              "red, green, blue, show, mesh, mesh_hash, inside_red, inside_green, inside_blue, inside FROM "
              "prototypes "
              "ORDER BY id");
  while (p.step()) {
    CachedPrototype& c = prototypes_.emplace_back();
    c.name = p.text(0);
    c.material = p.text(1);
    c.shape = p.text(2);
    c.volume = p.real(3);
    c.mass = p.real(4);
    c.size = p.real(5);
    c.inner_radius = p.real(6);
    c.outer_radius = p.real(7);
    c.origin = vec3(p.real(8), p.real(9), p.real(10));
    c.colour = {p.real(11), p.real(12), p.real(13)};
    c.show = p.integer(14) != 0;
    const Bytes mesh = p.blob(15);
    if (hashOf(mesh) != p.integer(16)) damaged("the mesh of '" + c.name + "'");
    c.mesh = unpackMesh(mesh);
    c.inside_colour = {p.real(17), p.real(18), p.real(19)};
    for (const std::byte b : p.blob(20)) c.inside.push_back(static_cast<std::uint8_t>(b));
    if (!c.inside.empty() && c.inside.size() != c.mesh.triangles.size())
      damaged("the inside of '" + c.name + "'");
  }
  Statement bends(*db_, "SELECT DISTINCT prototype FROM bends");
  while (bends.step()) prototypes_.at(static_cast<std::size_t>(bends.integer(0))).bends = true;
  Statement q(*db_, "SELECT name, prototype, role FROM pieces ORDER BY id");
  while (q.step()) {
    pieces_.push_back({q.text(0), static_cast<std::uint32_t>(q.integer(1)),
                       q.text(2) == "dynamic" || q.text(2) == "released"});
    if (pieces_.back().prototype >= prototypes_.size()) damaged("the list of pieces");
  }
  Statement c(*db_,
              "SELECT name, at_x, at_y, at_z, look_x, look_y, look_z, lens FROM cameras ORDER BY rowid");
  while (c.step())
    cameras_.push_back(
        {c.text(0), vec3(c.real(1), c.real(2), c.real(3)), vec3(c.real(4), c.real(5), c.real(6)), c.real(7)});
  joints_ = readJoints(*db_);
}

std::vector<Vec3> CacheReader::verticesAt(std::size_t prototype, int frame) {
  Statement r(*db_,
              "SELECT data, hash FROM bends WHERE prototype = ? AND frame <= ? ORDER BY frame DESC LIMIT 1");
  r.bind(u32(prototype)).bind(frame);
  const CachedPrototype& p = prototypes_[prototype];
  if (!r.step()) return p.mesh.vertices;
  const Bytes data = r.blob(0);
  std::vector<Vec3> out;
  if (hashOf(data) == r.integer(1)) out = unpackPlaces(data);
  if (out.size() != p.mesh.vertices.size())
    damaged(fmt::format("the form of '{}' at frame {}", p.name, frame));
  return out;
}

std::optional<LookedMesh> CacheReader::shownMesh(std::size_t prototype) {
  Statement r(*db_, "SELECT mesh, mesh_hash, look, look_hash, surfaces FROM shown WHERE prototype = ?");
  r.bind(u32(prototype));
  if (!r.step()) return std::nullopt;
  const Bytes mesh = r.blob(0), look = r.blob(2);
  if (hashOf(mesh) != r.integer(1) || hashOf(look) != r.integer(3))
    damaged("what is shown of '" + prototypes_[prototype].name + "'");
  std::istringstream in(r.text(4));
  std::vector<std::string> names;
  for (std::string line; std::getline(in, line);) names.push_back(line);
  LookedMesh out;
  out.mesh = unpackMesh(mesh);
  out.look = unpackLook(look, out.mesh.triangles.size(), std::move(names));
  return out;
}

std::vector<CachedFrame> CacheReader::frames() {
  std::vector<CachedFrame> out;
  Statement r(
      *db_,
      "SELECT f.frame, digest, substeps, iterations, awake, asleep, contacts, kinetic, potential, "
      "depth_worst, depth_p99, "
      "share_worst, share_p99, deepest_a, deepest_b, solve, measure, store, work, asks, asking, seconds FROM "
      "frames f LEFT JOIN timings t "
      "ON t.frame = f.frame ORDER BY f.frame");
  while (r.step()) {
    CachedFrame f;
    f.frame = static_cast<int>(r.integer(0));
    f.digest = r.text(1);
    f.substeps = static_cast<int>(r.integer(2));
    f.iterations = static_cast<int>(r.integer(3));
    f.awake = static_cast<std::uint32_t>(r.integer(4));
    f.asleep = static_cast<std::uint32_t>(r.integer(5));
    f.contacts = static_cast<std::uint32_t>(r.integer(6));
    f.kinetic = r.real(7);
    f.potential = r.real(8);
    f.depth_worst = r.real(9);
    f.depth_p99 = r.real(10);
    f.share_worst = r.real(11);
    f.share_p99 = r.real(12);
    f.deepest_a = static_cast<int>(r.integer(13));
    f.deepest_b = static_cast<int>(r.integer(14));
    f.solve_seconds = r.real(15);
    f.measure_seconds = r.real(16);
    f.store_seconds = r.real(17);
    f.work = r.real(18);
    f.asks = r.text(19);
    f.asking = static_cast<int>(r.integer(20));
    f.simulated = r.real(21);
    out.push_back(f);
  }
  if (out.empty()) throw Error(ErrorKind::Input, "the cache holds no frame yet", Where{path(), 0, 0, ""});
  return out;
}

std::vector<CachedHit> CacheReader::hits() {
  std::vector<CachedHit> out;
  Statement r(*db_,
              "SELECT frame, a, b, x, y, z, normal_x, normal_y, normal_z, impulse, speed FROM events WHERE "
              "kind = 'hit' ORDER BY rowid");
  while (r.step())
    out.push_back({static_cast<int>(r.integer(0)), static_cast<std::uint32_t>(r.integer(1)),
                   static_cast<std::uint32_t>(r.integer(2)), vec3(r.real(3), r.real(4), r.real(5)),
                   vec3(r.real(6), r.real(7), r.real(8)), r.real(9), r.real(10)});
  return out;
}

std::vector<std::string> CacheReader::notes() {
  std::vector<std::string> out;
  Statement r(*db_, "SELECT text FROM notes ORDER BY rowid");
  while (r.step()) out.push_back(r.text(0));
  return out;
}

Bytes CacheReader::block(int frame, int& key_frame, std::size_t& count) {
  Statement r(*db_, "SELECT key_frame, count, data, hash FROM frames WHERE frame = ?");
  r.bind(frame);
  if (!r.step())
    throw Error(ErrorKind::Input, fmt::format("the cache has no frame {}", frame), Where{path(), 0, 0, ""});
  key_frame = static_cast<int>(r.integer(0));
  count = static_cast<std::size_t>(r.integer(1));
  Bytes data = r.blob(2);
  if (hashOf(data) != r.integer(3) || count > pieces_.size()) damaged(fmt::format("frame {}", frame));
  return data;
}

std::vector<PieceState> CacheReader::states(int frame) {
  int key_frame = 0;
  std::size_t count = 0;
  std::vector<std::uint32_t> index;
  std::vector<PieceState> changed;
  const Bytes data = block(frame, key_frame, count);
  unpackFrame(data, count, key_frame == frame, index, changed);
  if (key_frame == frame) {
    if (changed.size() != pieces_.size()) damaged(fmt::format("frame {}", frame));
    key_ = changed;
    loaded_key_ = frame;
    return changed;
  }
  if (key_.empty() || loaded_key_ != key_frame) states(key_frame);
  std::vector<PieceState> out = key_;
  for (std::size_t k = 0; k < index.size(); ++k) {
    if (index[k] >= out.size()) damaged(fmt::format("frame {}", frame));
    out[index[k]] = changed[k];
  }
  return out;
}

}  // namespace drubble::files
