// SPDX-License-Identifier: Apache-2.0
#include "files/cache/verify.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <filesystem>

#include "files/cache/format.h"

namespace drubble::files {

namespace {

// What is stored under a hash beside the frames.
struct Hashed {
  const char* what;
  const char* name;  // of one, as SQL
  const char* table;
  const char* data;
  const char* hash;
};
constexpr Hashed kHashed[] = {
    {"meshes", "'the mesh of ''' || name || ''''", "prototypes", "mesh", "mesh_hash"},
    {"shown", "'what is shown of prototype ' || prototype", "shown", "look", "look_hash"},
    {"shown meshes", "'what is shown of prototype ' || prototype", "shown", "mesh", "mesh_hash"},
    {"forms", "'a form of prototype ' || prototype || ' at frame ' || frame", "bends", "data", "hash"},
    {"stress", "'the stress at frame ' || frame", "bond_stress", "data", "hash"},
    {"contacts", "'the contacts at frame ' || frame", "contacts", "data", "hash"},
    {"checkpoints", "'the checkpoint at frame ' || frame", "checkpoints", "data", "hash"}};

constexpr const char* kCounted[] = {"pieces",      "events",       "joints",     "bonds",
                                    "bond_breaks", "joint_breaks", "rule_deeds", "cameras"};

CachePart checked(Database& db, const Hashed& h, std::vector<std::string>& damage) {
  CachePart part{h.what, 0, 0};
  Statement r(db, fmt::format("SELECT {}, {}, {} FROM {}", h.name, h.data, h.hash, h.table));
  while (r.step()) {
    const Bytes data = r.blob(1);
    ++part.count;
    part.bytes += data.size();
    if (hashOf(data) != r.integer(2)) damage.push_back(r.text(0) + " is damaged");
  }
  return part;
}

bool sound(const std::vector<PieceState>& states) {
  for (const PieceState& s : states) {
    double sum = 0;
    for (const double x : s.position) sum += x;
    for (const float x : s.turn) sum += static_cast<double>(x);
    for (const float x : s.velocity) sum += static_cast<double>(x);
    for (const float x : s.spin) sum += static_cast<double>(x);
    if (!std::isfinite(sum)) return false;
  }
  return true;
}

void checkFrames(CacheReader& cache, CacheContents& out) {
  CachePart part{"frames", 0, 0};
  std::vector<int> frames;
  for (const CachedFrame& f : cache.frames()) frames.push_back(f.frame);
  out.first_frame = frames.front();
  out.last_frame = frames.back();
  const auto start = std::chrono::steady_clock::now();
  for (const int f : frames) {
    ++part.count;
    try {
      if (!sound(cache.states(f))) throw Error(ErrorKind::Input, "numbers that are none");
    } catch (const Error&) {
      out.lost_frames.push_back(f);
    }
  }
  out.read_seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  Statement sizes(cache.database(), "SELECT SUM(LENGTH(data)), SUM(frame = key_frame) FROM frames");
  sizes.step();
  part.bytes = static_cast<std::uint64_t>(sizes.integer(0));
  out.key_frames = static_cast<std::size_t>(sizes.integer(1));
  out.parts.push_back(part);
}

// A key frame takes those along that are told by what differs from it.
void tellLost(CacheReader& cache, CacheContents& out) {
  std::map<int, std::vector<int>> with_key;
  for (const int f : out.lost_frames) {
    Statement r(cache.database(), "SELECT key_frame FROM frames WHERE frame = ?");
    r.bind(f);
    r.step();
    const auto key = static_cast<int>(r.integer(0));
    const bool by_key = key != f && std::binary_search(out.lost_frames.begin(), out.lost_frames.end(), key);
    if (by_key)
      with_key[key].push_back(f);
    else
      out.damage.push_back(fmt::format("frame {} is damaged", f));
  }
  for (const auto& [key, frames] : with_key)
    out.damage.push_back(
        fmt::format("frames {} to {} cannot be read without frame {}", frames.front(), frames.back(), key));
}

}  // namespace

CacheContents contentsOf(CacheReader& cache) {
  CacheContents out;
  std::error_code ignored;
  out.file_bytes = std::filesystem::file_size(cache.path(), ignored);
  Database& db = cache.database();
  try {
    checkFrames(cache, out);
    tellLost(cache, out);
    for (const Hashed& h : kHashed) out.parts.push_back(checked(db, h, out.damage));
    for (const char* table : kCounted) {
      Statement r(db, fmt::format("SELECT COUNT(*) FROM {}", table));
      r.step();
      out.parts.push_back({table, static_cast<std::size_t>(r.integer(0)), 0});
    }
    for (Statement r(db, "SELECT frame FROM checkpoints ORDER BY frame"); r.step();)
      out.checkpoints.push_back(static_cast<int>(r.integer(0)));
    out.notes = cache.notes();
    for (Statement whole(db, "PRAGMA integrity_check(3)"); whole.step();)
      if (whole.text(0) != "ok") {
        std::string what = whole.text(0);
        std::replace(what.begin(), what.end(), '\n', ' ');
        out.damage.push_back("the file itself: " + what);
      }
  } catch (const Error& e) {
    out.damage.push_back(fmt::format("what follows could not be read: {}", e.what()));
  }
  return out;
}

}  // namespace drubble::files
