// SPDX-License-Identifier: Apache-2.0
#include "core/solve/joint_rows.h"

#include <algorithm>
#include <cmath>

#include "core/base/trig.h"

namespace drubble::solve {

namespace {

// A joint's rows by place: what holds its ends together first, then what bounds and drives its free motion.
enum Slot : std::uint8_t {
  kLinear = 0,   // three
  kAngular = 3,  // up to three
  kCone = 5,     // of a ball
  kLow = 6,
  kHigh = 7,
  kMotor = 8,
  kFriction = 9
};

struct Frame {
  std::uint32_t body = 0;
  Vec3 at = Vec3::Zero(), arm = Vec3::Zero();  // world; from the body's centre of mass
  Quat turn = Quat::Identity();

  Vec3 axis(int k) const { return turn * Vec3::Unit(k); }
};

Frame frameOf(const JointSide& side, std::uint32_t body, std::span<const JointBody> bodies) {
  const JointBody& b = bodies[body];
  const Vec3 arm = b.turn * side.at;
  return {body, b.position + arm, arm, (b.turn * side.frame).normalized()};
}

class Rows {
 public:
  Rows(const Joint& j, std::uint32_t index, const JointPlaces& at, std::span<const JointBody> bodies,
       double turned, JointRows& out)
      : j_(j), index_(index), at_(at), bodies_(bodies), turned_(turned), out_(out) {
    a_ = frameOf(j.a, at.a, bodies);
    b_ = frameOf(j.b, at.b, bodies);
  }

  double add() {
    switch (j_.kind) {
      case JointKind::Hinge:
        addPoint();
        addSwing();
        addTurn();
        break;
      case JointKind::Ball:
        addPoint();
        addCone();
        addTurn();
        break;
      case JointKind::Slider:
        addWay();
        addNoTurn();
        break;
      case JointKind::Fixed:
        addPoint();
        addNoTurn();
        break;
      case JointKind::Spring:
        addSpring();
        break;
      case JointKind::Rope:
        addRope();
        break;
      case JointKind::Yielding:
        addYielding();
        break;
    }
    return turned_;
  }

 private:
  JointRow& row(RowKind kind, int slot, bool angular, double error) {
    JointRow& r = out_.rows.emplace_back();
    r.kind = kind;
    r.slot = static_cast<std::uint8_t>(slot);
    r.angular = angular;
    r.joint = index_;
    r.first = u32(out_.terms.size());
    r.error = error;
    return r;
  }
  // To the row made last; a body that is there already takes it on top.
  void term(std::uint32_t body, const Vec3& linear, const Vec3& angular) {
    if (body == 0) return;
    JointRow& r = out_.rows.back();
    for (std::uint32_t k = 0; k < r.count; ++k) {
      JointTerm& t = out_.terms[r.first + k];
      if (t.body != body) continue;
      t.linear += linear;
      t.angular += angular;
      return;
    }
    out_.terms.push_back({body, linear, angular});
    ++r.count;
  }
  // a's end against b's along d.
  void ends(const Vec3& d, const Vec3& arm_b) {
    term(a_.body, d, a_.arm.cross(d));
    term(b_.body, -d, -arm_b.cross(d));
  }
  void turns(const Vec3& d) {
    term(a_.body, Vec3::Zero(), d);
    term(b_.body, Vec3::Zero(), -d);
  }

