// SPDX-License-Identifier: Apache-2.0
#include "core/base/vec.h"

#include <cmath>

#include "core/base/trig.h"

namespace drubble {

Vec3 anyNormalTo(const Vec3& n) {
  const double x = absolute(n.x()), y = absolute(n.y()), z = absolute(n.z());
  const Vec3 axis = x <= y && x <= z ? Vec3(1, 0, 0) : (y <= z ? Vec3(0, 1, 0) : Vec3(0, 0, 1));
  return n.cross(axis).normalized();
}

Quat turnAbout(const Vec3& axis, double angle) {
  const SinCos h = sinCos(0.5 * angle);
  return Quat(h.cos, axis.x() * h.sin, axis.y() * h.sin, axis.z() * h.sin);
}

Quat turnXyz(const Vec3& angles) {
  return turnAbout(Vec3::UnitZ(), angles.z()) * turnAbout(Vec3::UnitY(), angles.y()) *
         turnAbout(Vec3::UnitX(), angles.x());
}

Principal principalAxes(const Mat3& symmetric) {
  Mat3 a = symmetric;
  Principal out;
  const double scale = a.diagonal().cwiseAbs().sum();
  for (int sweep = 0; sweep < 50; ++sweep) {
    const double off = absolute(a(0, 1)) + absolute(a(0, 2)) + absolute(a(1, 2));
    if (off <= 1e-13 * scale) break;
    for (int p = 0; p < 2; ++p) {
      for (int q = p + 1; q < 3; ++q) {
        if (absolute(a(p, q)) <= 1e-18 * scale) continue;
        const double theta = (a(q, q) - a(p, p)) / (2 * a(p, q));
        const double t = (theta < 0 ? -1.0 : 1.0) / (absolute(theta) + std::sqrt(theta * theta + 1));
        const double c = 1 / std::sqrt(t * t + 1), s = t * c;
        Mat3 turn = Mat3::Identity();
        turn(p, p) = turn(q, q) = c;
        turn(p, q) = s;
        turn(q, p) = -s;
        a = turn.transpose() * a * turn;
        out.axes = out.axes * turn;
      }
    }
  }
  out.moments = a.diagonal();
  return out;
}

Vec3 turnBetween(const Quat& from, const Quat& to) {
  Quat q = to * from.conjugate();
  if (q.w() < 0) q.coeffs() = -q.coeffs();
  const double sine = q.vec().norm();
  if (sine == 0) return Vec3::Zero();
  return q.vec() * (2 * arcTangent2(sine, q.w()) / sine);
}

}  // namespace drubble
