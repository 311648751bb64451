// SPDX-License-Identifier: Apache-2.0
// The coarse level of the stress solve: pieces in rigid groups that hang together, six unknowns a group.
#pragma once
#include <Eigen/Cholesky>
#include <vector>

#include "core/bond/stress.h"

namespace drubble::bond {

using Six = Eigen::Matrix<double, 6, 6>;

// A beam as the solve wants it.
struct Span {
  std::uint32_t a = 0, b = 0;
  Vec3 arm_a = Vec3::Zero(), arm_b = Vec3::Zero();  // from the pieces' centres to the face
  double stiffness = 0;                             // Pa/m
  double stretch = 0;                               // N/m, any way
  Mat3 bend = Mat3::Zero();                         // N m/rad
  bool cut = false;                                 // holds nothing any more
};
using Spans = std::vector<Span>;

// How far a piece gives, or what is left of what acts on it: three of place, three of turn. In doubles: a
// part that hangs by next to nothing swings far, and what its own beams bear is the difference of great
// numbers.
struct Sextet {
  double x[6] = {};
};
using Sextets = std::vector<Sextet>;

// About the square root of the number of pieces, fewer of very many; each piece in one group; a group hangs
// together. Fixed pieces are in none.
std::vector<std::uint32_t> rigidGroups(const std::vector<Node>& nodes, const Spans& spans);
inline constexpr std::uint32_t kNoGroup = 0xffffffffu;

class Coarse {
 public:
  // Cost: the cube of six times the number of groups, a third of it.
  Coarse(const std::vector<Node>& nodes, const Spans& spans);
  // z += what the groups as rigid bodies would give under r.
  void add(const Sextets& r, Sextets& z);

 private:
  std::vector<std::uint32_t> group_;  // a piece
  std::vector<Vec3> arm_;             // a piece: its centre, from its group's
  Eigen::LLT<Eigen::MatrixXd> factor_;
  Eigen::VectorXd x_;
  Eigen::Index size_ = 0;
};

}  // namespace drubble::bond
