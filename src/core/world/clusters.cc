// SPDX-License-Identifier: Apache-2.0
#include "core/world/clusters.h"

#include <algorithm>

#include "core/base/prefetch.h"
#include "core/base/sets.h"
#include "core/solve/spring.h"
#include "core/world/joining.h"

namespace drubble::world {

namespace {

// Mass, place and size of the whole, from those of its pieces.
void measure(const Scene& s, Cluster& c) {
  double mass = 0, share = 0, travel = 0, turn = 0, inner = 0;
  solve::Traits& t = c.traits;
  Box box;
  const auto prefetchFor = [&](std::size_t n) {  // prototypes are large and come in any order
    if (n + 16 < c.pieces.size()) prefetch(s.pieces[c.pieces[n + 16]]);
    if (n + 8 < c.pieces.size()) prefetch(s.prototypeOf(c.pieces[n + 8]).traits);
  };
  for (const std::uint32_t i : c.pieces) {
    prefetchFor(c.at.size());
    const solve::Traits& own = s.prototypeOf(i).traits;
    const double m = own.mass();
    mass += m;
    c.at.push_back(c.starts[c.at.size()].pose);
    c.centre += m * c.at.back().position;
    share += m * own.gravity_share;
    travel += m * own.travel_damping;
    turn += m * own.spin_damping;
    inner = greatest(inner, own.inner_radius);
    t.free_travel = t.free_travel.cwiseProduct(own.free_travel);
    t.free_turn = t.free_turn.cwiseProduct(own.free_turn);
    box.add(c.starts[c.at.size() - 1].box);
  }
  c.centre /= mass;
  Mat3 inertia = Mat3::Zero();
  for (std::size_t n = 0; n < c.pieces.size(); ++n) {
    prefetchFor(n);
    const solve::Traits& own = s.prototypeOf(c.pieces[n]).traits;
    const Mat3 axes = c.at[n].turn.normalized().toRotationMatrix();
    const Vec3 r = c.at[n].position -= c.centre;
    inertia += axes * own.inertia * axes.transpose() +
               own.mass() * (r.squaredNorm() * Mat3::Identity() - r * r.transpose());
    t.outer_radius = greatest(t.outer_radius, r.norm() + own.outer_radius);
  }
  setInertia(t, mass, inertia);
  t.dynamic = true;
  t.size = box.size().maxCoeff();
  t.inner_radius = inner;
  t.gravity_share = share / mass;
  t.travel_damping = travel / mass;
  t.spin_damping = turn / mass;
  const double gravity = s.gravity.norm();
  t.weight = mass * gravity;
  t.spring_rate = solve::springRate(least(t.size, solve::kSlender * 2 * inner), gravity);
}

void sortAnchors(Cluster& c) {
  std::sort(c.anchors.begin(), c.anchors.end());
  c.anchors.erase(std::unique(c.anchors.begin(), c.anchors.end()), c.anchors.end());
}

void listBondsOfPieces(Cluster& c) {
  const std::size_t own = c.pieces.size();
  const auto each = [&](auto visit) {
    for (std::uint32_t n = 0; n < c.ends.size(); ++n)
      for (const std::uint32_t node : c.ends[n])
        if (node < own) visit(n, node);
  };
  c.first_bond.assign(own + 1, 0);
  each([&](std::uint32_t, std::uint32_t node) { ++c.first_bond[node + 1]; });
  for (std::size_t k = 0; k < own; ++k) c.first_bond[k + 1] += c.first_bond[k];
  c.bonds_of.resize(c.first_bond.back());
  std::vector<std::uint32_t> next = c.first_bond;
  each([&](std::uint32_t n, std::uint32_t node) { c.bonds_of[next[node]++] = n; });
}

std::uint32_t anchorNode(const Cluster& c, std::uint32_t piece) {
  const auto at = std::lower_bound(c.anchors.begin(), c.anchors.end(), piece);
  return u32(c.pieces.size()) + u32(static_cast<std::size_t>(at - c.anchors.begin()));
}

// All pieces that any bond holds, as if they hung together.
Cluster allBonded(const Scene& s, const std::vector<char>& own) {
  Cluster all;
  std::vector<char> held(s.pieces.size(), 0);
  for (std::uint32_t k = 0; k < s.bonds.size(); ++k) {
    const std::uint32_t a = s.bonds[k].a.value, b = s.bonds[k].b.value;
    if (s.yields(s.bonds[k]) || (!own[a] && !own[b])) continue;
    all.bonds.push_back(k);
    held[a] = held[b] = 1;
  }
  std::vector<std::uint32_t> place(s.pieces.size(), 0);
  for (std::uint32_t i = 0; i < held.size(); ++i) {
    if (!held[i]) continue;
    std::vector<std::uint32_t>& list = own[i] ? all.pieces : all.anchors;
    place[i] = u32(list.size());
    list.push_back(i);
  }
  const auto nodeOf = [&](PieceId p) {
    return (own[p.index()] ? 0 : u32(all.pieces.size())) + place[p.index()];
  };
  for (const std::uint32_t k : all.bonds) all.ends.push_back({nodeOf(s.bonds[k].a), nodeOf(s.bonds[k].b)});
  for (const std::uint32_t i : all.pieces) {
    const Pose at = startPose(s, PieceId(i));
    all.starts.push_back({at, shape::boundsAt(s.prototypeOf(i).shape, at)});
  }
  return all;
}

}  // namespace

std::vector<Cluster> clustersOf(const Scene& s, const std::vector<char>& broken,
                                const std::vector<char>& own) {
  return partsOf(s, allBonded(s, own), broken);
}

std::vector<Cluster> partsOf(const Scene& s, const Cluster& whole, const std::vector<char>& broken) {
  const std::size_t own = whole.pieces.size();
  Sets sets(own);
  std::vector<char> held(own, 0);
  for (std::size_t n = 0; n < whole.bonds.size(); ++n) {
    if (broken[whole.bonds[n]]) continue;
    const auto [a, b] = whole.ends[n];
    if (a < own && b < own) sets.join(a, b);
    for (const std::uint32_t node : {a, b})
      if (node < own) held[node] = 1;
  }
  std::vector<Cluster> out;
  std::vector<std::uint32_t> of(own, kNoCluster), place(own, 0);
  for (std::uint32_t node = 0; node < own; ++node) {
    if (!held[node]) continue;
    std::uint32_t& part = of[sets.find(node)];
    if (part == kNoCluster) {
      part = u32(out.size());
      out.emplace_back();
    }
    of[node] = part;
    Cluster& c = out[part];
    place[node] = u32(c.pieces.size());
    c.pieces.push_back(whole.pieces[node]);
    c.starts.push_back(whole.starts[node]);
  }
  const auto eachBond = [&](auto visit) {
    for (std::size_t n = 0; n < whole.bonds.size(); ++n) {
      if (broken[whole.bonds[n]]) continue;
      const std::uint32_t one = whole.ends[n][0] < own ? whole.ends[n][0] : whole.ends[n][1];
      visit(n, out[of[one]]);
    }
  };
  eachBond([&](std::size_t n, Cluster& c) {
    c.bonds.push_back(whole.bonds[n]);
    for (const std::uint32_t node : whole.ends[n])
      if (node >= own) c.anchors.push_back(whole.anchors[node - own]);
  });
  for (Cluster& c : out) sortAnchors(c);
  eachBond([&](std::size_t n, Cluster& c) {
    const auto nodeOf = [&](std::uint32_t node) {
      return node < own ? place[node] : anchorNode(c, whole.anchors[node - own]);
    };
    c.ends.push_back({nodeOf(whole.ends[n][0]), nodeOf(whole.ends[n][1])});
  });
  for (Cluster& c : out) {
    listBondsOfPieces(c);
    measure(s, c);
  }
  return out;
}

}  // namespace drubble::world
