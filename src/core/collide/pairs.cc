// SPDX-License-Identifier: Apache-2.0
#include "core/collide/pairs.h"

namespace drubble::collide {

using shape::Kind;
using shape::Shape;

namespace {

// Row: a's kind, column: b's, in the order of Kind; empty: try the other way round, or never touches. Joined
// shapes are taken apart before.
constexpr PairTest kTable[7][7] = {
    {sphereSphere, sphereEllipsoid, sphereCapsule, sphereCylinder, sphereConvex, sphereMesh, spherePlane},
    {nullptr, ellipsoidEllipsoid, ellipsoidCapsule, ellipsoidHullish, ellipsoidHullish, ellipsoidMesh,
     ellipsoidPlane},
    {nullptr, nullptr, capsuleCapsule, hullishHullish, hullishHullish, hullishMesh, capsulePlane},
    {nullptr, nullptr, nullptr, hullishHullish, hullishHullish, hullishMesh, hullishPlane},
    {nullptr, nullptr, nullptr, nullptr, hullishHullish, hullishMesh, hullishPlane},
    {nullptr, nullptr, nullptr, nullptr, nullptr, nullptr, nullptr},
    {nullptr, nullptr, nullptr, nullptr, nullptr, nullptr, nullptr},
};

void plainPair(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
               Manifolds& out) {
  const auto ka = static_cast<std::size_t>(a.kind), kb = static_cast<std::size_t>(b.kind);
  if (kTable[ka][kb] != nullptr) {
    kTable[ka][kb](a, pose_a, b, pose_b, reach, out);
  } else if (kTable[kb][ka] != nullptr) {
    const std::size_t start = out.size();
    kTable[kb][ka](b, pose_b, a, pose_a, reach, out);
    for (std::size_t i = start; i < out.size(); ++i) out[i].normal = -out[i].normal;
  }
}

// Part by part, those whose boxes are near.
void anyPair(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
             Manifolds& out) {
  if (a.kind == Kind::Joined) {
    const Box other = shape::boundsAt(b, pose_b).grown(reach);
    for (std::uint32_t k = 0; k < a.parts->size(); ++k) {
      const shape::Part& p = (*a.parts)[k];
      const Pose pose = pose_a * p.pose;
      if (!shape::boundsAt(p.shape, pose).overlaps(other)) continue;
      const std::size_t start = out.size();
      anyPair(p.shape, pose, b, pose_b, reach, out);
      for (std::size_t i = start; i < out.size(); ++i) out[i].part |= (k + 1) << 16;
    }
  } else if (b.kind == Kind::Joined) {
    const Box other = shape::boundsAt(a, pose_a).grown(reach);
    for (std::uint32_t k = 0; k < b.parts->size(); ++k) {
      const shape::Part& p = (*b.parts)[k];
      const Pose pose = pose_b * p.pose;
      if (!shape::boundsAt(p.shape, pose).overlaps(other)) continue;
      const std::size_t start = out.size();
      plainPair(a, pose_a, p.shape, pose, reach, out);
      for (std::size_t i = start; i < out.size(); ++i) out[i].part |= k + 1;
    }
  } else {
    plainPair(a, pose_a, b, pose_b, reach, out);
  }
}

}  // namespace

void collide(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
             Manifolds& out) {
  const double margin = a.margin + b.margin;
  const std::size_t start = out.size();
  anyPair(a, pose_a, b, pose_b, reach + margin, out);
  if (margin == 0) return;
  for (std::size_t i = start; i < out.size(); ++i)
    for (int k = 0; k < out[i].count; ++k) out[i].points[static_cast<std::size_t>(k)].gap -= margin;
}

double overlapDepth(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b) {
  thread_local Manifolds found;
  found.clear();
  anyPair(a, pose_a, b, pose_b, 0, found);
  double depth = 0;
  for (const Manifold& m : found) depth = greatest(depth, -m.leastGap());
  return depth;
}

void addSingle(const Vec3& position, const Vec3& normal, double gap, std::uint32_t feature, Manifolds& out) {
  Manifold m;
  m.normal = normal;
  m.points[0] = {position, gap, feature};
  m.count = 1;
  out.push_back(m);
}

}  // namespace drubble::collide
