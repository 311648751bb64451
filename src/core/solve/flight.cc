// SPDX-License-Identifier: Apache-2.0
#include "core/solve/flight.h"

namespace drubble::solve {

namespace {

// tan(angle/2) / angle for small angles, as a series in angle squared.
double halfTangentShare(double angle_squared) {
  const double x = angle_squared;
  return 0.5 + x * (1.0 / 24 +
                    x * (1.0 / 240 + x * (17.0 / 40320 + x * (31.0 / 725760 + x * (691.0 / 159667200)))));
}

// The rotation whose axis times tan(angle/2) is `t` (Cayley).
Quat cayley(const Vec3& t) { return Quat(1, t.x(), t.y(), t.z()).normalized(); }

// Turns the frame by the angle that momentum about principal axis k gives in dt, and the momentum the other
// way. The frame's length grows: it is for the caller to norm, once.
template <int k>
inline void turnAboutPrincipal(double dt, const Vec3& inverse_moments, Quat& frame, Vec3& momentum) {
  constexpr int i = (k + 1) % 3, j = (k + 2) % 3;
  const double angle = dt * momentum[k] * inverse_moments[k];
  const double t = angle * halfTangentShare(angle * angle), share = 1 / (1 + t * t);
  const double cosine = (1 - t * t) * share, sine = 2 * t * share;
  const double at_i = momentum[i], at_j = momentum[j];
  momentum[i] = cosine * at_i + sine * at_j;
  momentum[j] = cosine * at_j - sine * at_i;
  const Vec3 v = frame.vec();
  const double w = frame.w();
  frame.w() = w - t * v[k];
  frame.vec()[i] = v[i] + t * v[j];
  frame.vec()[j] = v[j] - t * v[i];
  frame.vec()[k] = v[k] + t * w;
}

// The rotation by `angle` times any length.
Quat longTurnBy(const Vec3& angle) {
  const Vec3 t = angle * halfTangentShare(angle.squaredNorm());
  return Quat(1, t.x(), t.y(), t.z());
}

// A top with two equal moments goes round its momentum and about its own axis, both evenly: exact.
void spinTop(const Top& top, double dt, Quat& turn, Vec3& spin) {
  const Vec3 axis = turn * top.axis;
  const Vec3 momentum = top.across * spin + ((top.along - top.across) * axis.dot(spin)) * axis;
  const double across = 1 / top.across, more = 1 / top.along - across;
  turn = (longTurnBy(dt * across * momentum) * (longTurnBy((dt * more * axis.dot(momentum)) * axis) * turn))
             .normalized();
  const Vec3 now = turn * top.axis;
  spin = across * momentum + (more * now.dot(momentum)) * now;
}

}  // namespace

Quat turnBy(const Vec3& angle) { return cayley(angle * halfTangentShare(angle.squaredNorm())); }

void spinFreely(const Traits& traits, double dt, Quat& turn, Vec3& spin) {
  if (traits.round || traits.turnLocked()) {
    turn = (turnBy(spin * dt) * turn).normalized();
    return;
  }
  if (traits.top.along > 0) {
    spinTop(traits.top, dt, turn, spin);
    return;
  }
  const Vec3 inverse_moments = traits.moments.cwiseInverse();
  Quat frame = turn * traits.principal;
  Vec3 momentum = (frame.conjugate() * spin).cwiseProduct(traits.moments);
  const Vec3 momentum_world = frame * momentum;
  turnAboutPrincipal<0>(0.5 * dt, inverse_moments, frame, momentum);
  turnAboutPrincipal<1>(0.5 * dt, inverse_moments, frame, momentum);
  turnAboutPrincipal<2>(dt, inverse_moments, frame, momentum);
  turnAboutPrincipal<1>(0.5 * dt, inverse_moments, frame, momentum);
  turnAboutPrincipal<0>(0.5 * dt, inverse_moments, frame, momentum);
  frame.normalize();
  // The world's momentum is taken from before, so that rounding does not add up in it.
  spin = frame * (frame.conjugate() * momentum_world).cwiseProduct(inverse_moments);
  turn = (frame * traits.principal.conjugate()).normalized();
}

Quat touchTurn(const Traits& traits, const Quat& start, const Quat& now) {
  if (traits.roundness == shape::Roundness::Ball) return Quat::Identity();
  if (traits.roundness == shape::Roundness::None) return now * start.conjugate();
  const Vec3 from = start * traits.round_axis, to = now * traits.round_axis;
  const Vec3 v = from.cross(to);
  return Quat(1 + from.dot(to), v.x(), v.y(), v.z()).normalized();
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
