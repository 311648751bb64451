// SPDX-License-Identifier: Apache-2.0
#include "files/cache/pours.h"

namespace drubble::files {

void writePours(Database& db, const world::Scene& s) {
  Statement row(db, "INSERT INTO pours VALUES (?, ?, ?)");
  for (std::uint32_t k = 0; k < s.pours.size(); ++k)
    row.bind(k).bind(s.pours[k].name).bind(u32(s.pours[k].births.size())).once();
}

void writePourFrame(Database& db, const world::World& w) {
  Statement row(db, "INSERT INTO pour_frames VALUES (?, ?, ?, ?, ?, ?)");
  for (std::uint32_t k = 0; k < w.pourStates().size(); ++k) {
    const world::PourState& p = w.pourStates()[k];
    row.bind(w.frame())
        .bind(k)
        .bind(p.born)
        .bind(u32(p.waiting.size()))
        .bind(p.skipped)
        .bind(p.over ? 1 : 0)
        .once();
  }
}

std::vector<CachedPour> readPours(Database& db) {
  std::vector<CachedPour> out;
  Statement pour(db, "SELECT name, planned FROM pours ORDER BY id");
  while (pour.step()) out.push_back({pour.text(0), static_cast<std::uint32_t>(pour.integer(1)), {}});
  Statement r(db, "SELECT pour, frame, born, waiting, skipped, over FROM pour_frames ORDER BY pour, frame");
  const auto count = [&](int column) { return static_cast<std::uint32_t>(r.integer(column)); };
  while (r.step()) {
    const auto id = static_cast<std::size_t>(r.integer(0));
    if (id >= out.size()) continue;
    const CachedPour::Frame f{static_cast<int>(r.integer(1)), count(2), count(3), count(4),
                              r.integer(5) != 0};
    std::vector<CachedPour::Frame>& frames = out[id].frames;
    const bool same = !frames.empty() && frames.back().born == f.born && frames.back().waiting == f.waiting &&
                      frames.back().skipped == f.skipped && frames.back().over == f.over;
    if (!same) frames.push_back(f);
  }
  return out;
}

}  // namespace drubble::files
