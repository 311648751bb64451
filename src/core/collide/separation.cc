// SPDX-License-Identifier: Apache-2.0
#include "core/collide/separation.h"

#include <cmath>

namespace drubble::collide {

using shape::Edge;
using shape::Face;

Relative relative(const Pose& from, const Pose& to) {
  return {(to.turn.conjugate() * from.turn).toRotationMatrix(), to.toBody(from.position)};
}

std::uint32_t lowestVertex(std::span<const Vec3> vertices, const Vec3& n, double& low) {
  std::uint32_t at = 0;
  low = n.dot(vertices[0]);
  for (std::uint32_t i = 1; i < vertices.size(); ++i)
    if (const double d = n.dot(vertices[i]); d < low) low = d, at = i;
  return at;
}

std::size_t faceAgainst(const Side& s, const Vec3& n) {
  double ignored;
  const std::uint32_t lowest = lowestVertex(s.vertices, n, ignored);
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

namespace {

// The face of `a` in front of which `b` is farthest. Faces that cannot beat the best so far are passed over:
// b's inner ball bounds what its vertices can reach. Stops at the first that separates by more than `reach`.
Axis bestFace(const Side& a, const Side& b, const Relative& b_to_a, AxisKind kind, double reach) {
  Axis best;
  const Vec3 centre = b_to_a.point(b.centre);
  const auto test = [&](std::size_t f) {
    const Face& face = a.faces[f];
    double low;
    lowestVertex(b.vertices, b_to_a.turn.transpose() * face.normal, low);
    const double gap = low + face.normal.dot(b_to_a.shift) - face.offset;
    if (gap > best.gap) best = {kind, gap, face.normal, f, f};
  };
  // The one that looks most at b's centre comes first: it rules out most of the others.
  std::size_t first = 0;
  double highest = -std::numeric_limits<double>::infinity();
  for (std::size_t f = 0; f < a.faces.size(); ++f)
    if (const double h = a.faces[f].normal.dot(centre) - a.faces[f].offset; h > highest)
      highest = h, first = f;
  test(first);
  for (std::size_t f = 0; f < a.faces.size() && best.gap <= reach; ++f)
    if (f != first && a.faces[f].normal.dot(centre) - a.faces[f].offset - b.inner_radius > best.gap) test(f);
  return best;
}

// Whether any normal of the edge's arc reaches farther than `least_reach` along `u`.
bool arcReaches(const Edge& e, const Vec3& u, double least_reach) {
  const double end = greatest(e.left.dot(u), e.right.dot(u));
  if (end > least_reach) return true;
  if (end <= 0 || end * e.widen <= least_reach) return false;
  const Vec3 w = u - e.along.dot(u) * e.along;
  const Vec3 arc = e.left.cross(e.right);
  return e.left.cross(w).dot(arc) > 0 && w.cross(e.right).dot(arc) > 0 && w.norm() > least_reach;
}

// An edge that may hold the least overlap, in a's frame.
struct Candidate {
  std::size_t edge;
  Vec3 start, along, left, right, arc;  // arc: left x right
};

// Edges of `x` whose arcs hold a normal along which the bodies might overlap less than `gap`; `other_centre`
// in x's frame.
void candidates(const Side& x, const Vec3& other_centre, double other_inner, double gap,
                const Relative& x_to_a, std::vector<Candidate>& out) {
  out.clear();
  for (std::size_t i = 0; i < x.edges.size(); ++i) {
    const Edge& e = x.edges[i];
    if (!arcReaches(e, other_centre - x.vertices[e.a], gap + other_inner)) continue;
    const Mat3& r = x_to_a.turn;
    const Vec3 left = r * e.left, right = r * e.right;
    out.push_back({i, x_to_a.point(x.vertices[e.a]), r * e.along, left, right, left.cross(right)});
  }
}

bool arcsCross(const Candidate& a, const Candidate& b) {
  // a's arc from left to right against b's negated one.
  const double cba = b.left.dot(a.arc), dba = b.right.dot(a.arc);
  const double adc = a.left.dot(b.arc), bdc = a.right.dot(b.arc);
  return cba * dba < 0 && adc * bdc < 0 && cba * bdc < 0;
}

Axis bestEdges(const Side& a, const Side& b, const Relative& b_to_a, double gap) {
  thread_local std::vector<Candidate> from_a, from_b;
  Axis best;
  best.gap = gap;
  candidates(a, b_to_a.point(b.centre), b.inner_radius, gap, {}, from_a);
  if (from_a.empty()) return best;
  candidates(b, b_to_a.inverse().point(a.centre), a.inner_radius, gap, b_to_a, from_b);
  for (const Candidate& ca : from_a) {
    for (const Candidate& cb : from_b) {
      if (!arcsCross(ca, cb)) continue;
      Vec3 n = ca.along.cross(cb.along);
      const double length = n.norm();
      if (length < 1e-4) continue;  // nearly parallel: a face sees them better
      n /= length;
      if (n.dot(ca.start - a.centre) < 0) n = -n;
      const double d = n.dot(cb.start - ca.start);
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
void clip(std::vector<ClipPoint>& poly, std::vector<ClipPoint>& spare, const Vec3& n, double offset,
          std::uint32_t tag) {
  spare.clear();
  const bool line = poly.size() == 2;
  for (std::size_t i = 0; i < poly.size(); ++i) {
    const ClipPoint &p = poly[i], &q = poly[(i + 1) % poly.size()];
    const double dp = n.dot(p.p) - offset, dq = n.dot(q.p) - offset;
    if (dp <= 0) spare.push_back(p);
    if (line && i == 1) break;  // the way back is the way there
    if ((dp < 0 && dq > 0) || (dp > 0 && dq < 0))
      spare.push_back({p.p + (q.p - p.p) * (dp / (dp - dq)), (p.feature & 0xffff0000u) | tag});
  }
  poly.swap(spare);
}

// The patch against face `ref` of `x`, in x's frame, with the face's normal.
void facePatch(const Side& x, const Side& y, const Relative& y_to_x, std::size_t ref, double reach,
               std::uint32_t tag, Manifold& out) {
  thread_local std::vector<ClipPoint> poly, spare;
  thread_local std::vector<Point> points;
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
    clip(poly, spare, side, side.dot(x.vertices[va]), va + 1);
  }
  points.clear();
  for (const ClipPoint& c : poly) {
    const double gap = face.normal.dot(c.p) - face.offset;
    if (gap <= reach) points.push_back({c.p - 0.5 * gap * face.normal, gap, c.feature ^ tag});
  }
  out.normal = face.normal;
  keepFour(points, out);
}

void edgePatch(const Side& a, const Side& b, const Relative& b_to_a, const Axis& axis, double reach,
               Manifold& out) {
  const Edge &ea = a.edges[axis.a], &eb = b.edges[axis.b];
  const Vec3 p = a.vertices[ea.a], u = a.vertices[ea.b] - p;
  const Vec3 q = b_to_a.point(b.vertices[eb.a]), v = b_to_a.point(b.vertices[eb.b]) - q;
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

// Whether the line between the centres already shows the bodies apart by more than `reach`.
bool plainlyApart(const Side& a, const Side& b, const Relative& b_to_a, double reach) {
  const Vec3 between = b_to_a.point(b.centre) - a.centre;
  const double distance = between.norm();
  if (distance == 0) return false;
  const Vec3 n = between / distance;
  double low_b, low_a;
  lowestVertex(b.vertices, b_to_a.turn.transpose() * n, low_b);
  lowestVertex(a.vertices, -n, low_a);
  return low_b + n.dot(b_to_a.shift) + low_a > reach;
}

}  // namespace

Axis leastOverlap(const Side& a, const Side& b, const Relative& b_to_a, double reach, double favour) {
  if (plainlyApart(a, b, b_to_a, reach)) return {};
  const Axis face_a = a.line() ? Axis{} : bestFace(a, b, b_to_a, AxisKind::FaceA, reach);
  if (face_a.gap > reach) return {};
  Axis face_b = b.line() ? Axis{} : bestFace(b, a, b_to_a.inverse(), AxisKind::FaceB, reach);
  if (face_b.gap > reach) return {};
  face_b.normal = -(b_to_a.turn * face_b.normal);
  const Axis edges = bestEdges(a, b, b_to_a, greatest(face_a.gap, face_b.gap) + favour);
  if (edges.gap > reach) return {};
  if (edges.kind == AxisKind::Edges) return edges;
  return face_b.gap > face_a.gap + favour ? face_b : face_a;
}

void patchFor(const Side& a, const Side& b, const Relative& b_to_a, const Axis& axis, double reach,
              Manifold& out) {
  out.count = 0;
  if (axis.kind == AxisKind::FaceA) facePatch(a, b, b_to_a, axis.a, reach, 0, out);
  if (axis.kind == AxisKind::FaceB) {
    facePatch(b, a, b_to_a.inverse(), axis.b, reach, 0x80000000u, out);
    for (Point& p : out.points) p.position = b_to_a.point(p.position);
    out.normal = axis.normal;
  }
  if (axis.kind == AxisKind::Edges) edgePatch(a, b, b_to_a, axis, reach, out);
}

}  // namespace drubble::collide
