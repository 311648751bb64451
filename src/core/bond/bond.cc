// SPDX-License-Identifier: Apache-2.0
#include "core/bond/bond.h"

#include <array>
#include <cmath>

namespace drubble::bond {

const char* whyName(Why w) {
  static constexpr std::array<const char*, 4> kNames = {"tension", "compression", "shear", "cue"};
  return kNames[static_cast<std::size_t>(w)];
}

Weakness weaknessOf(const Strength& s, double times) {
  return {1 / (times * s.tension), 1 / (times * s.compression), 1 / (times * s.shear)};
}

double shareOf(const Stress& s, const Weakness& weakness, Why* why) {
  const std::array<double, 3> share = {s.tension * weakness.tension, s.compression * weakness.compression,
                                       s.shear * weakness.shear};
  double worst = 0;
  for (std::size_t k = 0; k < 3; ++k) {
    if (!(share[k] > worst)) continue;  // nor where nothing bears on what has no strength
    worst = share[k];
    if (why != nullptr) *why = static_cast<Why>(k);
  }
  return worst;
}

Face faceOf(std::span<const Vec3> rim, const Vec3& normal) {
  Face f;
  f.normal = normal;
  double twice = 0;
  Vec3 sum = Vec3::Zero();
  for (std::size_t k = 1; k + 1 < rim.size(); ++k) {
    const double part = normal.dot((rim[k] - rim[0]).cross(rim[k + 1] - rim[0]));
    twice += part;
    sum += part * (rim[0] + rim[k] + rim[k + 1]) / 3;
  }
  const Vec3 centroid = twice > 0 ? Vec3(sum / twice) : rim.empty() ? Vec3(Vec3::Zero()) : rim[0];
  return faceOf(rim, normal, centroid, greatest(0.5 * twice, 0));
}

Face faceOf(std::span<const Vec3> rim, const Vec3& normal, const Vec3& centroid, double area) {
  Face f;
  f.place = centroid;
  f.normal = normal;
  f.area = area;
  for (const Vec3& p : rim) f.corners.push_back(p - centroid);
  double rim_area = 0;
  Mat3 spread = Mat3::Zero();
  for (std::size_t k = 0; k < f.corners.size(); ++k) {
    // A triangle with a corner at the centroid: the integral of r rT is area / 12 (p pT + q qT + (p + q)(p +
    // q)T).
    const Vec3 &p = f.corners[k], &q = f.corners[(k + 1) % f.corners.size()], both = p + q;
    const double part = 0.5 * normal.dot(p.cross(q));
    rim_area += part;
    spread += part / 12 * (p * p.transpose() + q * q.transpose() + both * both.transpose());
  }
  // A face with holes: what its rim encloses, thinned out.
  f.spread = rim_area > 0 ? Mat3(area / rim_area * spread) : Mat3::Zero();
  if (!(f.spread.trace() > 0)) {
    const Mat3 flat = Mat3::Identity() - normal * normal.transpose();
    f.spread = area * area / 12 * flat;
  }
  return f;
}

Face squareFace(const Vec3& place, const Vec3& normal, double area) {
  const Vec3 u = anyNormalTo(normal), v = normal.cross(u);
  const double half = 0.5 * std::sqrt(area);
  const std::array<Vec3, 4> rim = {Vec3(place - half * u - half * v), Vec3(place + half * u - half * v),
                                   Vec3(place + half * u + half * v), Vec3(place - half * u + half * v)};
  return faceOf(rim, normal, place, area);
}

}  // namespace drubble::bond
