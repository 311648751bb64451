// SPDX-License-Identifier: Apache-2.0
#include "core/solve/flight.h"

#include "core/solve/turn_code.h"

namespace drubble::solve {

namespace {

using turning::Rotation;
using turning::Vector;

Vector<double> plain(const Vec3& v) { return {v.x(), v.y(), v.z()}; }
Rotation<double> plain(const Quat& q) { return {{q.x(), q.y(), q.z()}, q.w()}; }
Vec3 vec(const Vector<double>& v) { return vec3(v.x, v.y, v.z); }
Quat quat(const Rotation<double>& q) { return Quat(q.w, q.v.x, q.v.y, q.v.z); }

}  // namespace

Quat turnBy(const Vec3& angle) { return quat(unit(turning::longTurnBy(plain(angle)))); }

void spinFreely(const Traits& traits, double dt, Quat& turn, Vec3& spin) {
  Rotation<double> q = plain(turn);
  Vector<double> s = plain(spin);
  if (traits.round || traits.turnLocked())
    turnEvenly(dt, q, s);
  else if (traits.top.along > 0)
    turnTop(dt, plain(traits.top.axis), traits.top.along, traits.top.across, q, s);
  else
    turnAny(dt, plain(traits.principal), plain(traits.moments), q, s);
  turn = quat(q);
  spin = vec(s);
}

Quat touchTurn(const Traits& traits, const Quat& start, const Quat& now) {
  if (traits.roundness == shape::Roundness::Ball) return Quat::Identity();
  if (traits.roundness == shape::Roundness::None) return now * start.conjugate();
  return quat(turnOfAxis(plain(start), plain(now), plain(traits.round_axis)));
}

namespace {

// The inverse on the free axes alone; 0 elsewhere.
Mat3 lockedInverse(const Mat3& inertia, const Vec3& free) {
  const Mat3 keep = free.asDiagonal();
  const Mat3 lock = (Vec3::Ones() - free).asDiagonal();
  const Mat3 m = keep * (keep * inertia * keep + lock).inverse() * keep;
  return 0.5 * (m + m.transpose());
}

}  // namespace

Mat3 inverseInertiaWorld(const Traits& traits, const Quat& turn) {
  if (traits.round && !traits.turnLocked()) return traits.inverse_inertia;
  if (traits.top.along > 0 && !traits.turnLocked()) {
    const Vec3 axis = turn * traits.top.axis;
    const double across = 1 / traits.top.across;
    return across * Mat3::Identity() + (1 / traits.top.along - across) * axis * axis.transpose();
  }
  const Mat3 r = turn.toRotationMatrix();
  const Mat3 m = r * traits.inverse_inertia * r.transpose();
  if (traits.turnLocked()) return lockedInverse(r * traits.inertia * r.transpose(), traits.free_turn);
  return 0.5 * (m + m.transpose());
}

}  // namespace drubble::solve
