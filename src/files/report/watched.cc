// SPDX-License-Identifier: Apache-2.0
#include "files/report/watched.h"

namespace drubble::files {

std::vector<WatchOutcome> watchOutcomes(CacheReader& cache, const std::vector<CachedHit>& hits,
                                        const measure::Sample& first, const measure::Sample& last,
                                        const std::vector<double>& sizes, const std::vector<char>& there) {
  std::vector<WatchOutcome> out;
  const std::vector<CachedPiece>& pieces = cache.pieces();
  for (const CachedWatch& w : cache.watches()) {
    WatchOutcome& o = out.emplace_back();
    o.name = w.name;
    o.pieces = w.members.size();
    std::vector<char> member(pieces.size(), 0), counted(pieces.size(), 0);
    for (const std::uint32_t i : w.members) {
      member[i] = 1;
      counted[i] = pieces[i].dynamic && there[i];
    }
    const measure::Moved moved = measure::shareMoved(first, last, sizes, counted);
    o.moved = moved.moved;
    o.toppled = moved.toppled;
    for (const CachedHit& h : hits) {
      if (member[h.a] == member[h.b]) continue;
      const std::uint32_t mine = member[h.a] ? h.a : h.b, other = member[h.a] ? h.b : h.a;
      const HitTold told{h.frame, pieces[mine].name, pieces[other].name, h.place, h.speed};
      if (!o.first_hit) o.first_hit = told;
      if (pieces[other].dynamic) continue;
      if (!o.landing) o.landing = told;
      if (o.bounces.empty() || o.bounces.back() != h.frame) o.bounces.push_back(h.frame);
    }
  }
  return out;
}

}  // namespace drubble::files
