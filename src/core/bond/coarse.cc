// SPDX-License-Identifier: Apache-2.0
#include "core/bond/coarse.h"

#include <Eigen/Cholesky>
#include <algorithm>
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

Coarse::Coarse(const std::vector<Node>& nodes, const Spans& spans, const Loops& loops)
    : group_(rigidGroups(nodes, spans)), arm_(nodes.size(), Vec3::Zero()), loops_(loops) {
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
  const Eigen::Index size = 6 * static_cast<Eigen::Index>(middle.size());
  if (size == 0) return;
  Eigen::MatrixXd m = Eigen::MatrixXd::Zero(size, size);
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
  if (!(all > 0)) return;  // one group, which flies
  for (Eigen::Index k = 0; k < size; ++k) m(k, k) += kFloor * (m(k, k) > 0 ? m(k, k) : all);
  const Eigen::LLT<Eigen::Ref<Eigen::MatrixXd>> factor(m);
  if (factor.info() == Eigen::Success) keep(m);
}

// Of the factor in its lower half.
void Coarse::keep(const Eigen::Ref<Eigen::MatrixXd>& m) {
  size_ = static_cast<std::size_t>(m.rows());
  stride_ = (size_ + 7) / 8 * 8;
  lower_.assign(size_ * stride_, 0);
  x_.resize(stride_ / 4);
  for (Eigen::Index j = 0; j < m.cols(); ++j) {
    over_.push_back(static_cast<float>(1 / m(j, j)));
    for (Eigen::Index i = j + 1; i < m.rows(); ++i)
      lower_[static_cast<std::size_t>(i) * stride_ + static_cast<std::size_t>(j)] =
          static_cast<float>(m(i, j));
  }
}

void Coarse::keepOnly(std::span<const std::uint32_t> nodes) {
  for (std::size_t n = 0; n < nodes.size(); ++n) {
    group_[n] = group_[nodes[n]];
    arm_[n] = arm_[nodes[n]];
  }
  group_.resize(nodes.size());
  arm_.resize(nodes.size());
}

void Coarse::solve(const Sextets& r) {
  if (size_ == 0) return;
  std::fill(x_.begin(), x_.end(), Four());
  double* x = x_[0].x;
  for (std::size_t k = 0; k < r.size(); ++k) {
    if (group_[k] == kNoGroup) continue;
    double* at = x + 6 * group_[k];
    const Vec3 travel = vec3(r[k].x[0], r[k].x[1], r[k].x[2]), turn = vec3(r[k].x[4], r[k].x[5], r[k].x[6]);
    const Vec3 swing = turn + arm_[k].cross(travel);
    for (int c = 0; c < 3; ++c) at[c] += travel[c], at[3 + c] += swing[c];
  }
  loops_.solve(lower_.data(), over_.data(), size_, stride_, x);
}

void Coarse::addTo(Sextets& z, std::size_t begin, std::size_t end) const {
  if (size_ == 0) return;
  for (std::size_t k = begin; k < end; ++k) {
    if (group_[k] == kNoGroup) continue;
    const double* at = x_[0].x + 6 * group_[k];
    const Vec3 turn = vec3(at[3], at[4], at[5]), travel = vec3(at[0], at[1], at[2]) + turn.cross(arm_[k]);
    for (int c = 0; c < 3; ++c) {
      z[k].x[c] += travel[c];
      z[k].x[4 + c] += turn[c];
    }
  }
}

}  // namespace drubble::bond
