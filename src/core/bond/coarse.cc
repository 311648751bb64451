// SPDX-License-Identifier: Apache-2.0
#include "core/bond/coarse.h"

#include <cmath>

namespace drubble::bond {

namespace {

constexpr double kMostGroups = 64;  // about: the cost of their factors grows with the cube
constexpr double kFloor = 1e-9;     // of the diagonal: a flying cluster as a whole resists nothing

// Beams by piece: those of piece k are list[first[k]] to before list[first[k + 1]].
struct Adjacency {
  std::vector<std::uint32_t> first, list;

  Adjacency(std::size_t nodes, const Spans& spans) : first(nodes + 1, 0), list(2 * spans.size()) {
    for (const Span& s : spans)
      if (!s.cut) ++first[s.a + 1], ++first[s.b + 1];
    for (std::size_t k = 0; k < nodes; ++k) first[k + 1] += first[k];
    std::vector<std::uint32_t> at = first;
    for (const Span& s : spans) {
      if (s.cut) continue;
      list[at[s.a]++] = s.b;
      list[at[s.b]++] = s.a;
    }
  }
};

}  // namespace

std::vector<std::uint32_t> rigidGroups(const std::vector<Node>& nodes, const Spans& spans) {
  const Adjacency next(nodes.size(), spans);
  const double count = static_cast<double>(nodes.size());
  const auto most = static_cast<std::size_t>(std::ceil(greatest(std::sqrt(count), count / kMostGroups)));
  std::vector<std::uint32_t> group(nodes.size(), kNoGroup), ring;
  std::uint32_t groups = 0;
  for (std::uint32_t seed = 0; seed < nodes.size(); ++seed) {
    if (nodes[seed].fixed || group[seed] != kNoGroup) continue;
    ring.assign(1, seed);
    group[seed] = groups;
    for (std::size_t at = 0; at < ring.size(); ++at) {
      for (std::uint32_t k = next.first[ring[at]]; k < next.first[ring[at] + 1]; ++k) {
        const std::uint32_t other = next.list[k];
        if (ring.size() >= most || nodes[other].fixed || group[other] != kNoGroup) continue;
        group[other] = groups;
        ring.push_back(other);
      }
    }
    ++groups;
  }
  return group;
}

Coarse::Coarse(const std::vector<Node>& nodes, const Spans& spans)
    : group_(rigidGroups(nodes, spans)), arm_(nodes.size(), Vec3::Zero()) {
  std::vector<Vec3> middle;
  std::vector<double> count;
  for (std::size_t k = 0; k < nodes.size(); ++k) {
    if (group_[k] == kNoGroup) continue;
    if (group_[k] >= middle.size())
      middle.resize(group_[k] + 1, Vec3::Zero()), count.resize(group_[k] + 1, 0);
    middle[group_[k]] += nodes[k].centre;
    count[group_[k]] += 1;
  }
  for (std::size_t g = 0; g < middle.size(); ++g) middle[g] /= count[g];
  for (std::size_t k = 0; k < nodes.size(); ++k)
    if (group_[k] != kNoGroup) arm_[k] = nodes[k].centre - middle[group_[k]];
  size_ = 6 * static_cast<Eigen::Index>(middle.size());
  if (size_ == 0) return;
  Eigen::MatrixXd m = Eigen::MatrixXd::Zero(size_, size_);
  using Rows = Eigen::Matrix<double, 6, 6>;  // how far a face comes apart and turns, by a group's six
  for (const Span& s : spans) {
    const std::uint32_t ga = group_[s.a], gb = group_[s.b];
    if (ga == gb) continue;
    const auto rows = [&](std::uint32_t node, const Vec3& arm, double sign) {
      const Vec3 at = arm_[node] + arm;
      Rows x = Rows::Zero();
      x.topLeftCorner<3, 3>() = sign * Mat3::Identity();
      x.topRightCorner<3, 3>() << 0, sign * at.z(), -sign * at.y(), -sign * at.z(), 0, sign * at.x(),
          sign * at.y(), -sign * at.x(), 0;
      x.bottomRightCorner<3, 3>() = sign * Mat3::Identity();
      return x;
    };
    Rows stiff = Rows::Zero();
    stiff.topLeftCorner<3, 3>() = s.stretch * Mat3::Identity();
    stiff.bottomRightCorner<3, 3>() = s.bend;
    const Rows ra = rows(s.a, s.arm_a, -1), rb = rows(s.b, s.arm_b, 1);
    const auto put = [&](std::uint32_t g, const Rows& x, std::uint32_t h, const Rows& y) {
      if (g == kNoGroup || h == kNoGroup) return;
      m.block<6, 6>(6 * static_cast<Eigen::Index>(g), 6 * static_cast<Eigen::Index>(h)) +=
          x.transpose() * stiff * y;
    };
    put(ga, ra, ga, ra);
    put(gb, rb, gb, rb);
    put(ga, ra, gb, rb);
    put(gb, rb, ga, ra);
  }
  const double all = m.diagonal().mean();
  for (Eigen::Index k = 0; k < size_; ++k) m(k, k) += kFloor * (m(k, k) > 0 ? m(k, k) : all > 0 ? all : 1);
  factor_.compute(m);
}

void Coarse::add(const Sextets& r, Sextets& z) {
  if (size_ == 0 || factor_.info() != Eigen::Success) return;
  x_.setZero(size_);
  for (std::size_t k = 0; k < r.size(); ++k) {
    if (group_[k] == kNoGroup) continue;
    const Eigen::Index at = 6 * static_cast<Eigen::Index>(group_[k]);
    const Vec3 travel = vec3(r[k].x[0], r[k].x[1], r[k].x[2]), turn = vec3(r[k].x[3], r[k].x[4], r[k].x[5]);
    x_.segment<3>(at) += travel;
    x_.segment<3>(at + 3) += turn + arm_[k].cross(travel);
  }
  factor_.solveInPlace(x_);
  for (std::size_t k = 0; k < r.size(); ++k) {
    if (group_[k] == kNoGroup) continue;
    const Eigen::Index at = 6 * static_cast<Eigen::Index>(group_[k]);
    const Vec3 turn = x_.segment<3>(at + 3), travel = x_.segment<3>(at) + turn.cross(arm_[k]);
    for (int c = 0; c < 3; ++c) {
      z[k].x[c] += travel[c];
      z[k].x[3 + c] += turn[c];
    }
  }
}

}  // namespace drubble::bond
