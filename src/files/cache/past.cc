// SPDX-License-Identifier: Apache-2.0
#include "files/cache/past.h"

#include <fmt/format.h>

#include <filesystem>

#include "files/cache/format.h"
#include "files/cache/writer.h"

namespace drubble::files {

CachePast pastOf(CacheReader& cache) {
  CachePast out;
  out.text = cache.info().setup_text;
  out.overrides = cache.info().overrides;
  for (const CachedFrame& f : cache.frames()) {
    out.digests[f.frame] = f.digest;
    out.last_frame = f.frame;
  }
  Statement key(cache.database(), "SELECT key_frame FROM frames WHERE frame = ?");
  key.bind(out.last_frame);
  key.step();
  out.key_frame = static_cast<int>(key.integer(0));
  out.key = cache.states(out.key_frame);
  out.since_key = out.last_frame - out.key_frame;
  cache.states(out.last_frame);
  return out;
}

Bytes checkpointUpTo(CacheReader& cache, int frame) {
  Statement r(cache.database(), "SELECT data, hash FROM checkpoints WHERE frame <= ? ORDER BY frame DESC");
  r.bind(frame);
  while (r.step()) {
    const Bytes data = r.blob(0);
    if (hashOf(data) == r.integer(1)) return unpackBytes(data);
  }
  return {};
}

void copyUpTo(CacheReader& cache, int frame, const WriterLock& to, bool force) {
  std::error_code ignored;
  if (std::filesystem::equivalent(cache.path(), to.path(), ignored))
    throw Error(ErrorKind::Usage,
                fmt::format("'{}' is what is gone on from: give -o another name", to.path()));
  freedPath(to.path(), force);
  Statement(cache.database(), "VACUUM INTO ?").bind(to.path()).once();
  Database copy(to.path(), Database::Mode::Write);
  copy.run("BEGIN");
  std::vector<std::string> tables;
  for (Statement t(copy,
                   "SELECT DISTINCT m.name FROM sqlite_master m, pragma_table_info(m.name) c "
                   "WHERE m.type = 'table' AND c.name = 'frame'");
       t.step();)
    tables.push_back(t.text(0));
  for (const std::string& t : tables)
    Statement(copy, "DELETE FROM " + t + " WHERE frame > ?").bind(frame).once();
  copy.run("COMMIT");
}

std::string differsFrom(const CacheReader& cache, const world::Scene& s, bool masses) {
  const std::vector<CachedPiece>& pieces = cache.pieces();
  if (pieces.size() != s.pieces.size())
    return fmt::format("it had {} pieces, and the setup now makes {}", pieces.size(), s.pieces.size());
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    if (pieces[i].name != s.pieces[i].name)
      return fmt::format("its piece '{}' is called '{}' now", pieces[i].name, s.pieces[i].name);
    const CachedPrototype& was = cache.prototypeOf(i);
    const world::Prototype& is = s.prototypeOf(i);
    const bool same_mesh = was.mesh.vertices == is.mesh.vertices && was.mesh.triangles == is.mesh.triangles;
    if (!same_mesh) return fmt::format("the mesh of '{}' is another one now", pieces[i].name);
    if (masses && was.mass != is.traits.mass())
      return fmt::format("'{}' weighed {:.6g} kg, and {:.6g} now", pieces[i].name, was.mass,
                         is.traits.mass());
  }
  return "";
}

}  // namespace drubble::files
