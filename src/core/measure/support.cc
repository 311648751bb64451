// SPDX-License-Identifier: Apache-2.0
#include "core/measure/support.h"

#include <algorithm>
#include <array>
#include <map>

#include "core/base/sets.h"
#include "core/solve/joint_pieces.h"

namespace drubble::measure {

namespace {

constexpr double kBelow = 0.05;    // how far up a contact's normal must look
constexpr double kAgainst = -0.5;  // cosine of two pushes: between such a thing is wedged
constexpr double kFlat = 0.6;      // of the next longer side: a thing as thin is flat
constexpr double kLong = 1.7;      // of the next shorter one: a thing as long is long
constexpr double kOnRim = 0.5,
                 kOnEnd = 0.9;  // cosine from up: of a flat thing's thin side, a long one's long
constexpr double kMost = 0.95;
constexpr std::size_t kFew = 8;  // among fewer none is too high

bool restsFreely(const world::World& w, std::size_t i) {
  const world::Sleep state = w.sleepOf(i);
  const bool rests =
      state == world::Sleep::Asleep || state == world::Sleep::Held || state == world::Sleep::Frozen;
  return rests && w.scene().pieces[i].role == world::Role::Dynamic;
}

// Marks what two rough contacts push against each other: friction may hold it. `together`: what is one.
void findWedged(const world::World& w, Sets& together, std::vector<char>& held_up) {
  std::map<std::uint32_t, std::vector<Vec3>> pushes;
  w.eachContact([&](const solve::Contact& c) {
    const std::uint32_t a = together.find(c.a.value), b = together.find(c.b.value);
    if (a == b || !(c.totalForce() > 0) || !(c.surfaces.friction_rest > 0)) return;
    if (!held_up[a]) pushes[a].push_back(-c.patch.normal());
    if (!held_up[b]) pushes[b].push_back(c.patch.normal());
  });
  for (const auto& [i, normals] : pushes)
    for (const Vec3& n : normals)
      for (const Vec3& m : normals)
        if (n.dot(m) < kAgainst) held_up[i] = 1;
}

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
  findWedged(w, together, held_up);
  std::vector<PieceId> out;
  for (std::uint32_t i = 0; i < n; ++i) {
    const std::uint32_t k = together.find(i);
    if (!restsFreely(w, i) || held_up[k]) continue;
    if (heavy[k]) out.push_back(PieceId(i));
  }
  return out;
}

std::vector<PieceId> restOnEdge(const world::World& w) {
  std::vector<PieceId> out;
  for (std::size_t i = 0; i < w.motion().size(); ++i) {
    if (!restsFreely(w, i)) continue;
    const Vec3 size = w.scene().prototypeOf(i).mesh.bounds().size();
    std::array<int, 3> axes{0, 1, 2};
    std::sort(axes.begin(), axes.end(), [&](int a, int b) { return size[a] < size[b]; });
    const auto upright = [&](int axis) {
      return absolute(w.scene().up.dot(w.motion().turn[i] * Vec3::Unit(axis)));
    };
    const bool flat = size[axes[0]]<kFlat * size[axes[1]], slender = size[axes[2]]> kLong * size[axes[1]];
    if ((flat && upright(axes[0]) < kOnRim) || (slender && upright(axes[2]) > kOnEnd))
      out.push_back(PieceId(i));
  }
  return out;
}

std::vector<PieceId> restTooHigh(const world::World& w) {
  struct Stands {
    std::size_t piece;
    double bottom, top;
  };
  std::vector<Stands> all;
  std::vector<double> tops;
  for (std::size_t i = 0; i < w.motion().size(); ++i) {
    if (!restsFreely(w, i)) continue;
    const Box box = shape::boundsAt(w.shapeOf(i), w.motion().pose(i));
    const double middle = w.scene().up.dot(box.centre()), half = 0.5 * w.scene().up.dot(box.size());
    all.push_back({i, middle - half, middle + half});
    tops.push_back(middle + half);
  }
  std::vector<PieceId> out;
  if (all.size() < kFew) return out;
  const auto at = tops.begin() + static_cast<std::ptrdiff_t>(kMost * static_cast<double>(tops.size() - 1));
  std::nth_element(tops.begin(), at, tops.end());
  for (const Stands& x : all)
    if (x.bottom > *at) out.push_back(PieceId(x.piece));
  return out;
}

}  // namespace drubble::measure
