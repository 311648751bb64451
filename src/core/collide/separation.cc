// SPDX-License-Identifier: Apache-2.0
#include "core/collide/separation.h"

#include <cmath>

namespace drubble::collide {

namespace {

using shape::Edge;
using shape::Face;

double leastAlong(std::span<const Vec3> vertices, const Vec3& n) {
  double d = n.dot(vertices[0]);
  for (std::size_t i = 1; i < vertices.size(); ++i) d = least(d, n.dot(vertices[i]));
  return d;
}

// The face of `a` in front of which `b` is farthest. Faces that cannot beat the best so far are passed over: b's
// inner ball bounds what its vertices can reach.
Axis bestFace(const Side& a, const Side& b, AxisKind kind) {
  Axis best;
  for (std::size_t f = 0; f < a.faces.size(); ++f) {
    const Face& face = a.faces[f];
    if (face.normal.dot(b.centre) - face.offset - b.inner_radius <= best.gap) continue;
    const double gap = leastAlong(b.vertices, face.normal) - face.offset;
    if (gap > best.gap) best = {kind, gap, face.normal, f, f};
  }
  return best;
}

// The farthest that `u` reaches along any normal of the edge's arc.
double arcReach(const Edge& e, const Vec3& along, const Vec3& u) {
  const Vec3 w = u - along.dot(u) * along;
  const Vec3 arc = e.left.cross(e.right);
  if (e.left.cross(w).dot(arc) > 0 && w.cross(e.right).dot(arc) > 0) return w.norm();
  return greatest(e.left.dot(u), e.right.dot(u));
}

struct Candidate {
  std::size_t edge;
  Vec3 along;  // unit
  Vec3 arc;    // left x right
};

// Edges of `a` whose arcs hold a normal along which the bodies might overlap less than `gap`.
void candidates(const Side& a, const Side& b, double gap, std::vector<Candidate>& out) {
  out.clear();
  for (std::size_t i = 0; i < a.edges.size(); ++i) {
    const Edge& e = a.edges[i];
    const Vec3 u = b.centre - a.vertices[e.a];
    const Vec3 along = (a.vertices[e.b] - a.vertices[e.a]).normalized();
    if (arcReach(e, along, u) > gap + b.inner_radius) out.push_back({i, along, e.left.cross(e.right)});
  }
}

bool arcsCross(const Edge& a, const Vec3& arc_a, const Edge& b, const Vec3& arc_b) {
  // a's arc from left to right against b's negated one.
  const double cba = b.left.dot(arc_a), dba = b.right.dot(arc_a);
  const double adc = a.left.dot(arc_b), bdc = a.right.dot(arc_b);
  return cba * dba < 0 && adc * bdc < 0 && cba * bdc < 0;
}

Axis bestEdges(const Side& a, const Side& b, double gap) {
  thread_local std::vector<Candidate> from_a, from_b;
  candidates(a, b, gap, from_a);
  candidates(b, a, gap, from_b);
  Axis best;
  best.gap = gap;
  for (const Candidate& ca : from_a) {
    const Edge& ea = a.edges[ca.edge];
    for (const Candidate& cb : from_b) {
      const Edge& eb = b.edges[cb.edge];
      if (!arcsCross(ea, ca.arc, eb, cb.arc)) continue;
      Vec3 n = ca.along.cross(cb.along);
      const double length = n.norm();
      if (length < 1e-4) continue;  // nearly parallel: a face sees them better
      n /= length;
      if (n.dot(a.vertices[ea.a] - a.centre) < 0) n = -n;
      const double d = n.dot(b.vertices[eb.a] - a.vertices[ea.a]);
      if (d > best.gap) best = {AxisKind::Edges, d, n, ca.edge, cb.edge};
    }
  }
  return best;
}

struct ClipPoint {
  Vec3 p = Vec3::Zero();
  std::uint32_t feature = 0;
};

// Cuts off what lies beyond the plane (Sutherland and Hodgman 1974).
void clip(std::vector<ClipPoint>& poly, std::vector<ClipPoint>& spare, const Vec3& n, double offset, std::uint32_t tag) {
  spare.clear();
  for (std::size_t i = 0; i < poly.size(); ++i) {
    const ClipPoint &p = poly[i], &q = poly[(i + 1) % poly.size()];
    const double dp = n.dot(p.p) - offset, dq = n.dot(q.p) - offset;
    if (dp <= 0) spare.push_back(p);
    if ((dp < 0 && dq > 0) || (dp > 0 && dq < 0))
      spare.push_back({p.p + (q.p - p.p) * (dp / (dp - dq)), (p.feature & 0xffff0000u) | tag});
  }
  poly.swap(spare);
}

// The patch against face `ref` of `x`; `n` points away from x.
void facePatch(const Side& x, const Side& y, std::size_t ref, double reach, bool x_is_a, Manifold& out) {
  thread_local std::vector<ClipPoint> poly, spare;
  thread_local std::vector<Point> points;
  const Face& face = x.faces[ref];
  const Face& incident = y.faces[faceAgainst(y, face.normal)];
  poly.clear();
  for (std::uint32_t k = 0; k < incident.count; ++k) {
    const std::uint32_t v = y.loops[incident.first + k];
    poly.push_back({y.vertices[v], (v + 1) << 16});
  }
  for (std::uint32_t k = 0; k < face.count && !poly.empty(); ++k) {
    const std::uint32_t va = x.loops[face.first + k], vb = x.loops[face.first + (k + 1) % face.count];
    const Vec3 side = (x.vertices[vb] - x.vertices[va]).cross(face.normal).normalized();
    clip(poly, spare, side, side.dot(x.vertices[va]), va + 1);
  }
  points.clear();
  for (const ClipPoint& c : poly) {
    const double gap = face.normal.dot(c.p) - face.offset;
    if (gap <= reach) points.push_back({c.p - 0.5 * gap * face.normal, gap, c.feature ^ (x_is_a ? 0u : 0x80000000u)});
  }
  keepFour(points, out);
}

void edgePatch(const Side& a, const Side& b, const Axis& axis, double reach, Manifold& out) {
  const Edge &ea = a.edges[axis.a], &eb = b.edges[axis.b];
  const Vec3 p = a.vertices[ea.a], u = a.vertices[ea.b] - p, q = b.vertices[eb.a], v = b.vertices[eb.b] - q;
  const Vec3 w = p - q;
  const double uu = u.dot(u), uv = u.dot(v), vv = v.dot(v), uw = u.dot(w), vw = v.dot(w);
  const double det = uu * vv - uv * uv;
  const double s = clamped((uv * vw - vv * uw) / det, 0, 1);
  const double t = clamped((uv * s + vw) / vv, 0, 1);
  const Vec3 on_a = p + s * u, on_b = q + t * v;
  const double gap = axis.normal.dot(on_b - on_a);
  out.count = 0;
  if (gap > reach) return;
  const std::uint32_t feature = 0x40000000u | (static_cast<std::uint32_t>(axis.a) << 15 ^ static_cast<std::uint32_t>(axis.b));
  out.points[0] = {0.5 * (on_a + on_b), gap, feature};
  out.count = 1;
}

}  // namespace

std::size_t faceAgainst(const Side& s, const Vec3& n) {
  std::uint32_t lowest = 0;
  double least_along = n.dot(s.vertices[0]);
  for (std::uint32_t i = 1; i < s.vertices.size(); ++i)
    if (const double d = n.dot(s.vertices[i]); d < least_along) least_along = d, lowest = i;
  std::size_t best = 0;
  double least_dot = std::numeric_limits<double>::infinity();
  for (std::size_t f = 0; f < s.faces.size(); ++f) {
    const Face& face = s.faces[f];
    const double d = face.normal.dot(n);
    if (d >= least_dot) continue;
    for (std::uint32_t k = 0; k < face.count; ++k) {
      if (s.loops[face.first + k] != lowest) continue;
      least_dot = d;
      best = f;
      break;
    }
  }
  return best;
}

Axis leastOverlap(const Side& a, const Side& b, double reach, double favour) {
  const Axis face_a = bestFace(a, b, AxisKind::FaceA);
  if (face_a.gap > reach) return {};
  const Axis face_b = bestFace(b, a, AxisKind::FaceB);
  if (face_b.gap > reach) return {};
  Axis best = face_b.gap > face_a.gap + favour ? face_b : face_a;
  const double to_beat = greatest(face_a.gap, face_b.gap) + favour;
  const Axis edges = bestEdges(a, b, to_beat);
  if (edges.kind == AxisKind::Edges) best = edges;
  if (best.gap > reach) return {};
  if (best.kind == AxisKind::FaceB) best.normal = -best.normal;
  return best;
}

void patchFor(const Side& a, const Side& b, const Axis& axis, double reach, Manifold& out) {
  out.normal = axis.normal;
  out.count = 0;
  if (axis.kind == AxisKind::FaceA) facePatch(a, b, axis.a, reach, true, out);
  if (axis.kind == AxisKind::FaceB) {
    out.normal = -axis.normal;  // keepFour looks along the face's own normal
    facePatch(b, a, axis.b, reach, false, out);
    out.normal = axis.normal;
  }
  if (axis.kind == AxisKind::Edges) edgePatch(a, b, axis, reach, out);
}

}  // namespace drubble::collide
