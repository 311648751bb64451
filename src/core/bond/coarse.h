// SPDX-License-Identifier: Apache-2.0
// The coarse level of the stress solve: pieces in rigid groups that hang together, six unknowns a group.
#pragma once
#include <vector>

#include "core/bond/beams.h"

namespace drubble::bond {

// About the square root of the number of pieces, fewer of very many; each piece in one group; a group hangs
// together. Fixed pieces are in none.
std::vector<std::uint32_t> rigidGroups(const std::vector<Node>& nodes, const Spans& spans);
inline constexpr std::uint32_t kNoGroup = 0xffffffffu;

class Coarse {
 public:
  // Cost: the cube of six times the number of groups, a third of it.
  Coarse(const std::vector<Node>& nodes, const Spans& spans, const Loops& loops);
  // Of StressSolver::keepOnly; the groups stay.
  void keepOnly(std::span<const std::uint32_t> nodes);
  // What the groups as rigid bodies give under r.
  void solve(const Sextets& r);
  // z += that, of some pieces.
  void addTo(Sextets& z, std::size_t begin, std::size_t end) const;

 private:
  void keep(const Eigen::Ref<Eigen::MatrixXd>& factor);

  std::vector<std::uint32_t> group_;  // a piece
  std::vector<Vec3> arm_;             // a piece: its centre, from its group's
  const Loops& loops_;
  std::vector<float> lower_, over_;  // of its factor: see Loops::solve
  struct alignas(32) Four {
    double x[4] = {};
  };
  std::vector<Four> x_;
  std::size_t size_ = 0, stride_ = 0;
};

}  // namespace drubble::bond
