// SPDX-License-Identifier: Apache-2.0
#include "files/cache/watches.h"

namespace drubble::files {

void writeWatches(Database& db, const world::Scene& s) {
  Statement row(db, "INSERT INTO watches VALUES (?, ?)");
  Statement member(db, "INSERT INTO watch_members VALUES (?, ?)");
  for (std::uint32_t k = 0; k < s.watches.size(); ++k) {
    row.bind(k).bind(s.watches[k].name).once();
    for (const PieceId p : s.watches[k].who) member.bind(k).bind(p.value).once();
  }
}

void writeWatchFrame(Database& db, const world::World& w) {
  Statement force(db, "INSERT INTO watch_forces VALUES (?, ?, ?, ?, ?)");
  Statement fill(db, "INSERT INTO watch_fills VALUES (?, ?, ?, ?, ?, ?)");
  for (std::uint32_t k = 0; k < w.watchForces().size(); ++k) {
    const Vec3& f = w.watchForces()[k];
    force.bind(w.frame()).bind(k).bind(f.x()).bind(f.y()).bind(f.z()).once();
    if (const auto x = w.watchFilled(k))
      fill.bind(w.frame()).bind(k).bind(x->count).bind(x->volume).bind(x->share).bind(x->height).once();
  }
}

std::vector<CachedWatch> readWatches(Database& db) {
  std::vector<CachedWatch> out;
  Statement names(db, "SELECT name FROM watches ORDER BY id");
  while (names.step()) out.push_back({names.text(0), {}, {}, {}});
  Statement member(db, "SELECT watch, piece FROM watch_members ORDER BY watch, piece");
  while (member.step())
    if (const auto id = static_cast<std::size_t>(member.integer(0)); id < out.size())
      out[id].members.push_back(static_cast<std::uint32_t>(member.integer(1)));
  Statement r(db, "SELECT watch, frame, x, y, z FROM watch_forces ORDER BY watch, frame");
  while (r.step())
    if (const auto id = static_cast<std::size_t>(r.integer(0)); id < out.size())
      out[id].forces.emplace_back(static_cast<int>(r.integer(1)), vec3(r.real(2), r.real(3), r.real(4)));
  Statement f(db, "SELECT watch, frame, count, volume, share, height FROM watch_fills ORDER BY watch, frame");
  while (f.step())
    if (const auto id = static_cast<std::size_t>(f.integer(0)); id < out.size())
      out[id].filled.emplace_back(
          static_cast<int>(f.integer(1)),
          world::Filled{static_cast<std::uint32_t>(f.integer(2)), f.real(3), f.real(4), f.real(5)});
  return out;
}

}  // namespace drubble::files
