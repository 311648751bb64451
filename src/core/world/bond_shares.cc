// SPDX-License-Identifier: Apache-2.0
#include "core/world/bond_shares.h"

#include <algorithm>

namespace drubble::world {

namespace {

constexpr std::size_t kBondsWorthAThread = 2000;

// The greatest of what job(begin, end) returns for the team's parts of [0, n).
template <class Job>
double worstOfParts(std::size_t n, Team& team, Job job) {
  std::vector<double> worst(static_cast<std::size_t>(team.size()), 0);
  team.share(n, kBondsWorthAThread,
             [&](std::size_t part, std::size_t begin, std::size_t end) { worst[part] = job(begin, end); });
  return *std::max_element(worst.begin(), worst.end());
}

}  // namespace

Shares::Shares(const Scene& s, const Cluster& c, const std::vector<double>& times, double frame, Team& team)
    : limits_(c.bonds.size()) {
  std::vector<double> strength;
  for (const BondTable& t : s.bond_tables)
    strength.push_back(t.strengthAt(frame) * (t.even ? 1 : bond::kUnevenPeak));
  team.share(limits_.size(), kBondsWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t n = begin; n < end; ++n) {
      const bond::Bond& b = s.bonds[c.bonds[n]];
      const double now = strength[b.table] * times[c.bonds[n]];
      limits_[n] = {bond::weaknessOf(b.strength, now), !(now > 0)};
    }
  });
}

double Shares::worst(std::span<const bond::Stress> stresses, Team& team) const {
  return worstOfParts(stresses.size(), team, [&](std::size_t begin, std::size_t end) {
    double most = 0;
    for (std::size_t n = begin; n < end; ++n)
      most = greatest(most, bond::shareOf(stresses[n], limits_[n].weakness));
    return most;
  });
}

double Shares::judge(std::span<const bond::Stress> stresses, Team& team, std::vector<double>& share,
                     std::vector<bond::Why>& why) const {
  return worstOfParts(stresses.size(), team, [&](std::size_t begin, std::size_t end) {
    double most = 0;
    for (std::size_t n = begin; n < end; ++n)
      most = greatest(most, share[n] = bond::shareOf(stresses[n], limits_[n].weakness, &why[n]));
    return most;
  });
}

double Shares::judgeSome(std::span<const bond::Stress> stresses, std::span<const std::uint32_t> some,
                         std::vector<double>& share, std::vector<bond::Why>& why) const {
  for (const std::uint32_t n : some) share[n] = bond::shareOf(stresses[n], limits_[n].weakness, &why[n]);
  double most = 0;
  for (const double x : share) most = greatest(most, x);
  return most;
}

OneSide::OneSide(const Scene& s, const Cluster& c, const std::vector<double>& share)
    : s_(s), c_(c), worst_(c.pieces.size() + c.anchors.size(), kNone) {
  for (std::uint32_t n = 0; n < share.size(); ++n)
    for (const std::uint32_t node : c.ends[n]) {
      if (!(share[n] > 1)) continue;
      std::uint32_t& worst = worst_[node];
      if (worst == kNone || share[n] > share[worst]) worst = n;
    }
}

bool OneSide::mayGo(std::size_t n) const {
  for (const std::uint32_t node : c_.ends[n])
    if (!(outOf(node, n).dot(outOf(node, worst_[node])) > 0)) return false;
  return true;
}

Vec3 OneSide::outOf(std::uint32_t node, std::size_t n) const {
  const Vec3& normal = s_.bonds[c_.bonds[n]].face.normal;
  return c_.ends[n][0] == node ? normal : Vec3(-normal);
}

namespace {

// Looks for a way from piece to piece over the bonds that hold, from both ends by turns.
class WaySearch {
 public:
  WaySearch(const Cluster& c, const std::vector<char>& broken)
      : c_(c), broken_(broken), seen_(c.pieces.size(), 0) {}

  bool joined(std::uint32_t a, std::uint32_t b) {
    if (a == b) return true;
    mark_ += 2;
    ring_[0].assign(1, a);
    ring_[1].assign(1, b);
    seen_[a] = mark_;
    seen_[b] = mark_ + 1;
    for (std::size_t at = 0;; ++at)
      for (std::size_t side : {0, 1}) {
        if (at == ring_[side].size()) return false;  // all that hangs on it, and the other is not there
        if (meets(side, ring_[side][at])) return true;
      }
  }

 private:
  bool meets(std::size_t side, std::uint32_t piece) {
    const std::uint32_t mine = mark_ + u32(side), other = mark_ + 1 - u32(side);
    for (std::uint32_t k = c_.first_bond[piece]; k < c_.first_bond[piece + 1]; ++k) {
      const std::uint32_t n = c_.bonds_of[k], next = c_.otherEnd(n, piece);
      if (broken_[c_.bonds[n]] != 0 || next >= c_.pieces.size() || seen_[next] == mine) continue;
      if (seen_[next] == other) return true;
      seen_[next] = mine;
      ring_[side].push_back(next);
    }
    return false;
  }

  const Cluster& c_;
  const std::vector<char>& broken_;
  std::vector<std::uint32_t> seen_, ring_[2];
  std::uint32_t mark_ = 0;
};

}  // namespace

bool hangsTogether(const Cluster& c, const std::vector<char>& broken, std::span<const std::uint32_t> gone) {
  const std::size_t own = c.pieces.size();
  WaySearch search(c, broken);
  bool unhooked = false;
  for (const std::uint32_t n : gone) {
    const auto [a, b] = c.ends[n];
    if (a >= own || b >= own)
      unhooked = true;
    else if (!search.joined(a, b))
      return false;
  }
  if (!unhooked) return true;
  for (std::uint32_t n = 0; n < c.bonds.size(); ++n)
    if (broken[c.bonds[n]] == 0 && (c.ends[n][0] >= own || c.ends[n][1] >= own)) return true;
  return false;
}

}  // namespace drubble::world
