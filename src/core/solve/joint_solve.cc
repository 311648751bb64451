// SPDX-License-Identifier: Apache-2.0
// How a group of joints is solved: its rows' targets, their matrix, and which of them act.
#include <algorithm>
#include <cmath>

#include "core/solve/flight.h"
#include "core/solve/joint_group.h"

namespace drubble::solve {

namespace {

// Of what gives way, as a share of the critical. A load swings far more slowly than the light thing that
// holds it, and is damped by as much less.
constexpr double kDamping = 20;
constexpr double kMostSwing = 1000;    // rad an internal step
constexpr double kRedundant = 1e-9;    // added to the diagonal, as a share: what is held twice stays solvable
constexpr double kContactSoft = 1e-6;  // likewise: points that share a load share it evenly
constexpr double kWrongSign = 1e-10;   // m/s or rad/s
constexpr int kAllAtOnce = 8;          // rounds in which every wrong row changes sides; then one at a time
constexpr int kMostRounds = 60;
constexpr int kMostSlides = 2;    // rounds in which only what slides changed, where it is called again
constexpr double kSettled = 0.3;  // of what is enough: then it is left as it is
constexpr int kRelaxations = 30;
constexpr int kRefinements = 2;
constexpr double kRefined = 1e-8;  // of the size

}  // namespace

void JointGroup::setTargets() {
  target_.assign(rows_.rows.size(), 0);
  const bool push = pass_ == Pass::PushOut;
  for (std::size_t i = 0; i < rows_.rows.size(); ++i) {
    const JointRow& r = rows_.rows[i];
    const double ease = ease_[i],
                 speed = -r.error * (r.kind == RowKind::Equal || r.error < 0 ? ease_rate_ : 1 / dt_);
    switch (r.kind) {
      case RowKind::Equal:
        target_[i] = push ? clamped(speed, -ease, ease) : 0;
        break;
      case RowKind::Bounded:
        target_[i] = push ? drubble::least(speed, ease) : drubble::least(speed, 0);
        break;
      case RowKind::Drive:
        target_[i] = r.wanted;
        break;
      case RowKind::Spring: {
        const Joint& j = in_.joints[joints_[r.joint]];
        const double give = 0.5 * j.stiffness * dt_ + j.damping;
        side_[i] = push && give > 0 ? Side::Free : Side::Out;
        if (side_[i] == Side::Out) break;
        spring_error_[r.joint] = r.error;
        soft_[i] = 1 / (0.5 * dt_ * give);
        target_[i] = -j.stiffness * r.error / give;
        break;
      }
      case RowKind::Yield: {
        // Implicit in stretch and speed: what is stiff is held, and nothing rings.
        const Yielding& y = in_.joints[joints_[r.joint]].yields;
        const double stiffness = y.stiffness[r.slot], give = stiffness * (dt_ + y.damping);
        if (!push || !(give > 0))
          side_[i] = Side::Out;
        else if (side_[i] == Side::Out)
          side_[i] = Side::Free;
        if (side_[i] == Side::Out) break;
        soft_[i] = 1 / (dt_ * give);
        target_[i] = -stiffness * r.error / give;
        break;
      }
      case RowKind::Push:
      case RowKind::Rub:
        contactTarget(i);
        break;
    }
  }
}

void JointGroup::assemble() {
  const std::vector<JointRow>& rows = rows_.rows;
  std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>> of_body(bodies_.size());  // row, term
  std::vector<std::size_t> first(rows.size());
  for (std::uint32_t i = 0; i < rows.size(); ++i) {
    first[i] = i;
    for (std::uint32_t t = rows[i].first; t < rows[i].first + rows[i].count; ++t) {
      const std::uint32_t b = rows_.terms[t].body;
      if (!bodies_[b].moves()) continue;
      of_body[b].push_back({i, t});
      first[i] = std::min<std::size_t>(first[i], of_body[b].front().first);
    }
  }
  matrix_.shape(first);
  response_.resize(rows_.terms.size());
  for (std::size_t t = 0; t < response_.size(); ++t) {
    const JointTerm& x = rows_.terms[t];
    const JointBody& b = bodies_[x.body];
    response_[t] = {x.body, b.inverse_mass.cwiseProduct(x.linear), b.inverse_inertia * x.angular};
  }
  for (std::size_t b = 1; b < bodies_.size(); ++b) {
    const auto& some = of_body[b];
    for (std::size_t x = 0; x < some.size(); ++x) {
      const Vec3 &linear = response_[some[x].second].linear, &angular = response_[some[x].second].angular;
      for (std::size_t y = 0; y <= x; ++y) {
        const JointTerm& t = rows_.terms[some[y].second];
        matrix_.at(some[x].first, some[y].first) += linear.dot(t.linear) + angular.dot(t.angular);
      }
    }
  }
  soft_.assign(rows.size(), 0);
  ease_.resize(rows.size());
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const bool holds = rows[i].kind == RowKind::Equal || rows[i].kind == RowKind::Bounded;
    if (holds) soft_[i] = matrix_.at(i, i) * give_;
    if (i >= joint_rows_) soft_[i] = kContactSoft * matrix_.at(i, i);
    matrix_.at(i, i) *= 1 + kRedundant;
    // Ends that are apart by what the load makes them give way are not apart.
    ease_[i] = rows[i].angular ? kEaseRate : ease_speed_;
    if (holds) ease_[i] += soft_[i] * absolute(total(i));
  }
  factored_ = false;
}

