// SPDX-License-Identifier: Apache-2.0
#include "core/collide/pairs.h"

#include "core/collide/closest.h"
#include "core/collide/separation.h"

namespace drubble::collide {

using shape::Kind;
using shape::Shape;

namespace {

using Test = void (*)(const Shape&, const Pose&, const Shape&, const Pose&, double, Manifolds&);

// Row: a's kind, column: b's, in the order of Kind; empty: try the other way round, or never touches.
constexpr Test kTable[4][4] = {
    {sphereSphere, sphereConvex, sphereMesh, spherePlane},
    {nullptr, convexConvex, convexMesh, convexPlane},
    {nullptr, nullptr, nullptr, nullptr},
    {nullptr, nullptr, nullptr, nullptr},
};

}  // namespace

void collide(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
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

double overlapDepth(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b) {
  thread_local Manifolds found;
  found.clear();
  collide(a, pose_a, b, pose_b, 0, found);
  double depth = 0;
  for (const Manifold& m : found) depth = greatest(depth, -m.leastGap());
  return depth;
}

namespace {

void addSingle(const Vec3& position, const Vec3& normal, double gap, std::uint32_t feature, Manifolds& out) {
  Manifold m;
  m.normal = normal;
  m.points[0] = {position, gap, feature};
  m.count = 1;
  out.push_back(m);
}

}  // namespace

void sphereSphere(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                  Manifolds& out) {
  const Vec3 between = pose_b.position - pose_a.position;
  const double distance = between.norm();
  const double gap = distance - a.radius - b.radius;
  if (gap > reach) return;
  const Vec3 n = distance > 0 ? Vec3(between / distance) : Vec3(Vec3::UnitY());
  addSingle(pose_a.position + n * (a.radius + 0.5 * gap), n, gap, 0, out);
}

void spherePlane(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                 Manifolds& out) {
  const Vec3 up = pose_b.turn * b.plane_normal;
  const double gap = up.dot(pose_a.position - pose_b.position) - a.radius;
  if (gap > reach) return;
  addSingle(pose_a.position - up * (a.radius + 0.5 * gap), -up, gap, 0, out);
}

void convexPlane(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                 Manifolds& out) {
  thread_local std::vector<Point> points;
  const Vec3 up = pose_b.turn * b.plane_normal;
  const shape::Polyhedron& p = *a.convex;
  const shape::Face& face = p.faces[faceAgainst(sideOf(p), pose_a.turn.conjugate() * up)];
  points.clear();
  for (std::uint32_t k = 0; k < face.count; ++k) {
    const std::uint32_t v = p.loops[face.first + k];
    const Vec3 at = pose_a.toWorld(p.vertices[v]);
    const double gap = up.dot(at - pose_b.position);
    if (gap <= reach) points.push_back({at - 0.5 * gap * up, gap, v});
  }
  if (points.empty()) return;
  Manifold m;
  m.normal = -up;
  keepFour(points, m);
  out.push_back(m);
}

void convexConvex(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                  Manifolds& out) {
  const Side sa = sideOf(*a.convex), sb = sideOf(*b.convex);
  const Relative b_to_a = relative(pose_b, pose_a);
  const double apart = (b_to_a.point(sb.centre) - sa.centre).norm();
  if (apart > a.convex->outer_radius + b.convex->outer_radius + reach) return;
  Manifold m;
  const Closest closest = closestPoints(sa, sb, b_to_a, reach);
  if (closest.beyond) return;
  const Axis axis = leastOverlap(sa, sb, b_to_a, reach, 1e-4 * least(a.inner_radius, b.inner_radius));
  if (axis.kind != AxisKind::None) patchFor(sa, sb, b_to_a, axis, reach, m);
  preferClosest(closest, m);
  if (m.count == 0) return;
  m.normal = pose_a.turn * m.normal;
  for (Point& p : m.points) p.position = pose_a.toWorld(p.position);
  out.push_back(m);
}

namespace {

// The point of the polygon nearest to c, which is `height` above its plane; `over`: straight below c.
Vec3 nearestOnFace(const shape::Polyhedron& p, const shape::Face& f, const Vec3& c, double height,
                   bool& over) {
  const Vec3 flat = c - height * f.normal;
  over = true;
  Vec3 best = flat;
  double best_squared = std::numeric_limits<double>::infinity();
  for (std::uint32_t k = 0; k < f.count; ++k) {
    const Vec3 &a = p.vertices[p.loops[f.first + k]], &b = p.vertices[p.loops[f.first + (k + 1) % f.count]];
    const Vec3 along = b - a;
    if (along.cross(f.normal).dot(flat - a) <= 0) continue;
    over = false;
    const Vec3 q = a + along * clamped(along.dot(c - a) / along.squaredNorm(), 0, 1);
    if (const double d = (q - c).squaredNorm(); d < best_squared) best_squared = d, best = q;
  }
  return best;
}

// The point of the surface nearest to c, which is outside; `top` is the face it is highest above.
Vec3 nearestOutside(const shape::Polyhedron& p, const Vec3& c, std::size_t top) {
  bool over;
  Vec3 nearest = nearestOnFace(p, p.faces[top], c, p.faces[top].normal.dot(c) - p.faces[top].offset, over);
  if (over) return nearest;
  double best_squared = (nearest - c).squaredNorm();
  for (const shape::Face& f : p.faces) {
    const double h = f.normal.dot(c) - f.offset;
    if (h <= 0 || h * h >= best_squared) continue;
    const Vec3 q = nearestOnFace(p, f, c, h, over);
    if (over) return q;
    if (const double d = (q - c).squaredNorm(); d < best_squared) best_squared = d, nearest = q;
  }
  return nearest;
}

}  // namespace

void sphereConvex(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                  Manifolds& out) {
  const shape::Polyhedron& p = *b.convex;
  const Vec3 c = pose_b.toBody(pose_a.position);
  if ((c - p.centre).norm() > p.outer_radius + a.radius + reach) return;
  double highest = -std::numeric_limits<double>::infinity();
  std::size_t top = 0;
  for (std::size_t f = 0; f < p.faces.size(); ++f) {
    const double h = p.faces[f].normal.dot(c) - p.faces[f].offset;
    if (h > highest) highest = h, top = f;
  }
  if (highest > a.radius + reach) return;
  Vec3 nearest = c - highest * p.faces[top].normal, outward = p.faces[top].normal;
  double distance = highest;
  if (highest > 0) {
    nearest = nearestOutside(p, c, top);
    distance = (c - nearest).norm();
    if (distance > 0) outward = (c - nearest) / distance;
  }
  const double gap = distance - a.radius;
  if (gap > reach) return;
  addSingle(pose_b.toWorld(nearest + 0.5 * gap * outward), -(pose_b.turn * outward), gap, 0, out);
}

}  // namespace drubble::collide
