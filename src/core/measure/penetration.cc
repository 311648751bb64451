// SPDX-License-Identifier: Apache-2.0
#include "core/measure/penetration.h"

#include <algorithm>

#include "core/collide/pairs.h"

namespace drubble::measure {

namespace {

constexpr double kUnknown = -1;  // a depth that must be looked for
constexpr std::size_t kPairsWorthAThread = 256;

double inscribedDiameter(const std::vector<const solve::Traits*>& dynamic) {
  double d = std::numeric_limits<double>::infinity();
  for (const solve::Traits* t : dynamic) d = least(d, 2 * t->inner_radius);
  return d;
}

double shareOf(double depth, const solve::Traits& a, const solve::Traits& b) {
  std::vector<const solve::Traits*> dynamic;
  for (const solve::Traits* t : {&a, &b})
    if (t->dynamic) dynamic.push_back(t);
  return depth / inscribedDiameter(dynamic);
}

}  // namespace

double percentile99(std::vector<double>& values) {
  if (values.empty()) return 0;
  const std::size_t rank = (values.size() * 99 + 99) / 100 - 1;
  std::nth_element(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(rank), values.end());
  return values[rank];
}

Penetration PenetrationMeter::measure(const world::World& w, Team* team) {
  std::vector<Entry> now;
  std::size_t old = 0;
  w.eachContact([&](const solve::Contact& c) {
    if (!now.empty() && now.back().a == c.a && now.back().b == c.b) return;
    Entry e{c.a, c.b, kUnknown, w.resting(c.a.index()) && w.resting(c.b.index())};
    while (old < known_.size() && std::pair(known_[old].a, known_[old].b) < std::pair(e.a, e.b)) ++old;
    const bool same = old < known_.size() && known_[old].a == e.a && known_[old].b == e.b &&
                      known_[old].at_rest && e.at_rest;
    if (same) e.depth = known_[old].depth;
    now.push_back(e);
  });
  shareOrAlone(team, now.size(), kPairsWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      Entry& e = now[k];
      if (e.depth == kUnknown)
        e.depth = collide::overlapDepth(w.shapeOf(e.a.index()), w.motion().pose(e.a.index()),
                                        w.shapeOf(e.b.index()), w.motion().pose(e.b.index()));
    }
  });
  known_ = std::move(now);
  Penetration out;
  std::vector<double> depths, shares;
  for (const Entry& e : known_) {
    if (e.depth <= 0) continue;
    const double share = shareOf(e.depth, w.traits()[e.a.index()], w.traits()[e.b.index()]);
    depths.push_back(e.depth);
    shares.push_back(share);
    out.worst = greatest(out.worst, e.depth);
    if (share > out.worst_share) out.worst_share = share, out.a = e.a, out.b = e.b;
  }
  out.p99 = percentile99(depths);
  out.p99_share = percentile99(shares);
  return out;
}

std::vector<Depth> startOverlaps(const world::Scene& s) {
  std::vector<Depth> out;
  for (const world::StartOverlap& o : world::startOverlaps(s)) {
    std::array<solve::Traits, 2> t = {s.prototypeOf(o.a.index()).traits, s.prototypeOf(o.b.index()).traits};
    t[0].dynamic = s.pieces[o.a.index()].role == world::Role::Dynamic;
    t[1].dynamic = s.pieces[o.b.index()].role == world::Role::Dynamic;
    const double share = o.real > 0 ? shareOf(o.real, t[0], t[1]) : 0;
    if (share > 1e-6) out.push_back({o.a, o.b, o.real, share});
  }
  std::stable_sort(out.begin(), out.end(), [](const Depth& a, const Depth& b) { return a.share > b.share; });
  return out;
}

}  // namespace drubble::measure
