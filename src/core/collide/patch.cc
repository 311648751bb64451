// SPDX-License-Identifier: Apache-2.0
// The patch where two convex bodies touch, once the axis is known.
#include <cmath>
#include <limits>

#include "core/collide/separation.h"

namespace drubble::collide {

using shape::Edge;
using shape::Face;

namespace {

constexpr double kThin = 0.15;  // of the patch's extent
constexpr double kRock = 0.1;   // rad

struct ClipPoint {
  Vec3 p = Vec3::Zero();
  std::uint32_t feature = 0;
};

// What clipping works in; grows to the largest polygon seen.
struct ClipRoom {
  std::vector<ClipPoint> poly, spare;
  std::vector<double> beyond;  // a point: how far
};

// Cuts off what lies beyond the plane (Sutherland and Hodgman 1974).
void clip(ClipRoom& room, const Vec3& n, double offset, std::uint32_t tag) {
  const std::vector<ClipPoint>& poly = room.poly;
  room.beyond.clear();
  bool any = false;
  for (const ClipPoint& c : poly) any |= room.beyond.emplace_back(n.dot(c.p) - offset) > 0;
  if (!any) return;
  room.spare.clear();
  const bool line = poly.size() == 2;
  for (std::size_t i = 0; i < poly.size(); ++i) {
    const std::size_t next = i + 1 == poly.size() ? 0 : i + 1;
    const ClipPoint &p = poly[i], &q = poly[next];
    const double dp = room.beyond[i], dq = room.beyond[next];
    if (dp <= 0) room.spare.push_back(p);
    if (line && i == 1) break;  // the way back is the way there
    if ((dp < 0 && dq > 0) || (dp > 0 && dq < 0))
      room.spare.push_back({p.p + (q.p - p.p) * (dp / (dp - dq)), (p.feature & 0xffff0000u) | tag});
  }
  room.poly.swap(room.spare);
}

// The patch against face `ref` of `x`, in x's frame, with the face's normal.
void facePatch(const Side& x, const Side& y, const Relative& y_to_x, std::size_t ref, double reach,
               std::uint32_t tag, Manifold& out) {
  thread_local ClipRoom room;
  thread_local std::vector<Point> points;
  std::vector<ClipPoint>& poly = room.poly;
  const Face& face = x.faces[ref];
  const Face& incident = y.faces[faceAgainst(y, y_to_x.turn.transpose() * face.normal)];
  poly.clear();
  for (std::uint32_t k = 0; k < incident.count; ++k) {
    const std::uint32_t v = y.loops[incident.first + k];
    poly.push_back({y_to_x.point(y.vertices[v]), (v + 1) << 16});
  }
  for (std::uint32_t k = 0; k < face.count && !poly.empty(); ++k) {
    const std::uint32_t va = x.loops[face.first + k], vb = x.loops[face.first + (k + 1) % face.count];
    const Vec3 side = (x.vertices[vb] - x.vertices[va]).cross(face.normal);
    clip(room, side, side.dot(x.vertices[va]), va + 1);
  }
  points.clear();
  double lowest = std::numeric_limits<double>::infinity();
  Box extent;
  room.beyond.clear();
  for (const ClipPoint& c : poly) {
    lowest = least(lowest, room.beyond.emplace_back(face.normal.dot(c.p) - face.offset));
    extent.add(c.p);
  }
  if (lowest > reach) poly.clear();
  // Something thin that touches here may turn and touch there before the next look.
  const double size = extent.size().norm();
  const double far = reach + (least(x.inner_radius, y.inner_radius) < kThin * size ? kRock * size : 0);
  for (std::size_t k = 0; k < poly.size(); ++k) {
    const double gap = room.beyond[k];
    if (gap <= far) points.push_back({poly[k].p - 0.5 * gap * face.normal, gap, poly[k].feature ^ tag});
  }
  out.normal = face.normal;
  const bool disc = (x.round_ends && face.count > 4) || (y.round_ends && incident.count > 4);
  keepFour(points, out, disc ? Rim::Smooth : Rim::Corners);
}

// Both ends of an edge; a line is its own.
std::array<Vec3, 2> endsOf(const Side& s, std::size_t edge) {
  if (s.line()) return {s.vertices[0], s.vertices[1]};
  const Edge& e = s.edges[edge];
  return {s.vertices[e.a], s.vertices[e.b]};
}

void edgePatch(const Side& a, const Side& b, const Relative& b_to_a, const Axis& axis, double reach,
               Manifold& out) {
  const auto [p, end_a] = endsOf(a, axis.a);
  const auto [of_b, end_b] = endsOf(b, axis.b);
  const Vec3 u = end_a - p, q = b_to_a.point(of_b), v = b_to_a.point(end_b) - q;
  const Vec3 w = p - q;
  const double uu = u.dot(u), uv = u.dot(v), vv = v.dot(v), uw = u.dot(w), vw = v.dot(w);
  const double det = uu * vv - uv * uv;
  const double s = clamped((uv * vw - vv * uw) / det, 0, 1);
  const double t = clamped((uv * s + vw) / vv, 0, 1);
  const Vec3 on_a = p + s * u, on_b = q + t * v;
  const double gap = axis.normal.dot(on_b - on_a);
  out.normal = axis.normal;
  out.count = 0;
  if (gap > reach) return;
  const auto tag = (static_cast<std::uint32_t>(axis.a) << 15) ^ static_cast<std::uint32_t>(axis.b);
  out.points[0] = {0.5 * (on_a + on_b), gap, 0x40000000u | tag};
  out.count = 1;
}

}  // namespace

void patchFor(const Side& a, const Side& b, const Relative& b_to_a, const Axis& axis, double reach,
              Manifold& out) {
  out.count = 0;
  out.face_of = FaceOf::Neither;
  if (axis.kind == AxisKind::FaceA) {
    facePatch(a, b, b_to_a, axis.a, reach, 0, out);
    out.face_of = FaceOf::A;
    out.sub = static_cast<std::uint32_t>(axis.a);
  }
  if (axis.kind == AxisKind::FaceB) {
    out.face_of = FaceOf::B;
    out.sub = static_cast<std::uint32_t>(axis.b);
    facePatch(b, a, b_to_a.inverse(), axis.b, reach, 0x80000000u, out);
    for (Point& p : out.points) p.position = b_to_a.point(p.position);
    out.normal = axis.normal;
  }
  if (axis.kind == AxisKind::Edges) edgePatch(a, b, b_to_a, axis, reach, out);
}

}  // namespace drubble::collide