// Of the rows that are free; the others are as if alone.
bool JointGroup::factor() {
  factors_ = matrix_;
  for (std::size_t i = 0; i < factors_.size(); ++i) {
    for (std::size_t j = factors_.first(i); j < i; ++j)
      if (side_[i] != Side::Free || side_[j] != Side::Free) factors_.at(i, j) = 0;
    if (side_[i] != Side::Free || !(factors_.at(i, i) > 0)) factors_.at(i, i) = 1;
  }
  return factors_.factor();
}

void JointGroup::prepare(Pass pass, double dt, const Bodies& bodies, const BodyRows& rows) {
  const bool first = dt_ == 0;
  pass_ = pass;
  dt_ = dt;
  for (std::size_t k = 0; k < joints_.size() && first; ++k)
    for (std::size_t slot = 0; slot < kMostJointRows; ++slot)
      totals_[k][slot] = in_.states[joints_[k]].carried[slot] * dt;
  const double swing = drubble::least(rate_, kMostSwing / dt), damped = 2 * kDamping + swing * dt;
  ease_rate_ = swing / damped;
  give_ = 1 / (swing * dt * damped);
  begun_ = totals_;
  if (pass == Pass::PushOut)
    for (Slots& b : begun_) b.fill(0);
  for (Patch& p : patches_) p.begun = pass == Pass::PushOut ? decltype(p.begun){} : p.total;
  findGaps(rows);
  takeBodies(bodies);
  buildRows();
  if (yields_) return prepareYielding();
  assemble();
  setTargets();
  for (std::size_t i = 0; i < soft_.size(); ++i) matrix_.at(i, i) += soft_[i];
}

void JointGroup::loadSpeeds(const BodyRows& rows) {
  before_.resize(bodies_.size());
  for (std::size_t n = 1; n < bodies_.size(); ++n) {
    JointBody& b = bodies_[n];
    if (b.body == 0) continue;
    const BodyRow& r = rows[b.body];
    for (int k = 0; k < 3; ++k) {
      b.velocity[k] = static_cast<double>(r.velocity[k]);
      b.spin[k] = static_cast<double>(r.spin[k]);
    }
    before_[n] = {b.velocity, b.spin};
  }
}

double JointGroup::speedOf(const JointRow& r) const {
  double sum = 0;
  for (std::uint32_t t = r.first; t < r.first + r.count; ++t) {
    const JointTerm& x = rows_.terms[t];
    sum += x.linear.dot(bodies_[x.body].velocity) + x.angular.dot(bodies_[x.body].spin);
  }
  return sum;
}

double JointGroup::least(const JointRow& r) const {
  if (r.kind == RowKind::Bounded || r.kind == RowKind::Push) return 0;
  if (r.kind == RowKind::Yield) return r.low * dt_;
  return r.kind == RowKind::Drive ? -r.strength * dt_ : -std::numeric_limits<double>::infinity();
}

double JointGroup::most(const JointRow& r) const {
  if (r.kind == RowKind::Yield) return r.high * dt_;
  return r.kind == RowKind::Drive ? r.strength * dt_ : std::numeric_limits<double>::infinity();
}

