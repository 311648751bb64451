// SPDX-License-Identifier: Apache-2.0
#include "core/world/clusters.h"

#include <algorithm>

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
  for (const std::uint32_t i : c.pieces) {
    const solve::Traits& own = s.prototypeOf(i).traits;
    const double m = own.mass();
    mass += m;
    c.at.push_back(startPose(s, PieceId(i)));
    c.centre += m * c.at.back().position;
    share += m * own.gravity_share;
    travel += m * own.travel_damping;
    turn += m * own.spin_damping;
    inner = greatest(inner, own.inner_radius);
    t.free_travel = t.free_travel.cwiseProduct(own.free_travel);
    t.free_turn = t.free_turn.cwiseProduct(own.free_turn);
    box.add(shape::boundsAt(s.prototypeOf(i).shape, c.at.back()));
  }
  c.centre /= mass;
  Mat3 inertia = Mat3::Zero();
  for (std::size_t n = 0; n < c.pieces.size(); ++n) {
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

void findNeighbours(const Scene& s, const std::vector<char>& own, const std::vector<std::uint32_t>& place,
                    Cluster& c) {
  c.first.assign(c.pieces.size() + 1, 0);
  const auto each = [&](auto visit) {
    for (const std::uint32_t k : c.bonds) {
      const std::uint32_t a = s.bonds[k].a.value, b = s.bonds[k].b.value;
      if (own[a] && own[b]) visit(place[a], place[b]);
    }
  };
  c.first_bond.assign(c.pieces.size() + 1, 0);
  const auto each_end = [&](auto visit) {
    for (const std::uint32_t k : c.bonds)
      for (const PieceId p : {s.bonds[k].a, s.bonds[k].b})
        if (own[p.index()]) visit(k, place[p.index()]);
  };
  each_end([&](std::uint32_t, std::uint32_t n) { ++c.first_bond[n + 1]; });
  for (std::size_t k = 0; k < c.pieces.size(); ++k) c.first_bond[k + 1] += c.first_bond[k];
  c.bonds_of.resize(c.first_bond.back());
  std::vector<std::uint32_t> next = c.first_bond;
  each_end([&](std::uint32_t k, std::uint32_t n) { c.bonds_of[next[n]++] = k; });
  each([&](std::uint32_t a, std::uint32_t b) { ++c.first[a + 1], ++c.first[b + 1]; });
  for (std::size_t k = 0; k < c.pieces.size(); ++k) c.first[k + 1] += c.first[k];
  c.near.resize(c.first.back());
  std::vector<std::uint32_t> at = c.first;
  each([&](std::uint32_t a, std::uint32_t b) {
    c.near[at[a]++] = b;
    c.near[at[b]++] = a;
  });
}

}  // namespace

std::vector<Cluster> clustersOf(const Scene& s, const std::vector<char>& broken,
                                const std::vector<char>& own) {
  const std::size_t n = s.pieces.size();
  Sets sets(n);
  std::vector<char> held(n, 0);
  for (std::size_t k = 0; k < s.bonds.size(); ++k) {
    if (broken[k] || s.yields(s.bonds[k])) continue;
    const std::uint32_t a = s.bonds[k].a.value, b = s.bonds[k].b.value;
    if (own[a] && own[b]) sets.join(a, b);
    held[a] = held[b] = 1;
  }
  std::vector<Cluster> out;
  std::vector<std::uint32_t> of(n, kNoCluster);  // of the first piece
  const auto clusterOf = [&](std::uint32_t i) -> Cluster& { return out[of[sets.find(i)]]; };
  for (std::uint32_t i = 0; i < n; ++i) {
    if (!held[i] || !own[i]) continue;
    const std::uint32_t first = sets.find(i);
    if (of[first] == kNoCluster) {
      of[first] = u32(out.size());
      out.emplace_back();
    }
    clusterOf(i).pieces.push_back(i);
  }
  for (std::uint32_t k = 0; k < s.bonds.size(); ++k) {
    if (broken[k] || s.yields(s.bonds[k])) continue;
    const std::uint32_t a = s.bonds[k].a.value, b = s.bonds[k].b.value;
    if (!own[a] && !own[b]) continue;
    Cluster& c = clusterOf(own[a] ? a : b);
    c.bonds.push_back(k);
    if (!own[a] || !own[b]) c.anchors.push_back(own[a] ? b : a);
  }
  std::vector<std::uint32_t> place(n, 0);
  for (const Cluster& c : out)
    for (std::uint32_t k = 0; k < c.pieces.size(); ++k) place[c.pieces[k]] = k;
  for (Cluster& c : out) {
    findNeighbours(s, own, place, c);
    std::sort(c.anchors.begin(), c.anchors.end());
    c.anchors.erase(std::unique(c.anchors.begin(), c.anchors.end()), c.anchors.end());
    measure(s, c);
  }
  return out;
}

}  // namespace drubble::world
