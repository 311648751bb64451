// SPDX-License-Identifier: Apache-2.0
#include "core/measure/support.h"

#include "core/base/sets.h"
#include "core/solve/joint_pieces.h"

namespace drubble::measure {

namespace {

constexpr double kBelow = 0.05;  // how far up a contact's normal must look

}  // namespace

std::vector<PieceId> restOnNothing(const world::World& w) {
  const world::Scene& s = w.scene();
  const std::size_t n = s.pieces.size();
  std::vector<char> held_up(n, 0), heavy(n, 0);
  Sets together(n);
  std::vector<std::uint32_t> first_of(w.clusters().size(), u32(n));
  for (std::uint32_t i = 0; i < n; ++i) {
    const std::uint32_t c = w.clusterOf(i);
    if (c == world::kNoCluster) continue;
    if (first_of[c] == n) first_of[c] = i;
    together.join(first_of[c], i);
    if (w.clusters()[c].anchored()) held_up[i] = 1;
  }
  // Not by how hard it presses: what a sleeper bears is not balanced while its neighbours settle on.
  w.eachContact([&](const solve::Contact& c) {
    const double up = c.patch.normal().dot(s.up);
    const std::uint32_t a = together.find(c.a.value), b = together.find(c.b.value);
    if (a == b || !(c.totalForce() > 0)) return;
    if (up > kBelow) held_up[b] = 1;
    if (up < -kBelow) held_up[a] = 1;
  });
  for (std::size_t k = 0; k < w.joints().size(); ++k) {
    if (w.jointStates()[k].broken) continue;
    solve::eachPiece(w.joints()[k], [&](std::size_t i) { held_up[i] = 1; });
  }
  for (const bond::Bond& b : s.bonds) {
    const auto k = static_cast<std::size_t>(&b - s.bonds.data());
    if (s.yields(b) && !w.bondBroken(k)) held_up[b.a.index()] = held_up[b.b.index()] = 1;
  }
  for (std::uint32_t i = 0; i < n; ++i) {
    if (s.prototypeOf(i).traits.gravity_share != 0 && !s.gravity.isZero(0)) heavy[together.find(i)] = 1;
    if (held_up[i]) held_up[together.find(i)] = 1;
  }
  std::vector<PieceId> out;
  for (std::uint32_t i = 0; i < n; ++i) {
    const world::Sleep state = w.sleepOf(i);
    const bool rests =
        state == world::Sleep::Asleep || state == world::Sleep::Held || state == world::Sleep::Frozen;
    const std::uint32_t k = together.find(i);
    if (!rests || held_up[k] || s.pieces[i].role != world::Role::Dynamic) continue;
    if (heavy[k]) out.push_back(PieceId(i));
  }
  return out;
}

}  // namespace drubble::measure
