// SPDX-License-Identifier: Apache-2.0
#include "core/solve/joint_group.h"

#include <algorithm>
#include <cmath>

#include "core/base/sets.h"
#include "core/solve/flight.h"
#include "core/solve/spring.h"

namespace drubble::solve {

namespace {

constexpr double kEaseRate = 4;       // 1/s: ends that are so many sizes apart come together in a second
constexpr double kStiffer = 16;       // than contacts: by their rate
constexpr double kMostSwing = 1000;   // rad an internal step
constexpr double kRedundant = 1e-9;   // added to the diagonal, as a share: what is held twice stays solvable
constexpr double kWrongSign = 1e-10;  // m/s or rad/s
constexpr int kAllAtOnce = 8;         // rounds in which every wrong row changes sides; then one at a time
constexpr int kMostRounds = 60;
constexpr int kRefinements = 2;
constexpr double kRefined = 1e-8;  // of the size

template <class Visit>
void eachPiece(const Joint& j, Visit visit) {
  visit(j.a.piece);
  visit(j.b.piece);
  for (const JointPoint& p : j.over) visit(p.piece);
}

}  // namespace

void addUncounted(const Vec3& velocity, const Vec3& spin, ActiveBody& body, BodyRow& row, Speeds& loaded) {
  body.velocity += velocity;
  body.spin += spin;
  for (int c = 0; c < 3; ++c) {
    const auto v = static_cast<float>(velocity[c]), w = static_cast<float>(spin[c]);
    row.velocity[c] += v;
    loaded.velocity[c] += v;
    row.spin[c] += w;
    loaded.spin[c] += w;
  }
}

JointGroup::JointGroup(const JointInput& in, const std::vector<std::uint32_t>& members,
                       const std::vector<std::uint32_t>& body_of, const std::vector<Traits>& traits,
                       const Motion& motion, const Bodies& bodies, double gravity)
    : in_(in), body_of_(body_of), traits_(traits), motion_(motion) {
  bodies_.emplace_back();
  pieces_.emplace_back();
  for (const std::uint32_t m : members) eachPiece(in_.joints[m], [&](PieceId p) { localBody(p); });
  double size = std::numeric_limits<double>::infinity();
  for (std::size_t k = 1; k < bodies_.size(); ++k) {
    JointBody& b = bodies_[k];
    const std::size_t piece = pieces_[k].index();
    b.body = body_of_[piece];
    b.position = motion_.position[piece];
    b.turn = motion_.turn[piece];
    if (b.body == 0 || bodies[b.body].fixed()) continue;
    moving_.push_back(b.body);
    size = drubble::least(size, traits_[piece].size);
  }
  std::sort(moving_.begin(), moving_.end());
  ease_speed_ = kEaseRate * size;
  rate_ = kStiffer * springRate(size, gravity);
  order(members);
  for (const std::uint32_t m : joints_) {
    const Joint& j = in_.joints[m];
    JointPlaces at{localBody(j.a.piece), localBody(j.b.piece), {}};
    for (const JointPoint& p : j.over) at.over.push_back(localBody(p.piece));
    places_.push_back(std::move(at));
    turned_.push_back(in_.states[m].turned);
    sprung_ = sprung_ || j.kind == JointKind::Spring;
  }
  totals_.assign(joints_.size(), Slots{});
  sums_ = totals_;
  spring_error_.assign(joints_.size(), 0);
  given_.resize(bodies_.size());
  buildRows();
  for (const JointRow& r : rows_.rows) {
    const bool idle = r.kind == RowKind::Bounded && !(in_.states[joints_[r.joint]].carried[r.slot] > 0);
    side_.push_back(idle ? Side::Low : Side::Free);
  }
}

std::uint32_t JointGroup::localBody(PieceId piece) {
  if (!piece.valid()) return 0;
  for (std::uint32_t k = 1; k < pieces_.size(); ++k)
    if (pieces_[k] == piece) return k;
  pieces_.push_back(piece);
  bodies_.emplace_back();
  return u32(pieces_.size() - 1);
}

// Neighbours close together, so that the matrix keeps a narrow band: Cuthill and McKee, Reducing the
// bandwidth of sparse symmetric matrices (1969).
void JointGroup::order(const std::vector<std::uint32_t>& members) {
  std::vector<std::vector<std::uint32_t>> of_body(bodies_.size()), near(members.size());
  const auto moves = [&](PieceId p) {
    return p.valid() && std::binary_search(moving_.begin(), moving_.end(), body_of_[p.index()]);
  };
  for (std::uint32_t k = 0; k < members.size(); ++k)
    eachPiece(in_.joints[members[k]], [&](PieceId p) {
      if (moves(p)) of_body[localBody(p)].push_back(k);
    });
  for (const std::vector<std::uint32_t>& some : of_body)
    for (const std::uint32_t x : some)
      for (const std::uint32_t y : some)
        if (x != y) near[x].push_back(y);
  const auto fewer = [&](std::uint32_t x, std::uint32_t y) {
    return std::pair(near[x].size(), x) < std::pair(near[y].size(), y);
  };
  std::vector<char> taken(members.size(), 0);
  std::vector<std::uint32_t> queue(members.size());
  for (std::uint32_t k = 0; k < queue.size(); ++k) queue[k] = k;
  std::vector<std::uint32_t> starts = queue;
  std::sort(starts.begin(), starts.end(), fewer);
  queue.clear();
  for (const std::uint32_t start : starts) {
    if (taken[start]) continue;
    taken[start] = 1;
    queue.push_back(start);
    for (std::size_t next = queue.size() - 1; next < queue.size(); ++next) {
      std::vector<std::uint32_t>& some = near[queue[next]];
      std::sort(some.begin(), some.end(), fewer);
      for (const std::uint32_t n : some) {
        if (taken[n]) continue;
        taken[n] = 1;
        queue.push_back(n);
      }
    }
  }
  for (const std::uint32_t k : queue) joints_.push_back(members[k]);
}

void JointGroup::takeBodies(const Bodies& bodies) {
  for (std::size_t k = 1; k < bodies_.size(); ++k) {
    JointBody& b = bodies_[k];
    if (b.body == 0) continue;
    const ActiveBody& from = bodies[b.body];
    b.position = from.position;
    b.turn = from.turn;
    if (from.fixed()) continue;
    b.inverse_mass = from.inverse_mass;
    b.inverse_inertia = inverseInertiaWorld(traits_[from.piece], from.turn);
  }
}

void JointGroup::buildRows() {
  rows_.clear();
  for (std::uint32_t k = 0; k < joints_.size(); ++k)
    turned_[k] = addJointRows(in_.joints[joints_[k]], k, places_[k], bodies_, turned_[k], rows_);
}

void JointGroup::setTargets() {
  target_.assign(rows_.rows.size(), 0);
  soft_.assign(rows_.rows.size(), 0);
  const bool push = pass_ == Pass::PushOut;
  for (std::size_t i = 0; i < rows_.rows.size(); ++i) {
    const JointRow& r = rows_.rows[i];
    const double ease = r.angular ? kEaseRate : ease_speed_, speed = -r.error / dt_;
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
    }
  }
}

