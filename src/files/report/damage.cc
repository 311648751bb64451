// SPDX-License-Identifier: Apache-2.0
#include "files/report/damage.h"

#include <algorithm>
#include <map>

#include "core/base/sets.h"

namespace drubble::files {

namespace {

constexpr std::size_t kRings = 10;

void countClusters(const CacheReader& cache, const std::vector<CachedBond>& bonds,
                   const std::vector<char>& broken, Damage& d) {
  const std::size_t n = cache.pieces().size();
  Sets sets(n);
  std::vector<char> held(n, 0);
  for (std::size_t k = 0; k < bonds.size(); ++k) {
    const std::uint32_t a = bonds[k].a, b = bonds[k].b;
    held[a] = held[b] = 1;
    if (!broken[k] && cache.pieces()[a].dynamic && cache.pieces()[b].dynamic) sets.join(a, b);
  }
  std::map<std::uint32_t, std::pair<std::size_t, double>> whole;  // pieces and mass
  double all = 0, most = 0;
  for (std::uint32_t i = 0; i < n; ++i) {
    if (!held[i] || !cache.pieces()[i].dynamic) continue;
    const double mass = cache.prototypeOf(i).mass;
    auto& [count, sum] = whole[sets.find(i)];
    ++count;
    sum += mass;
    all += mass;
  }
  for (const auto& [root, of] : whole) {
    of.first > 1 ? ++d.clusters : ++d.loose;
    most = greatest(most, of.second);
  }
  d.largest_share = all > 0 ? most / all : 0;
}

void measureRings(const std::vector<CachedBond>& bonds, const std::vector<char>& broken, const Vec3& centre,
                  Damage& d) {
  std::vector<double> far, gone;
  for (std::size_t k = 0; k < bonds.size(); ++k) {
    far.push_back((bonds[k].place - centre).norm());
    if (broken[k]) gone.push_back(far.back());
  }
  if (far.empty()) return;
  const double most = *std::max_element(far.begin(), far.end());
  for (std::size_t r = 0; r < kRings; ++r)
    d.rings.push_back({most * static_cast<double>(r + 1) / kRings, 0, 0});
  for (std::size_t k = 0; k < bonds.size(); ++k) {
    const auto r = std::min(kRings - 1, static_cast<std::size_t>(most > 0 ? kRings * far[k] / most : 0));
    ++d.rings[r].bonds;
    d.rings[r].broken += broken[k] != 0;
  }
  if (gone.empty()) return;
  std::sort(gone.begin(), gone.end());
  d.radius90 = gone[std::min(gone.size() - 1, gone.size() * 9 / 10)];
}

}  // namespace

Damage damageOf(CacheReader& cache, const std::optional<FirstHit>& hit) {
  Damage d;
  const std::vector<CachedBond> bonds = cache.bonds();
  d.bonds = bonds.size();
  if (bonds.empty()) return d;
  std::vector<char> broken(bonds.size(), 0);
  const std::vector<CachedBondBreak> breaks = cache.bondBreaks();
  for (const CachedBond& b : bonds) d.area += b.area;
  for (const CachedBondBreak& b : breaks) {
    if (broken[b.bond]) continue;
    broken[b.bond] = 1;
    ++d.broken;
    d.broken_area += bonds[b.bond].area;
    for (std::size_t w = 0; w < d.why.size(); ++w)
      d.why[w] += b.why == bond::whyName(static_cast<bond::Why>(w));
    if (d.over_time.empty() || d.over_time.back().first != b.frame) d.over_time.push_back({b.frame, 0});
    d.over_time.back().second = d.broken;
  }
  if (!breaks.empty()) d.first = breaks.front();
  for (const CachedBondWorst& w : cache.bondWorsts()) {
    if (d.first && w.frame > d.first->frame) break;
    if (d.first_break_factor && w.share <= *d.first_break_factor) continue;
    d.first_break_factor = w.share;
    d.worst_frame = w.frame;
    d.worst_why = w.why;
    d.worst_a = cache.pieces()[bonds[w.bond].a].name;
    d.worst_b = cache.pieces()[bonds[w.bond].b].name;
  }
  for (const CachedYieldWorst& w : cache.yieldWorsts()) {
    if (broken[w.bond] ||
        (d.yielded && std::pair(w.strain, w.load) <= std::pair(d.yielded->strain, d.yielded->load)))
      continue;
    d.yielded = w;
    d.yielded_a = cache.pieces()[bonds[w.bond].a].name;
    d.yielded_b = cache.pieces()[bonds[w.bond].b].name;
  }
  countClusters(cache, bonds, broken, d);
  d.from_hit = hit && (!d.first || hit->frame <= d.first->frame);
  if (d.from_hit)
    measureRings(bonds, broken, hit->place, d);
  else if (d.first)
    measureRings(bonds, broken, bonds[d.first->bond].place, d);
  return d;
}

}  // namespace drubble::files