// Adds the impulses, one a row, to the totals and to the bodies' speeds here.
void JointGroup::give(std::size_t row, double impulse) {
  const JointRow& r = rows_.rows[row];
  total(row) += impulse;
  for (std::uint32_t t = r.first; t < r.first + r.count; ++t) {
    const JointTerm& x = rows_.terms[t];
    JointBody& b = bodies_[x.body];
    b.velocity += impulse * response_[t].linear;
    b.spin += impulse * response_[t].angular;
  }
}

// Rows that went past their bounds stay there; rows at a bound that should leave it become free. False: none.
bool JointGroup::changeSides(bool one_only) {
  bool changed = false;
  for (std::size_t i = 0; i < rows_.rows.size() && !(changed && one_only); ++i) {
    const JointRow& r = rows_.rows[i];
    if (r.kind != RowKind::Bounded && r.kind != RowKind::Drive && r.kind != RowKind::Push &&
        r.kind != RowKind::Yield)
      continue;
    if (side_[i] == Side::Out) continue;
    if (side_[i] == Side::Free) {
      const double now = total(i);
      if (now >= least(r) && now <= most(r)) continue;
      side_[i] = now < least(r) ? Side::Low : Side::High;
      putAtBound(i);
      changed = true;
      continue;
    }
    const double missing = target_[i] - speedOf(r);
    if (side_[i] == Side::Low ? missing > kWrongSign : missing < -kWrongSign) {
      side_[i] = Side::Free;
      changed = true;
    }
  }
  return changed;
}

void JointGroup::putAtBound(std::size_t row) {
  const JointRow& r = rows_.rows[row];
  const double bound = side_[row] == Side::Low ? least(r) : most(r);
  if (total(row) == bound) return;
  give(row, bound - total(row));
  total(row) = bound;
}

// What each free row lacks, and how wrong the worst row is: m/s.
double JointGroup::findMissing() {
  double worst = 0;
  unknown_.resize(rows_.rows.size());
  for (std::size_t i = 0; i < unknown_.size(); ++i) {
    unknown_[i] = 0;
    if (side_[i] == Side::Slides || side_[i] == Side::Out) continue;
    const JointRow& r = rows_.rows[i];
    const double missing = target_[i] - speedOf(r) - soft_[i] * (total(i) - begun(i));
    if (side_[i] == Side::Free) unknown_[i] = missing;
    const double wrong = side_[i] == Side::Free  ? absolute(missing)
                         : side_[i] == Side::Low ? greatest(missing, 0)
                                                 : greatest(-missing, 0);
    worst = greatest(worst, wrong * (r.angular ? ease_speed_ / kEaseRate : 1));
  }
  return worst;
}

double JointGroup::solve(double enough, BodyRows& rows) {
  if (yields_) return solveYielding(enough, rows);
  loadSpeeds(rows);
  for (std::size_t i = 0; i < side_.size(); ++i)
    if (side_[i] == Side::Low || side_[i] == Side::High) putAtBound(i);
  const double worst = findMissing();
  if (worst >= kSettled * enough) findSides(enough == 0 ? kMostRounds : kMostSlides);
  putImpulses();
  storeSpeeds(rows);
  return worst;
}

// Solves for the free rows and lets others change places with them until all agree. `most_slides`: rounds in
// which nothing else changes than what friction that slides comes to. Begins with what findMissing found.
void JointGroup::findSides(int most_slides) {
  for (int round = 0, slid = 0; slid <= most_slides; ++round) {
    if (round == kMostRounds || (!factored_ && !factor())) return relax();
    factored_ = true;
    if (round > 0) findMissing();
    factors_.solve(unknown_);
    for (std::size_t i = 0; i < unknown_.size(); ++i)
      if (side_[i] == Side::Free) give(i, unknown_[i]);
    const bool sides = changeSides(round >= kAllAtOnce);
    const Change rub = changeFriction();
    if (sides || rub == Change::Sides)
      factored_ = false;
    else if (rub == Change::None)
      return;
    else
      ++slid;
  }
}

