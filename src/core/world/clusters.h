// SPDX-License-Identifier: Apache-2.0
// Pieces that bonds hold together: what moves as one.
//
// A cluster's body space is that in which its pieces start, with the origin at its centre of mass: where its
// pieces are to each other never changes. I1 clusters follow from which bonds hold, and are in the order of
// their first pieces. I2 a piece is in one cluster at most.
#pragma once
#include <array>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "core/bond/stress.h"
#include "core/solve/traits.h"
#include "core/world/scene.h"

namespace drubble::world {

inline constexpr std::uint32_t kNoCluster = 0xffffffffu;

struct Cluster {
  // Where one of its pieces starts, in the scene.
  struct Start {
    Pose pose;
    Box box;
  };
  std::vector<std::uint32_t> pieces;   // that would move by themselves; ascending
  std::vector<Pose> at;                // those of the pieces, body space
  std::vector<std::uint32_t> anchors;  // that do not, and hold it; ascending
  std::vector<std::uint32_t> bonds;    // that hold, of the scene's; ascending
  solve::Traits traits;                // as one body
  Vec3 centre = Vec3::Zero();          // of mass, where the pieces start
  Pose pose;                           // turn: from the start
  Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();
  std::shared_ptr<bond::StressSolver> solver;  // of its bonds; made when it is needed first
  // What each bond joins: places among `pieces`, and behind those among `anchors`.
  std::vector<std::array<std::uint32_t, 2>> ends;
  // Places among `bonds` of all of each piece, anchors' too: those of piece n are bonds_of[first_bond[n]] to
  // before bonds_of[first_bond[n + 1]].
  std::vector<std::uint32_t> first_bond, bonds_of;
  std::vector<Start> starts;  // of the pieces
  bool looked = false;        // hung up: what it bears at rest is known, and nothing has touched it since

  std::uint32_t otherEnd(std::size_t bond, std::uint32_t node) const {
    return ends[bond][0] == node ? ends[bond][1] : ends[bond][0];
  }
  // visit(k) for the pieces bonded to piece n.
  template <class Visit>
  void eachNeighbour(std::uint32_t n, Visit visit) const {
    for (std::uint32_t k = first_bond[n]; k < first_bond[n + 1]; ++k)
      if (const std::uint32_t other = otherEnd(bonds_of[k], n); other < pieces.size()) visit(other);
  }
  bool anchored() const { return !anchors.empty(); }
  Vec3 velocityAt(const Vec3& place) const { return velocity + spin.cross(place - pose.position); }
};

// The clusters that the bonds that hold make of the pieces: `own` tells which of them would move by
// themselves. Their motion is not filled in. A piece that no bond holds is in none; one that is held by an
// anchor alone is a cluster.
std::vector<Cluster> clustersOf(const Scene& s, const std::vector<char>& broken,
                                const std::vector<char>& own);

// The same, of what was one cluster: bonds of it have broken since, and nothing else has changed.
std::vector<Cluster> partsOf(const Scene& s, const Cluster& whole, const std::vector<char>& broken);

}  // namespace drubble::world