  void addPoint() {
    const Vec3 apart = a_.at - b_.at;
    for (int k = 0; k < 3; ++k) {
      row(RowKind::Equal, kLinear + k, false, apart[k]);
      ends(Vec3::Unit(k), b_.arm);
    }
  }
  // a's axis stays along b's.
  void addSwing() {
    const Vec3 axis = a_.axis(0);
    for (int k = 1; k < 3; ++k) {
      const Vec3 across = b_.axis(k);
      row(RowKind::Equal, kAngular + k - 1, true, axis.dot(across));
      turns(axis.cross(across));
    }
  }
  void addNoTurn() {
    Quat q = b_.turn.conjugate() * a_.turn;
    if (q.w() < 0) q.coeffs() = -q.coeffs();
    for (int k = 0; k < 3; ++k) {
      row(RowKind::Equal, kAngular + k, true, 2 * q.vec()[k]);
      turns(b_.axis(k));
    }
  }
  void addCone() {
    if (!(j_.cone < kPi)) return;
    const Vec3 x = a_.axis(0), y = b_.axis(0), cross = x.cross(y);
    const double sine = cross.norm(), angle = arcTangent2(sine, x.dot(y));
    row(RowKind::Bounded, kCone, true, j_.cone - angle);
    turns(sine > 1e-9 ? Vec3(cross / sine) : anyNormalTo(x));
  }
  // The turn about the axis: limits, motor, friction.
  void addTurn() {
    const Quat q = b_.turn.conjugate() * a_.turn;
    const double raw = 2 * arcTangent2(q.x(), q.w());
    turned_ = raw + 2 * kPi * std::floor((turned_ - raw) / (2 * kPi) + 0.5);
    // Of a ball whose axes lean apart, the twist is that about their mean.
    const Vec3 sum = a_.axis(0) + b_.axis(0);
    const double norm = sum.norm();
    addFree(turned_, true,
            [&, axis = norm > 1e-6 ? Vec3(sum / norm) : b_.axis(0)](double sign) { turns(sign * axis); });
  }
  void addWay() {
    const Vec3 apart = a_.at - b_.at, arm_b = b_.arm + apart;
    for (int k = 1; k < 3; ++k) {
      const Vec3 across = b_.axis(k);
      row(RowKind::Equal, kLinear + k, false, apart.dot(across));
      ends(across, arm_b);
    }
    const Vec3 axis = b_.axis(0);
    addFree(apart.dot(axis), false, [&](double sign) { ends(sign * axis, arm_b); });
  }
  template <class Terms>
  void addFree(double now, bool angular, Terms terms) {
    if (std::isfinite(j_.low)) {
      row(RowKind::Bounded, kLow, angular, now - j_.low);
      terms(1);
    }
    if (std::isfinite(j_.high)) {
      row(RowKind::Bounded, kHigh, angular, j_.high - now);
      terms(-1);
    }
    const auto drive = [&](int slot, double speed, double strength) {
      if (!(strength > 0)) return;
      JointRow& r = row(RowKind::Drive, slot, angular, 0);
      r.wanted = speed;
      r.strength = strength;
      terms(1);
    };
    drive(kMotor, j_.motor_speed, j_.motor_strength);
    drive(kFriction, 0, j_.friction);
  }
  void addSpring() {
    const Vec3 apart = b_.at - a_.at;
    const double length = apart.norm();
    const Vec3 u = length > 1e-12 ? Vec3(apart / length) : Vec3(Vec3::UnitY());
    row(RowKind::Spring, kLinear, false, length - j_.length);
    term(a_.body, -u, -a_.arm.cross(u));
    term(b_.body, u, b_.arm.cross(u));
  }
  void addYielding() {
    const JointBody &a = bodies_[at_.a], &b = bodies_[at_.b];
    const std::array<double, 6> error = stretchOf(j_, {a.position, a.turn}, {b.position, b.turn});
    const Vec3 arm_b = b_.arm + (a_.at - b_.at);
    for (int k = 0; k < 6; ++k) {
      JointRow& r = row(RowKind::Yield, k < 3 ? kLinear + k : kAngular + k - 3, k >= 3,
                        error[static_cast<std::size_t>(k)]);
      r.low = j_.yields.least[static_cast<std::size_t>(k)];
      r.high = j_.yields.most[static_cast<std::size_t>(k)];
      if (k < 3)
        ends(b_.axis(k), arm_b);
      else
        turns(b_.axis(k - 3));
    }
  }
  void addRope() {
    row(RowKind::Bounded, kLinear, false, j_.length - jointLength(j_, at_, bodies_));
    Vec3 before = Vec3::Zero();
    Frame here = a_;
    for (std::size_t k = 0; k <= at_.over.size(); ++k) {
      const Frame next =
          k < at_.over.size() ? frameOf({j_.over[k].piece, j_.over[k].at}, at_.over[k], bodies_) : b_;
      const Vec3 apart = next.at - here.at;
      const double length = apart.norm();
      const Vec3 u = length > 1e-12 ? Vec3(apart / length) : Vec3(Vec3::Zero());
      // The rope grows by u_before - u for each metre that the point goes.
      term(here.body, u - before, here.arm.cross(u - before));
      before = u;
      here = next;
    }
    term(here.body, -before, -here.arm.cross(before));
  }

  const Joint& j_;
  std::uint32_t index_;
  const JointPlaces& at_;
  std::span<const JointBody> bodies_;
  double turned_;
  JointRows& out_;
  Frame a_, b_;
};

}  // namespace

double addJointRows(const Joint& j, std::uint32_t index, const JointPlaces& at,
                    std::span<const JointBody> bodies, double turned, JointRows& out) {
  return Rows(j, index, at, bodies, turned, out).add();
}

std::array<double, 6> stretchOf(const Joint& j, const Pose& a, const Pose& b) {
  const Quat turn_a = (a.turn * j.a.frame).normalized(), turn_b = (b.turn * j.b.frame).normalized();
  const Vec3 apart = a.toWorld(j.a.at) - b.toWorld(j.b.at);
  Quat q = turn_b.conjugate() * turn_a;
  if (q.w() < 0) q.coeffs() = -q.coeffs();
  std::array<double, 6> out{};
  for (int k = 0; k < 3; ++k) {
    out[static_cast<std::size_t>(k)] = apart.dot(turn_b * Vec3::Unit(k));
    out[static_cast<std::size_t>(k) + 3] = 2 * q.vec()[k];
  }
  return out;
}

double jointLength(const Joint& j, const JointPlaces& at, std::span<const JointBody> bodies) {
  Vec3 here = frameOf(j.a, at.a, bodies).at;
  double length = 0;
  for (std::size_t k = 0; k < at.over.size(); ++k) {
    const Vec3 next = frameOf({j.over[k].piece, j.over[k].at}, at.over[k], bodies).at;
    length += (next - here).norm();
    here = next;
  }
  return length + (frameOf(j.b, at.b, bodies).at - here).norm();
}

}  // namespace drubble::solve