// Where no set of free rows was found: row by row, each within its bounds. Half-way between two sets, bodies
// would be left with what neither gives.
void JointGroup::relax() {
  factored_ = false;
  for (int n = 0; n < kRelaxations; ++n) {
    for (std::size_t i = 0; i < side_.size(); ++i) {
      const JointRow& r = rows_.rows[i];
      if (side_[i] == Side::Out || !(matrix_.at(i, i) > 0)) continue;
      const double missing = target_[i] - speedOf(r) - soft_[i] * (total(i) - begun(i));
      const double had = total(i), now = clamped(had + missing / matrix_.at(i, i), least(r), most(r));
      give(i, now - had);
      total(i) = now;
      side_[i] = now > least(r) && now < most(r) ? Side::Free : now > least(r) ? Side::High : Side::Low;
    }
    changeFriction();
  }
}

void JointGroup::storeSpeeds(BodyRows& rows) {
  for (std::size_t k = 1; k < bodies_.size(); ++k) {
    const JointBody& b = bodies_[k];
    if (!b.moves()) continue;  // what is driven may be in other islands' hands, too
    const auto add = [](float& to, double x, float& given) {
      const float had = to;
      to = static_cast<float>(static_cast<double>(to) + x);
      given += to - had;
    };
    BodyRow& row = rows[b.body];
    for (int c = 0; c < 3; ++c) {
      add(row.velocity[c], b.velocity[c] - before_[k].velocity[c], given_[k].velocity[c]);
      add(row.spin[c], b.spin[c] - before_[k].spin[c], given_[k].spin[c]);
    }
  }
}

void JointGroup::warmStart(BodyRows& rows) {
  loadSpeeds(rows);
  const std::vector<Slots> carried = totals_;
  for (Slots& s : totals_) s.fill(0);
  for (std::size_t i = 0; i < joint_rows_; ++i) {
    const JointRow& r = rows_.rows[i];
    give(i, carried[r.joint][r.slot]);
  }
  for (Patch& p : patches_) p.begun.swap(p.total), p.total.fill(0);
  for (std::size_t i = joint_rows_; i < rows_.rows.size(); ++i) {
    const JointRow& r = rows_.rows[i];
    give(i, patches_[r.joint].begun[r.slot]);
  }
  for (Patch& p : patches_) p.begun.fill(0);
  storeSpeeds(rows);
}

void JointGroup::refine(const Bodies& bodies, std::span<const Speeds> loaded, BodyRows& rows) {
  if (yields_) return;
  const std::vector<double> straight = target_;
  for (int n = 0; n < kRefinements; ++n) {
    const std::vector<double> last = target_;
    std::vector<JointBody> ahead = bodies_;
    for (JointBody& b : ahead) {
      if (b.body == 0) continue;
      const ActiveBody& now = bodies[b.body];
      Vec3 velocity = now.velocity, spin = now.spin;
      for (int c = 0; c < 3; ++c) {
        velocity[c] += static_cast<double>(rows[b.body].velocity[c] - loaded[b.body].velocity[c]);
        spin[c] += static_cast<double>(rows[b.body].spin[c] - loaded[b.body].spin[c]);
      }
      b.position += velocity * dt_;
      if (now.tumbles && !now.fixed())
        spinFreely(traits_[now.piece], dt_, b.turn, spin);
      else
        b.turn = (turnBy(spin * dt_) * b.turn).normalized();
    }
    JointRows there;
    for (std::uint32_t k = 0; k < joints_.size(); ++k)
      addJointRows(in_.joints[joints_[k]], k, places_[k], ahead, turned_[k], there);
    loadSpeeds(rows);
    double worst = 0;
    for (std::size_t i = 0; i < rows_.rows.size(); ++i) {
      const JointRow& r = rows_.rows[i];
      if (r.kind != RowKind::Equal && r.kind != RowKind::Bounded) continue;
      const double ease = ease_[i], now = speedOf(r);
      const double far = r.kind == RowKind::Equal ? absolute(r.error) : -r.error;
      const bool eased = far * ease_rate_ > ease;
      // What turning and going round add to where the speeds point.
      const double bent = there.rows[i].error - (r.error + dt_ * now);
      target_[i] = eased ? straight[i] : straight[i] - bent / dt_;
      if (!eased)
        worst =
            greatest(worst, absolute(target_[i] - last[i]) * dt_ * (r.angular ? ease_speed_ / kEaseRate : 1));
    }
    if (n > 0 && worst * kEaseRate <= kRefined * ease_speed_) break;
    solve(0, rows);
  }
  going_.clear();
  for (const JointRow& r : rows_.rows) going_.push_back(speedOf(r));
}

}  // namespace drubble::solve
