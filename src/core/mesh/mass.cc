// SPDX-License-Identifier: Apache-2.0
#include "core/mesh/mass.h"

#include "core/base/trig.h"

namespace drubble::mesh {

MassProperties massProperties(const TriangleMesh& m) {
  MassProperties out;
  if (m.vertices.empty()) return out;
  const Vec3 origin = m.bounds().centre();
  Vec3 first = Vec3::Zero();
  Mat3 second = Mat3::Zero();
  for (const Triangle& t : m.triangles) {
    const Vec3 a = m.vertices[t[0]] - origin, b = m.vertices[t[1]] - origin, c = m.vertices[t[2]] - origin;
    const double six_volumes = a.dot(b.cross(c));
    const Vec3 sum = a + b + c;
    out.volume += six_volumes / 6;
    first += six_volumes / 24 * sum;
    second += six_volumes / 120 *
              (sum * sum.transpose() + a * a.transpose() + b * b.transpose() + c * c.transpose());
  }
  if (out.volume == 0) return out;
  const Vec3 centre = first / out.volume;
  second -= out.volume * centre * centre.transpose();
  out.centre = origin + centre;
  out.inertia = second.trace() * Mat3::Identity() - second;
  return out;
}

MassProperties sphereMass(double radius) {
  MassProperties out;
  out.volume = 4.0 / 3 * kPi * radius * radius * radius;
  out.inertia = 0.4 * out.volume * radius * radius * Mat3::Identity();
  return out;
}

MassProperties boxMass(const Vec3& s) {
  MassProperties out;
  out.volume = s.x() * s.y() * s.z();
  const Vec3 q = s.cwiseProduct(s) * (out.volume / 12);
  out.inertia = Vec3(q.y() + q.z(), q.x() + q.z(), q.x() + q.y()).asDiagonal();
  return out;
}

MassProperties ellipsoidMass(const Vec3& e) {
  MassProperties out;
  out.volume = 4.0 / 3 * kPi * e.prod();
  const Vec3 q = e.cwiseProduct(e) * (out.volume / 5);
  out.inertia = Vec3(q.y() + q.z(), q.x() + q.z(), q.x() + q.y()).asDiagonal();
  return out;
}

namespace {

// A body of revolution: moments along and across its axis.
Mat3 inertiaAbout(const Vec3& axis, double along, double across) {
  return across * Mat3::Identity() + (along - across) * (axis * axis.transpose());
}

}  // namespace

MassProperties capsuleMass(double radius, double length, const Vec3& axis) {
  const double r2 = radius * radius, tube = kPi * r2 * length, ends = 4.0 / 3 * kPi * r2 * radius;
  MassProperties out;
  out.volume = tube + ends;
  const double along = 0.5 * tube * r2 + 0.4 * ends * r2;
  // A half ball's own centre lies 3/8 of the radius beyond the tube's end.
  const double across = tube * (0.25 * r2 + length * length / 12) +
                        ends * (0.4 * r2 + 0.25 * length * length + 0.375 * length * radius);
  out.inertia = inertiaAbout(axis, along, across);
  return out;
}

MassProperties cylinderMass(double radius, double height, const Vec3& axis) {
  MassProperties out;
  const double r2 = radius * radius;
  out.volume = kPi * r2 * height;
  out.inertia = inertiaAbout(axis, 0.5 * out.volume * r2, out.volume * (0.25 * r2 + height * height / 12));
  return out;
}

}  // namespace drubble::mesh