void JointGroup::assemble() {
  const std::vector<JointRow>& rows = rows_.rows;
  std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>> of_body(bodies_.size());  // row, term
  std::vector<std::size_t> first(rows.size());
  const auto moves = [&](std::uint32_t b) {
    return bodies_[b].body != 0 &&
           !(bodies_[b].inverse_mass.isZero(0) && bodies_[b].inverse_inertia.isZero(0));
  };
  for (std::uint32_t i = 0; i < rows.size(); ++i) {
    first[i] = i;
    for (std::uint32_t t = rows[i].first; t < rows[i].first + rows[i].count; ++t) {
      const std::uint32_t b = rows_.terms[t].body;
      if (!moves(b)) continue;
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
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const bool holds = rows[i].kind == RowKind::Equal || rows[i].kind == RowKind::Bounded;
    if (holds) soft_[i] = matrix_.at(i, i) / (swing_ * dt_ * swing_ * dt_);
    matrix_.at(i, i) *= 1 + kRedundant;
    matrix_.at(i, i) += soft_[i];
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

void JointGroup::prepare(Pass pass, double dt, const Bodies& bodies) {
  pass_ = pass;
  dt_ = dt;
  swing_ = drubble::least(rate_, kMostSwing / dt);
  begun_ = totals_;
  if (pass == Pass::PushOut)
    for (Slots& b : begun_) b.fill(0);
  takeBodies(bodies);
  buildRows();
  setTargets();
  assemble();
}

void JointGroup::loadSpeeds(const BodyRows& rows) {
  for (JointBody& b : bodies_) {
    const BodyRow& r = rows[b.body];
    for (int k = 0; k < 3 && b.body != 0; ++k) {
      b.velocity[k] = static_cast<double>(r.velocity[k]);
      b.spin[k] = static_cast<double>(r.spin[k]);
    }
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
  if (r.kind == RowKind::Bounded) return 0;
  return r.kind == RowKind::Drive ? -r.strength * dt_ : -std::numeric_limits<double>::infinity();
}

double JointGroup::most(const JointRow& r) const {
  return r.kind == RowKind::Drive ? r.strength * dt_ : std::numeric_limits<double>::infinity();
}

// Adds the impulses, one a row, to the totals and to the bodies' speeds here.
void JointGroup::give(std::size_t row, double impulse) {
  const JointRow& r = rows_.rows[row];
  total(r) += impulse;
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
    if (r.kind != RowKind::Bounded && r.kind != RowKind::Drive) continue;
    if (side_[i] == Side::Free) {
      const double now = total(r);
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
  give(row, bound - total(r));
  total(r) = bound;
}

double JointGroup::solve(BodyRows& rows) {
  loadSpeeds(rows);
  const std::vector<JointBody> before = bodies_;
  double worst = 0;
  std::vector<double> x(rows_.rows.size());
  for (std::size_t i = 0; i < x.size(); ++i)
    if (side_[i] == Side::Low || side_[i] == Side::High) putAtBound(i);
  for (int round = 0; round < kMostRounds; ++round) {
    if (!factored_ && !factor()) break;
    factored_ = true;
    for (std::size_t i = 0; i < x.size(); ++i) {
      const JointRow& r = rows_.rows[i];
      x[i] = side_[i] == Side::Free
                 ? target_[i] - speedOf(r) - soft_[i] * (total(r) - begun_[r.joint][r.slot])
                 : 0;
      if (round == 0 && r.kind == RowKind::Equal)
        worst = greatest(worst, absolute(x[i]) * (r.angular ? ease_speed_ / kEaseRate : 1));
    }
    factors_.solve(x);
    for (std::size_t i = 0; i < x.size(); ++i)
      if (side_[i] == Side::Free) give(i, x[i]);
    if (!changeSides(round >= kAllAtOnce)) break;
    factored_ = false;
  }
  storeSpeeds(before, rows);
  return worst;
}

void JointGroup::storeSpeeds(const std::vector<JointBody>& before, BodyRows& rows) {
  for (std::size_t k = 1; k < bodies_.size(); ++k) {
    const JointBody& b = bodies_[k];
    if (b.body == 0) continue;
    const auto add = [](float& to, double x, float& given) {
      const float had = to;
      to = static_cast<float>(static_cast<double>(to) + x);
      given += to - had;
    };
    BodyRow& row = rows[b.body];
    for (int c = 0; c < 3; ++c) {
      add(row.velocity[c], b.velocity[c] - before[k].velocity[c], given_[k].velocity[c]);
      add(row.spin[c], b.spin[c] - before[k].spin[c], given_[k].spin[c]);
    }
  }
}

void JointGroup::warmStart(bool first, BodyRows& rows) {
  loadSpeeds(rows);
  const std::vector<JointBody> before = bodies_;
  const std::vector<Slots> carried = totals_;
  for (Slots& s : totals_) s.fill(0);
  for (std::size_t i = 0; i < rows_.rows.size(); ++i) {
    const JointRow& r = rows_.rows[i];
    give(i, first ? in_.states[joints_[r.joint]].carried[r.slot] * dt_ : carried[r.joint][r.slot]);
  }
  storeSpeeds(before, rows);
}

void JointGroup::refine(const Bodies& bodies, std::span<const Speeds> loaded, BodyRows& rows) {
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
      const double ease = r.angular ? kEaseRate : ease_speed_, now = speedOf(r);
      const bool eased = r.kind == RowKind::Equal ? absolute(r.error) > ease * dt_ : r.error < -ease * dt_;
      // What turning and going round add to where the speeds point.
      const double bent = there.rows[i].error - (r.error + dt_ * now);
      target_[i] = eased ? straight[i] : straight[i] - bent / dt_;
      if (!eased)
        worst =
            greatest(worst, absolute(target_[i] - last[i]) * dt_ * (r.angular ? ease_speed_ / kEaseRate : 1));
    }
    if (n > 0 && worst * kEaseRate <= kRefined * ease_speed_) break;
    solve(rows);
  }
  going_.clear();
  for (const JointRow& r : rows_.rows) going_.push_back(speedOf(r));
}

void JointGroup::springsAgain(Bodies& bodies, BodyRows& rows, std::span<Speeds> loaded) {
  for (const JointRow& r : rows_.rows) {
    if (r.kind != RowKind::Spring) continue;
    const Joint& j = in_.joints[joints_[r.joint]];
    const double begun = spring_error_[r.joint];
    const double impulse =
        -0.5 * dt_ * (0.5 * j.stiffness * (begun + r.error) + j.damping * (r.error - begun) / dt_);
    sums_[r.joint][r.slot] += impulse;
    for (std::uint32_t t = r.first; t < r.first + r.count; ++t) {
      const JointTerm& x = rows_.terms[t];
      const JointBody& b = bodies_[x.body];
      if (b.body == 0) continue;
      const Vec3 velocity = impulse * b.inverse_mass.cwiseProduct(x.linear),
                 spin = impulse * (b.inverse_inertia * x.angular);
      addUncounted(velocity, spin, bodies[b.body], rows[b.body], loaded[b.body]);
    }
  }
}

void JointGroup::count(std::span<Speeds> given) {
  for (std::size_t i = 0; i < rows_.rows.size(); ++i) {
    const JointRow& r = rows_.rows[i];
    sums_[r.joint][r.slot] += total(r);
    if (r.kind == RowKind::Drive && r.wanted != 0) work_ += total(r) * going_[i];
  }
  for (std::size_t k = 1; k < bodies_.size(); ++k) {
    Speeds& all = given[bodies_[k].body];
    for (int c = 0; c < 3; ++c) {
      all.velocity[c] -= given_[k].velocity[c];
      all.spin[c] -= given_[k].spin[c];
    }
    given_[k] = {};
  }
}

void JointGroup::store(int steps, std::span<JointState> states, std::span<JointLoad> loads) const {
  const double seconds = steps * dt_;
  for (std::size_t k = 0; k < joints_.size(); ++k) {
    JointState& s = states[joints_[k]];
    s.turned = turned_[k];
    for (std::size_t slot = 0; slot < kMostJointRows; ++slot) s.carried[slot] = totals_[k][slot] / dt_;
  }
  std::vector<std::array<double, 2>> squares(joints_.size(), {0, 0});
  for (const JointRow& r : rows_.rows) {
    const double mean = sums_[r.joint][r.slot] / seconds;
    squares[r.joint][r.angular] += mean * mean;
  }
  for (std::size_t k = 0; k < joints_.size(); ++k)
    loads[joints_[k]] = {std::sqrt(squares[k][0]), std::sqrt(squares[k][1])};
}

std::vector<JointGroup> jointGroups(const JointInput& in, const std::vector<std::uint32_t>& body_of,
                                    const std::vector<Traits>& traits, const Motion& motion,
                                    const Bodies& bodies, double gravity) {
  const std::size_t n = in.joints.size();
  Sets sets(n);
  std::vector<std::uint32_t> first(bodies.size(), u32(n));
  std::vector<char> moves(n, 0);
  for (std::uint32_t k = 0; k < n; ++k) {
    if (in.states[k].broken) continue;
    eachPiece(in.joints[k], [&](PieceId p) {
      const std::uint32_t body = p.valid() ? body_of[p.index()] : 0;
      if (body == 0 || bodies[body].fixed()) return;
      moves[k] = 1;
      if (first[body] == n)
        first[body] = k;
      else
        sets.join(first[body], k);
    });
  }
  std::vector<std::vector<std::uint32_t>> members(n);
  for (std::uint32_t k = 0; k < n; ++k)
    if (moves[k]) members[sets.find(k)].push_back(k);
  std::vector<JointGroup> out;
  for (const std::vector<std::uint32_t>& some : members)
    if (!some.empty()) out.emplace_back(in, some, body_of, traits, motion, bodies, gravity);
  return out;
}

}  // namespace drubble::solve
