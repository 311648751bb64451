// SPDX-License-Identifier: Apache-2.0
#include "core/collide/ellipsoid.h"

#include <cmath>

#include "core/mesh/tree.h"

namespace drubble::collide {

namespace {

constexpr int kMostNewton = 40;

}  // namespace

Vec3 farthestOnEllipsoid(const Vec3& e, const Vec3& n) {
  const Vec3 scaled = e.cwiseProduct(n);
  return e.cwiseProduct(scaled) / scaled.norm();
}

OnEllipsoid nearestOnEllipsoid(const Vec3& e, const Vec3& q) {
  const Vec3 e2 = e.cwiseProduct(e);
  // Each term alone is 1 at -e^2 + e |q|: the sum is at least 1 at the greatest of these, left of the root.
  double t = -std::numeric_limits<double>::infinity();
  for (int k = 0; k < 3; ++k) t = greatest(t, -e2[k] + e[k] * absolute(q[k]));
  OnEllipsoid out;
  if (!(t + e2.minCoeff() > 1e-14 * e2.minCoeff())) {  // in the middle: along the shortest axis
    Eigen::Index k = 0;
    e.minCoeff(&k);
    out.normal = Vec3::Unit(k) * (q[k] < 0 ? -1.0 : 1.0);
    out.point = q;
    out.point[k] = e[k] * out.normal[k];
    out.distance = -absolute(out.point[k] - q[k]);
    return out;
  }
  for (int round = 0; round < kMostNewton; ++round) {
    double f = -1, slope = 0;
    for (int k = 0; k < 3; ++k) {
      const double r = e[k] * q[k] / (t + e2[k]);
      f += r * r;
      slope -= 2 * r * r / (t + e2[k]);
    }
    if (!(f > 1e-15) || slope == 0) break;
    const double next = t - f / slope;
    if (!(next > t)) break;
    t = next;
  }
  Vec3 n;
  for (int k = 0; k < 3; ++k) n[k] = q[k] / (t + e2[k]);
  out.point = e2.cwiseProduct(n);
  out.normal = n.normalized();
  out.distance = out.normal.dot(q - out.point);
  return out;
}

OnEllipsoid nearestOfLine(const Vec3& e, const Vec3& p, const Vec3& q) {
  const Vec3 u = q - p;
  const double length = u.norm();
  if (!(length > 0)) return nearestOnEllipsoid(e, p);
  OnEllipsoid best = nearestOnEllipsoid(e, p);
  double low = 0, high = 1, slope_low = best.normal.dot(u) / length;
  if (slope_low >= 0) return best;
  best = nearestOnEllipsoid(e, q);
  double slope_high = best.normal.dot(u) / length;
  if (slope_high <= 0) return best;
  int last = 0;
  for (int round = 0; round < 60 && high - low > 1e-14; ++round) {
    const double where = (low * slope_high - high * slope_low) / (slope_high - slope_low);
    best = nearestOnEllipsoid(e, p + where * u);
    const double slope = best.normal.dot(u) / length;
    if (absolute(slope) < 1e-10) break;
    if (slope < 0) {
      low = where, slope_low = slope;
      if (last == -1) slope_high *= 0.5;
      last = -1;
    } else {
      high = where, slope_high = slope;
      if (last == 1) slope_low *= 0.5;
      last = 1;
    }
  }
  return best;
}

EllipsoidSupport supportOf(const Mat3& m, const Vec3& n) {
  const Vec3 mn = m * n;
  const double h = std::sqrt(n.dot(mn));
  return {h, mn / h};
}

namespace {

// The Newton step on the sphere at n; falls back on climbing where the gap is no hill.
Vec3 step(const Vec3& n, const Vec3& slope, const Mat3& change, double gap) {
  const Vec3 x = anyNormalTo(n), y = n.cross(x);
  const double gx = slope.dot(x), gy = slope.dot(y);
  double xx = x.dot(change * x), xy = x.dot(change * y), yy = y.dot(change * y);
  const double floor = 0.05 * (xx + yy);
  if ((xx + gap) * (yy + gap) - xy * xy > floor * floor && xx + gap > 0) xx += gap, yy += gap;
  const double det = xx * yy - xy * xy;
  Vec3 d = ((yy * gx - xy * gy) * x + (xx * gy - xy * gx) * y) / det;
  const double length = d.norm();
  return length > 0.5 ? Vec3(d * (0.5 / length)) : d;
}

}  // namespace

BetweenEllipsoids betweenEllipsoids(const Vec3& half_a, const Vec3& half_b, const Relative& b_to_a,
                                    double reach) {
  const Mat3 ma = half_a.cwiseProduct(half_a).asDiagonal();
  const Mat3 mb = b_to_a.turn * half_b.cwiseProduct(half_b).asDiagonal() * b_to_a.turn.transpose();
  const Vec3 d = b_to_a.shift;
  const double size = half_a.maxCoeff() + half_b.maxCoeff();
  BetweenEllipsoids out;
  // Two ellipsoids' sum is nearly one whose matrix is the sum: its normal in the direction of d.
  Vec3 n = (ma + mb).inverse() * d;
  n = n.squaredNorm() > 0 ? Vec3(n.normalized()) : Vec3(Vec3::UnitY());
  EllipsoidSupport a = supportOf(ma, n), b = supportOf(mb, n);
  double gap = n.dot(d) - a.height - b.height;
  for (int round = 0; round < kMostNewton; ++round) {
    if (gap > reach) {
      out.apart = true;
      return out;
    }
    const Vec3 away = d - a.point - b.point, slope = away - gap * n;
    if (slope.squaredNorm() < 1e-22 * size * size) break;
    Vec3 move = step(n, slope, a.change(ma) + b.change(mb), gap);
    bool better = false;
    for (int half = 0; half < 8 && !better; ++half, move *= 0.5) {
      const Vec3 m = (n + move).normalized();
      const EllipsoidSupport sa = supportOf(ma, m), sb = supportOf(mb, m);
      const double g = m.dot(d) - sa.height - sb.height;
      if (!(g > gap)) continue;
      better = true;
      n = m, a = sa, b = sb, gap = g;
    }
    if (!better) break;
  }
  out.gap = gap;
  out.normal = n;
  out.middle = 0.5 * (a.point + d - b.point);
  return out;
}

namespace {

// Whether `q`, in the plane of the face, lies within it.
bool withinFace(const Side& p, const shape::Face& f, const Vec3& q) {
  for (std::uint32_t k = 0; k < f.count; ++k) {
    const Vec3 &a = p.vertices[p.loops[f.first + k]], &b = p.vertices[p.loops[f.first + (k + 1) % f.count]];
    if ((b - a).cross(f.normal).dot(q - a) > 0) return false;
  }
  return true;
}

struct NearestScaled {
  Vec3 point = Vec3::Zero();  // polyhedron's frame
  std::size_t face = 0;
  bool on_face = false;  // within it, not on its rim
  bool any = false;
};

// The point of the polyhedron nearest to the ellipsoid's centre, both seen with the ellipsoid as a unit ball;
// only faces that the centre is in front of are looked at.
NearestScaled nearestScaled(const Vec3& e, const Relative& to_p, const Side& p) {
  const Vec3 c = to_p.shift;
  const Mat3 scale = e.cwiseInverse().asDiagonal() * to_p.turn.transpose();
  NearestScaled out;
  double best = std::numeric_limits<double>::infinity();
  for (std::size_t index = 0; index < p.faces.size(); ++index) {
    const shape::Face& f = p.faces[index];
    const double height = f.normal.dot(c) - f.offset;
    if (height <= 0) continue;
    const Vec3 n = to_p.turn.transpose() * f.normal;
    const double share = height / e.cwiseProduct(n).norm();
    if (share * share >= best) continue;
    if (const Vec3 q = c - to_p.turn * (share * farthestOnEllipsoid(e, n)); withinFace(p, f, q))
      return {q, index, true, true};
    const Vec3 a0 = scale * (p.vertices[p.loops[f.first]] - c);
    for (std::uint32_t k = 1; k + 1 < f.count; ++k) {
      const Vec3 b0 = scale * (p.vertices[p.loops[f.first + k]] - c),
                 c0 = scale * (p.vertices[p.loops[f.first + k + 1]] - c);
      const Vec3 q = mesh::nearestOnTriangle(Vec3::Zero(), a0, b0, c0).point;
      if (q.squaredNorm() >= best) continue;
      best = q.squaredNorm();
      out = {c + to_p.turn * e.cwiseProduct(q), index, false, true};
    }
  }
  return out;
}

// The ends of the face's edge nearest to q.
std::pair<Vec3, Vec3> nearestEdge(const Side& p, const shape::Face& f, const Vec3& q) {
  double best = std::numeric_limits<double>::infinity();
  std::pair<Vec3, Vec3> out;
  for (std::uint32_t k = 0; k < f.count; ++k) {
    const Vec3 &a = p.vertices[p.loops[f.first + k]], &b = p.vertices[p.loops[f.first + (k + 1) % f.count]];
    const Vec3 u = b - a;
    const double d = (a + u * clamped(u.dot(q - a) / u.squaredNorm(), 0, 1) - q).squaredNorm();
    if (d < best) best = d, out = {a, b};
  }
  return out;
}

void faceTouch(const Vec3& e, const Relative& to_p, const Side& p, std::size_t face, double gap,
               Manifold& out) {
  const Vec3& n = p.faces[face].normal;
  const Vec3 under = to_p.shift - to_p.turn * farthestOnEllipsoid(e, to_p.turn.transpose() * n);
  out.normal = -n;
  out.points[0] = {under - 0.5 * gap * n, gap, 0};
  out.count = 1;
}

}  // namespace

void ellipsoidPolyhedron(const Vec3& e, const Relative& to_p, const Side& p, double reach, Manifold& out) {
  out.count = 0;
  const Vec3 c = to_p.shift;
  const double thin = e.minCoeff();
  const auto gapOf = [&](std::size_t f) {
    return p.faces[f].normal.dot(c) - p.faces[f].offset -
           e.cwiseProduct(to_p.turn.transpose() * p.faces[f].normal).norm();
  };
  double best = -std::numeric_limits<double>::infinity();
  std::size_t top = 0;
  for (std::size_t f = 0; f < p.faces.size(); ++f) {
    if (p.faces[f].normal.dot(c) - p.faces[f].offset - thin <= best) continue;
    const double gap = gapOf(f);
    if (gap > reach) return;
    if (gap > best) best = gap, top = f;
  }
  const NearestScaled near = nearestScaled(e, to_p, p);
  if (!near.any) return faceTouch(e, to_p, p, top, best, out);  // the centre is inside
  if (near.on_face) return faceTouch(e, to_p, p, near.face, gapOf(near.face), out);
  const auto [v, w] = nearestEdge(p, p.faces[near.face], near.point);
  const auto inEllipsoid = [&](const Vec3& q) { return Vec3(to_p.turn.transpose() * (q - c)); };
  const OnEllipsoid on = nearestOfLine(e, inEllipsoid(v), inEllipsoid(w));
  // Where a face sees more of a gap the overlap is too deep for edges.
  if (on.distance < best) return faceTouch(e, to_p, p, top, best, out);
  if (on.distance > reach) return;
  out.normal = to_p.turn * on.normal;
  out.points[0] = {c + to_p.turn * on.point + 0.5 * on.distance * out.normal, on.distance, 0};
  out.count = 1;
}

Vec3 nearestOnTriangleScaled(const Vec3& e, const std::array<Vec3, 3>& corner, int& feature) {
  const mesh::TrianglePoint q = mesh::nearestOnTriangle(
      Vec3::Zero(), corner[0].cwiseQuotient(e), corner[1].cwiseQuotient(e), corner[2].cwiseQuotient(e));
  feature = q.feature;
  return e.cwiseProduct(q.point);
}

}  // namespace drubble::collide
