// SPDX-License-Identifier: Apache-2.0
// How much of its strength each bond of a cluster bears, which may go at once, and whether the rest still
// hangs together.
#pragma once
#include <span>
#include <vector>

#include "core/base/team.h"
#include "core/world/clusters.h"

namespace drubble::world {

// Of a cluster's bonds at a shot frame. Places are those among the cluster's own.
class Shares {
 public:
  // `times`: of its strength, that each of the scene's bonds has now.
  Shares(const Scene& s, const Cluster& c, const std::vector<double>& times, double frame, Team& team);

  // Its strength has come to nothing, by its table's keys or a rule.
  bool cued(std::size_t n) const { return limits_[n].cued; }
  double worst(std::span<const bond::Stress> stresses, Team& team) const;
  // Fills in each bond's share and by what it bears that. Returns the worst.
  double judge(std::span<const bond::Stress> stresses, Team& team, std::vector<double>& share,
               std::vector<bond::Why>& why) const;
  // The same of some, where those of the others stand already.
  double judgeSome(std::span<const bond::Stress> stresses, std::span<const std::uint32_t> some,
                   std::vector<double>& share, std::vector<bond::Why>& why) const;

 private:
  struct Limit {
    bond::Weakness weakness;
    bool cued = false;
  };
  std::vector<Limit> limits_;
};

// A piece parts on one side at a time, that of its worst bond: a chain that is drawn parts in one place,
// although its other links bear hardly less.
class OneSide {
 public:
  OneSide(const Scene& s, const Cluster& c, const std::vector<double>& share);
  // Of one that bears more than its strength.
  bool mayGo(std::size_t n) const;

 private:
  Vec3 outOf(std::uint32_t node, std::size_t n) const;
  const Scene& s_;
  const Cluster& c_;
  static constexpr std::uint32_t kNone = 0xffffffffu;
  std::vector<std::uint32_t> worst_;  // a piece, or an anchor: of its bonds that bear too much
};

// Whether a cluster that hung together still does now that these of its bonds are broken, too: as one, and
// on something where it was anchored. Cost: what lies about the bonds; all, where a part came off.
bool hangsTogether(const Cluster& c, const std::vector<char>& broken, std::span<const std::uint32_t> gone);

}  // namespace drubble::world
