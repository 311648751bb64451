// SPDX-License-Identifier: Apache-2.0
#include "core/solve/joint_group.h"

#include <algorithm>
#include <cmath>

#include "core/base/sets.h"
#include "core/solve/flight.h"
#include "core/solve/joint_pieces.h"
#include "core/solve/spring.h"

namespace drubble::solve {

namespace {

constexpr double kStiffer = 16;  // than contacts: by their rate

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
                       const std::vector<std::uint32_t>& body_of, const TraitsList& traits,
                       const Motion& motion, const Bodies& bodies, double gravity)
    : in_(in), body_of_(body_of), traits_(traits), motion_(motion) {
  bodies_.emplace_back();
  pieces_.emplace_back();
  for (const std::uint32_t m : members)
    eachPiece(in_.joints[m], [&](std::size_t p) { localBody(PieceId(p)); });
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
    set_.push_back(in_.states[m].set);
    strained_.push_back(in_.states[m].strained);
    sprung_ = sprung_ || j.kind == JointKind::Spring;
    yields_ = j.kind == JointKind::Yielding;
  }
  totals_.assign(joints_.size(), Slots{});
  sums_ = totals_;
  spring_error_.assign(joints_.size(), 0);
  given_.resize(bodies_.size());
  buildRows();
  joint_rows_ = rows_.rows.size();
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
  const auto moves = [&](std::size_t p) {
    return std::binary_search(moving_.begin(), moving_.end(), body_of_[p]);
  };
  for (std::uint32_t k = 0; k < members.size(); ++k)
    eachPiece(in_.joints[members[k]], [&](std::size_t p) {
      if (moves(p)) of_body[localBody(PieceId(p))].push_back(k);
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
  yield();
  addContactRows();
}

// What is stretched beyond what its strength holds stays so much longer.
void JointGroup::yield() {
  for (JointRow& r : rows_.rows) {
    if (r.kind != RowKind::Yield) continue;
    const Yielding& y = in_.joints[joints_[r.joint]].yields;
    const double stiffness = y.stiffness[r.slot];
    double& set = set_[r.joint][r.slot];
    const double over = r.error - set,
                 held = stiffness > 0 ? clamped(over, -r.high / stiffness, -r.low / stiffness) : over;
    set += over - held;
    strained_[r.joint] += absolute(over - held) * (r.angular ? y.radius : 1) / y.length;
    r.error = held;
  }
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
      if (!b.moves()) continue;
      const Vec3 velocity = impulse * b.inverse_mass.cwiseProduct(x.linear),
                 spin = impulse * (b.inverse_inertia * x.angular);
      addUncounted(velocity, spin, bodies[b.body], rows[b.body], loaded[b.body]);
    }
  }
}

void JointGroup::count(std::span<Speeds> given) {
  for (std::size_t i = 0; i < joint_rows_; ++i) {
    const JointRow& r = rows_.rows[i];
    sums_[r.joint][r.slot] += total(i);
    if (r.kind == RowKind::Drive && r.wanted != 0) work_ += total(i) * going_[i];
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
    s.set = set_[k];
    s.strained = strained_[k];
    for (std::size_t slot = 0; slot < kMostJointRows; ++slot) s.carried[slot] = totals_[k][slot] / dt_;
  }
  std::vector<std::array<double, 2>> squares(joints_.size(), {0, 0});
  for (const std::uint32_t k : joints_) loads[k] = {};
  for (const JointRow& r : std::span(rows_.rows).first(joint_rows_)) {
    const double mean = sums_[r.joint][r.slot] / seconds;
    squares[r.joint][r.angular] += mean * mean;
    const JointPlaces& at = places_[r.joint];
    if (at.a == at.b) continue;
    for (std::uint32_t t = r.first; t < r.first + r.count; ++t) {
      const JointTerm& x = rows_.terms[t];
      if (x.body != at.a && x.body != at.b) continue;
      JointLoad& load = loads[joints_[r.joint]];
      JointLoad::Side& side = x.body == at.a ? load.on_a : load.on_b;
      side.force += mean * x.linear;
      side.torque += mean * x.angular;  // about the body's centre, so far
    }
  }
  for (std::size_t k = 0; k < joints_.size(); ++k) {
    const Joint& j = in_.joints[joints_[k]];
    JointLoad& load = loads[joints_[k]];
    load.force = std::sqrt(squares[k][0]);
    load.torque = std::sqrt(squares[k][1]);
    load.on_a.torque -= (bodies_[places_[k].a].turn * j.a.at).cross(load.on_a.force);
    load.on_b.torque -= (bodies_[places_[k].b].turn * j.b.at).cross(load.on_b.force);
  }
}

std::vector<JointGroup> jointGroups(const JointInput& in, const std::vector<std::uint32_t>& body_of,
                                    const TraitsList& traits, const Motion& motion, const Bodies& bodies,
                                    double gravity) {
  const std::size_t n = in.joints.size();
  Sets sets(n);
  std::vector<std::uint32_t> first(bodies.size(), u32(n)), first_yielding(bodies.size(), u32(n));
  std::vector<char> moves(n, 0);
  for (std::uint32_t k = 0; k < n; ++k) {
    if (in.states[k].broken) continue;
    eachPiece(in.joints[k], [&](std::size_t p) {
      const std::uint32_t body = body_of[p];
      if (body == 0 || bodies[body].fixed()) return;
      moves[k] = 1;
      std::uint32_t& known = (in.joints[k].kind == JointKind::Yielding ? first_yielding : first)[body];
      if (known == n)
        known = k;
      else
        sets.join(known, k);
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
