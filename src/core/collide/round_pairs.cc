// SPDX-License-Identifier: Apache-2.0
// Ellipsoids, capsules, cylinders and hulls against each other and the plane.
#include <cmath>

#include "core/collide/ellipsoid.h"
#include "core/collide/hullish.h"
#include "core/collide/pairs.h"

namespace drubble::collide {

using shape::Shape;

namespace {

constexpr double kParallel = 1e-2;  // sine: lines that meet at less touch along their length

void toWorld(const Pose& pose, Manifold& m) {
  m.normal = pose.turn * m.normal;
  for (Point& p : m.points) p.position = pose.toWorld(p.position);
}

}  // namespace

void ellipsoidPlane(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                    Manifolds& out) {
  const Vec3 up = pose_b.turn * b.plane_normal;
  const Vec3 lowest = pose_a.toWorld(-farthestOnEllipsoid(a.half_axes, pose_a.turn.conjugate() * up));
  const double gap = up.dot(lowest - pose_b.position);
  if (gap <= reach) addSingle(lowest - 0.5 * gap * up, -up, gap, 0, out);
}

void ellipsoidEllipsoid(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                        Manifolds& out) {
  const Relative b_to_a = relative(pose_b, pose_a);
  if (b_to_a.shift.norm() > a.outer_radius + b.outer_radius + reach) return;
  const BetweenEllipsoids found = betweenEllipsoids(a.half_axes, b.half_axes, b_to_a, reach);
  if (!found.apart) addSingle(pose_a.toWorld(found.middle), pose_a.turn * found.normal, found.gap, 0, out);
}

void ellipsoidCapsule(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                      Manifolds& out) {
  const Relative to_a = relative(pose_b, pose_a);
  if (to_a.shift.norm() > a.outer_radius + b.outer_radius + reach) return;
  const Vec3 half = to_a.turn * (b.half_length * b.axis);
  const OnEllipsoid on = leastOverlapOfLine(a.half_axes, to_a.shift - half, to_a.shift + half);
  const double gap = on.distance - b.radius;
  if (gap > reach) return;
  addSingle(pose_a.toWorld(on.point + 0.5 * gap * on.normal), pose_a.turn * on.normal, gap, 0, out);
}

void ellipsoidHullish(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                      Manifolds& out) {
  const Hullish h = hullishOf(b);
  const Relative to_b = relative(pose_a, pose_b);
  if ((to_b.shift - h.side.centre).norm() > a.outer_radius + b.convex->outer_radius + reach) return;
  Manifold m, best;
  Vec3 toward = to_b.shift;  // from the hull to where the ellipsoid touches it
  for (int k = 0; k < 6; ++k) {
    const Mat3 turn = turnToward(h, toward);
    ellipsoidPolyhedron(a.half_axes, {turn.transpose() * to_b.turn, turn.transpose() * to_b.shift},
                        k == 0 ? h.side : h.fine, reach, m);
    if (m.count == 0) break;
    m.normal = turn * m.normal;
    m.points[0].position = turn * m.points[0].position;
    const bool nearer = k < 2 || m.leastGap() < best.leastGap();
    if (nearer) best = m;
    if (!h.turns || !nearer) break;
    toward = m.points[0].position - 0.5 * m.points[0].gap * m.normal;
  }
  if (best.count == 0) return;
  m = best;
  toWorld(pose_b, m);
  out.push_back(m);
}

void capsulePlane(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                  Manifolds& out) {
  const Vec3 up = pose_b.turn * b.plane_normal;
  Manifold m;
  m.normal = -up;
  for (std::uint32_t end = 0; end < 2; ++end) {
    const Vec3 centre = pose_a.toWorld(a.convex->vertices[end]);
    const double gap = up.dot(centre - pose_b.position) - a.radius;
    if (gap <= reach)
      m.points[static_cast<std::size_t>(m.count++)] = {centre - (a.radius + 0.5 * gap) * up, gap, end};
  }
  if (m.count > 0) out.push_back(m);
}

namespace {

// The points of two lines (a + s u, b + t v; s, t in [-1, 1]) nearest to each other. Ericson, Real-Time
// Collision Detection (2005), 5.1.9.
std::pair<double, double> nearestOfLines(const Vec3& a, const Vec3& u, const Vec3& b, const Vec3& v) {
  const Vec3 w = a - b;
  const double uu = u.dot(u), uv = u.dot(v), vv = v.dot(v), uw = u.dot(w), vw = v.dot(w);
  const double det = uu * vv - uv * uv;
  double s = det > 1e-12 * uu * vv ? clamped((uv * vw - vv * uw) / det, -1, 1) : 0;
  const double t = clamped((uv * s + vw) / vv, -1, 1);
  s = clamped((uv * t - uw) / uu, -1, 1);
  return {s, t};
}

// Two lines side by side touch at both ends of the stretch that they share.
bool sideBySide(const Vec3& a, const Vec3& u, const Vec3& b, const Vec3& v, std::array<double, 2>& along) {
  const double uu = u.dot(u);
  if (u.cross(v).squaredNorm() > kParallel * kParallel * uu * v.dot(v)) return false;
  const double middle = u.dot(b - a) / uu, half = absolute(u.dot(v)) / uu;
  along = {greatest(-1, middle - half), least(1, middle + half)};
  return along[1] > along[0];
}

}  // namespace

void capsuleCapsule(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                    Manifolds& out) {
  const Vec3 u = pose_a.turn * (a.half_length * a.axis), v = pose_b.turn * (b.half_length * b.axis);
  const auto [s, t] = nearestOfLines(pose_a.position, u, pose_b.position, v);
  const Vec3 between = pose_b.position + t * v - pose_a.position - s * u;
  const double distance = between.norm();
  if (distance > a.radius + b.radius + reach) return;
  const Vec3 square = u.cross(v);
  Manifold m;
  m.normal = distance > 0               ? Vec3(between / distance)
             : square.squaredNorm() > 0 ? Vec3(square.normalized())
                                        : anyNormalTo(u.normalized());
  const auto add = [&](double on_a, double on_b, std::uint32_t feature) {
    const Vec3 p = pose_a.position + on_a * u, q = pose_b.position + on_b * v;
    const double gap = m.normal.dot(q - p) - a.radius - b.radius;
    if (gap <= reach)
      m.points[static_cast<std::size_t>(m.count++)] = {p + (a.radius + 0.5 * gap) * m.normal, gap, feature};
  };
  std::array<double, 2> along;
  if (sideBySide(pose_a.position, u, pose_b.position, v, along)) {
    for (std::uint32_t k = 0; k < 2; ++k) {
      const Vec3 p = pose_a.position + along[k] * u;
      add(along[k], clamped(v.dot(p - pose_b.position) / v.squaredNorm(), -1, 1), 1 + k);
    }
  } else {
    add(s, t, 0);
  }
  if (m.count > 0) out.push_back(m);
}

void hullishPlane(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                  Manifolds& out) {
  thread_local std::vector<Point> points;
  const Vec3 up = pose_b.turn * b.plane_normal;
  const Hullish h = hullishOf(a);
  const Mat3 turn = pose_a.turn.toRotationMatrix() * turnToward(h, -(pose_a.turn.conjugate() * up));
  const shape::Face& face = h.side.faces[faceAgainst(h.side, turn.transpose() * up)];
  points.clear();
  for (std::uint32_t k = 0; k < face.count; ++k) {
    const std::uint32_t v = h.side.loops[face.first + k];
    const Vec3 at = pose_a.position + turn * h.side.vertices[v];
    const double gap = up.dot(at - pose_b.position);
    if (gap <= reach) points.push_back({at - 0.5 * gap * up, gap, v});
  }
  if (points.empty()) return;
  Manifold m;
  m.normal = -up;
  if (a.kind == shape::Kind::Convex) m.face_of = FaceOf::B;
  keepFour(points, m);
  out.push_back(m);
}

void hullishHullish(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                    Manifolds& out) {
  const Hullish ha = hullishOf(a), hb = hullishOf(b);
  const Relative b_to_a = relative(pose_b, pose_a);
  const double apart = (b_to_a.point(hb.side.centre) - ha.side.centre).norm();
  if (apart > a.convex->outer_radius + ha.skin + b.convex->outer_radius + hb.skin + reach) return;
  Manifold m;
  hullishPatch(ha, hb, b_to_a, reach, 1e-4 * least(a.inner_radius, b.inner_radius), m);
  if (m.count == 0 && m.normal.isZero(0)) return;
  if (a.kind != shape::Kind::Convex || b.kind != shape::Kind::Convex) m.face_of = FaceOf::Neither;
  toWorld(pose_a, m);
  out.push_back(m);
}

bool clipAgain(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
               Manifold& m) {
  if (a.kind != shape::Kind::Convex || b.kind != shape::Kind::Convex || m.face_of == FaceOf::Neither)
    return false;
  const Side side_a = sideOf(*a.convex), side_b = sideOf(*b.convex);
  Axis axis;
  axis.kind = m.face_of == FaceOf::A ? AxisKind::FaceA : AxisKind::FaceB;
  axis.a = axis.b = m.sub;
  const Relative b_to_a = relative(pose_b, pose_a);
  if (m.face_of == FaceOf::B) axis.normal = -(b_to_a.turn * side_b.faces[m.sub].normal);
  const double margin = a.margin + b.margin;
  patchFor(side_a, side_b, b_to_a, axis, reach + margin, m);
  if (!broadTouch(side_a, side_b, m)) return false;
  for (Point& p : m.points) p.gap -= margin;
  toWorld(pose_a, m);
  return true;
}

}  // namespace drubble::collide
