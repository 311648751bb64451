// SPDX-License-Identifier: Apache-2.0
// Groups of yielding joints: many of them between few bodies, and all of them springs. So it is the bodies'
// speeds that are solved for, not the joints' forces: (M + JT D J) dv = JT D missing, with D what a row gives
// for a speed that it lacks (Baraff and Witkin, Large steps in cloth simulation, 1998). Rows that are at
// their strength give that and no more.
#include <algorithm>

#include "core/solve/joint_group.h"

namespace drubble::solve {

namespace {

constexpr int kMostYieldRounds = 12;
constexpr double kYieldSettled = 0.3;     // of what is enough
constexpr double kLocked = 1e-9;          // of the rest: what stands for an axis that cannot move
constexpr double kYieldWrongSign = 1e-9;  // m/s or rad/s

}  // namespace

// Neighbours close together: Cuthill and McKee (1969), over bodies.
void JointGroup::orderBodies() {
  std::vector<std::vector<std::uint32_t>> near(bodies_.size());
  for (const JointPlaces& at : places_) {
    if (at.a == at.b || !bodies_[at.a].moves() || !bodies_[at.b].moves()) continue;
    near[at.a].push_back(at.b);
    near[at.b].push_back(at.a);
  }
  for (std::vector<std::uint32_t>& some : near) {
    std::sort(some.begin(), some.end());
    some.erase(std::unique(some.begin(), some.end()), some.end());
  }
  std::vector<std::uint32_t> starts, queue;
  for (std::uint32_t b = 1; b < bodies_.size(); ++b)
    if (bodies_[b].moves()) starts.push_back(b);
  const auto fewer = [&](std::uint32_t x, std::uint32_t y) {
    return std::pair(near[x].size(), x) < std::pair(near[y].size(), y);
  };
  std::sort(starts.begin(), starts.end(), fewer);
  place_of_.assign(bodies_.size(), kNoPlace);
  const auto take = [&](std::uint32_t b) {
    place_of_[b] = u32(queue.size());
    queue.push_back(b);
  };
  for (const std::uint32_t start : starts) {
    if (place_of_[start] != kNoPlace) continue;
    take(start);
    for (std::size_t next = queue.size() - 1; next < queue.size(); ++next) {
      std::vector<std::uint32_t>& some = near[queue[next]];
      std::sort(some.begin(), some.end(), fewer);
      for (const std::uint32_t n : some)
        if (place_of_[n] == kNoPlace) take(n);
    }
  }
  // Where each body's rows begin: at the farthest back that a joint reaches from it.
  std::vector<std::size_t> first(6 * queue.size());
  for (std::size_t p = 0; p < queue.size(); ++p) {
    std::size_t back = p;
    for (const std::uint32_t n : near[queue[p]]) back = std::min<std::size_t>(back, place_of_[n]);
    for (std::size_t k = 0; k < 6; ++k) first[6 * p + k] = 6 * back;
  }
  matrix_.shape(first);
}

// What rows do to bodies, and what they are to reach. In the settling pass there is nothing to do.
void JointGroup::prepareYielding() {
  response_.resize(rows_.terms.size());
  for (std::size_t t = 0; t < response_.size(); ++t) {
    const JointTerm& x = rows_.terms[t];
    const JointBody& b = bodies_[x.body];
    response_[t] = {x.body, b.inverse_mass.cwiseProduct(x.linear), b.inverse_inertia * x.angular};
  }
  soft_.assign(rows_.rows.size(), 0);
  ease_.assign(rows_.rows.size(), 0);
  setTargets();
  factored_ = false;
}

bool JointGroup::factorYielding() {
  if (place_of_.size() != bodies_.size()) orderBodies();
  factors_ = matrix_;
  using Six = Eigen::Matrix<double, 6, 1>;
  for (std::uint32_t b = 1; b < bodies_.size(); ++b) {
    if (place_of_[b] == kNoPlace) continue;
    const std::size_t p = 6 * place_of_[b];
    const JointBody& body = bodies_[b];
    const double most = body.inverse_mass.maxCoeff(), turns = body.inverse_inertia.trace();
    for (std::size_t k = 0; k < 3; ++k)
      factors_.at(p + k, p + k) =
          1 / greatest(body.inverse_mass[static_cast<Eigen::Index>(k)], kLocked * greatest(most, turns));
    const Mat3 inertia =
        Mat3(body.inverse_inertia + kLocked * greatest(most, turns) * Mat3::Identity()).inverse();
    for (std::size_t k = 0; k < 3; ++k)
      for (std::size_t i = 0; i <= k; ++i)
        factors_.at(p + 3 + k, p + 3 + i) =
            inertia(static_cast<Eigen::Index>(k), static_cast<Eigen::Index>(i));
  }
  for (std::size_t i = 0; i < rows_.rows.size(); ++i) {
    if (side_[i] != Side::Free) continue;
    const JointRow& r = rows_.rows[i];
    for (std::uint32_t t = r.first; t < r.first + r.count; ++t) {
      const std::uint32_t place = place_of_[rows_.terms[t].body];
      if (place == kNoPlace) continue;
      Six x;
      x << rows_.terms[t].linear, rows_.terms[t].angular;
      x /= soft_[i];
      for (std::uint32_t u = r.first; u < r.first + r.count; ++u) {
        const std::uint32_t other = place_of_[rows_.terms[u].body];
        if (other == kNoPlace || other > place) continue;
        Six y;
        y << rows_.terms[u].linear, rows_.terms[u].angular;
        for (Eigen::Index k = 0; k < 6; ++k)
          for (Eigen::Index n = 0; n < (other == place ? k + 1 : 6); ++n)
            factors_.at(6 * place + static_cast<std::size_t>(k), 6 * other + static_cast<std::size_t>(n)) +=
                x[k] * y[n];
      }
    }
  }
  return factors_.factor();
}

// Adds what the free rows lack. `unknown_`: that, a row.
void JointGroup::giveYielding() {
  std::vector<double> speeds(factors_.size(), 0);
  for (std::size_t i = 0; i < rows_.rows.size(); ++i) {
    if (side_[i] != Side::Free) continue;
    const JointRow& r = rows_.rows[i];
    for (std::uint32_t t = r.first; t < r.first + r.count; ++t) {
      const JointTerm& x = rows_.terms[t];
      if (place_of_[x.body] == kNoPlace) continue;
      const std::size_t p = 6 * place_of_[x.body];
      for (std::size_t k = 0; k < 3; ++k) {
        const auto c = static_cast<Eigen::Index>(k);
        speeds[p + k] += unknown_[i] / soft_[i] * x.linear[c];
        speeds[p + 3 + k] += unknown_[i] / soft_[i] * x.angular[c];
      }
    }
  }
  factors_.solve(speeds);
  for (std::size_t i = 0; i < rows_.rows.size(); ++i) {
    if (side_[i] != Side::Free) continue;
    const JointRow& r = rows_.rows[i];
    double change = 0;
    for (std::uint32_t t = r.first; t < r.first + r.count; ++t) {
      const JointTerm& x = rows_.terms[t];
      if (place_of_[x.body] == kNoPlace) continue;
      const std::size_t p = 6 * place_of_[x.body];
      for (std::size_t k = 0; k < 3; ++k) {
        const auto c = static_cast<Eigen::Index>(k);
        change += x.linear[c] * speeds[p + k] + x.angular[c] * speeds[p + 3 + k];
      }
    }
    give(i, (unknown_[i] - change) / soft_[i]);
  }
}

double JointGroup::solveYielding(double enough, BodyRows& rows) {
  if (pass_ != Pass::PushOut) return 0;
  loadSpeeds(rows);
  const double worst = findMissing();
  if (worst < kYieldSettled * enough) return worst;
  for (int round = 0; round < kMostYieldRounds; ++round) {
    if (!factored_ && !factorYielding()) break;
    factored_ = true;
    if (round > 0) findMissing();
    giveYielding();
    bool changed = false;
    for (std::size_t i = 0; i < rows_.rows.size(); ++i) {
      const JointRow& r = rows_.rows[i];
      if (side_[i] == Side::Free) {
        const double now = total(i);
        if (now >= least(r) && now <= most(r)) continue;
        side_[i] = now < least(r) ? Side::Low : Side::High;
        putAtBound(i);
        changed = true;
      } else if (side_[i] != Side::Out && round < kMostYieldRounds / 2) {
        const double missing = target_[i] - speedOf(r) - soft_[i] * total(i);
        if (side_[i] == Side::Low ? missing <= kYieldWrongSign : missing >= -kYieldWrongSign) continue;
        side_[i] = Side::Free;
        changed = true;
      }
    }
    if (!changed) break;
    factored_ = false;
  }
  storeSpeeds(rows);
  return worst;
}

}  // namespace drubble::solve
