// SPDX-License-Identifier: Apache-2.0
// Balls against everything that is not a mesh.
#include <cmath>

#include "core/collide/ellipsoid.h"
#include "core/collide/pairs.h"

namespace drubble::collide {

using shape::Shape;

namespace {

// A ball of `radius` about `centre`, held against a surface whose nearest point is `on` with normal `outward`
// (from the other shape to the ball).
void addBall(const Vec3& on, const Vec3& outward, double distance, double radius, double reach,
             Manifolds& out) {
  const double gap = distance - radius;
  if (gap <= reach) addSingle(on + 0.5 * gap * outward, -outward, gap, 0, out);
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

void sphereEllipsoid(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                     Manifolds& out) {
  const Vec3 c = pose_b.toBody(pose_a.position);
  if (c.norm() > b.outer_radius + a.radius + reach) return;
  const OnEllipsoid on = nearestOnEllipsoid(b.half_axes, c);
  addBall(pose_b.toWorld(on.point), pose_b.turn * on.normal, on.distance, a.radius, reach, out);
}

void sphereCapsule(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                   Manifolds& out) {
  const Vec3 c = pose_b.toBody(pose_a.position);
  const Vec3 on_line = clamped(b.axis.dot(c), -b.half_length, b.half_length) * b.axis;
  const double distance = (c - on_line).norm();
  if (distance > a.radius + b.radius + reach) return;
  const Vec3 outward = distance > 0 ? Vec3((c - on_line) / distance) : anyNormalTo(b.axis);
  addBall(pose_b.toWorld(on_line + b.radius * outward), pose_b.turn * outward, distance - b.radius, a.radius,
          reach, out);
}

void sphereCylinder(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                    Manifolds& out) {
  const Vec3 c = pose_b.toBody(pose_a.position);
  const double along = b.axis.dot(c);
  const Vec3 across = c - along * b.axis;
  const double from_axis = across.norm();
  const Vec3 side = from_axis > 0 ? Vec3(across / from_axis) : anyNormalTo(b.axis);
  const Vec3 end = along < 0 ? Vec3(-b.axis) : b.axis;
  const double beyond_end = absolute(along) - b.half_length, beyond_side = from_axis - b.radius;
  if (beyond_end > a.radius + reach || beyond_side > a.radius + reach) return;
  Vec3 on, outward;
  double distance;
  if (beyond_end <= 0 && beyond_side <= 0) {  // the centre is inside
    const bool through_side = beyond_side >= beyond_end;
    outward = through_side ? side : end;
    distance = through_side ? beyond_side : beyond_end;
    on = c - distance * outward;
  } else {
    on = clamped(along, -b.half_length, b.half_length) * b.axis + least(from_axis, b.radius) * side;
    distance = (c - on).norm();
    outward = (c - on) / distance;
  }
  addBall(pose_b.toWorld(on), pose_b.turn * outward, distance, a.radius, reach, out);
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
  addBall(pose_b.toWorld(nearest), pose_b.turn * outward, distance, a.radius, reach, out);
}

}  // namespace drubble::collide
