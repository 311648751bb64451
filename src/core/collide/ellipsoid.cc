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

OnEllipsoid nearestAcross(const Vec3& e, const Vec3& q, const Vec3& u) {
  // Along u the ellipsoid is seen as an ellipse, the line as a point.
  const Vec3 along = u.normalized(), x = anyNormalTo(along), y = along.cross(x);
  const Vec3 ex = e.cwiseProduct(x), ey = e.cwiseProduct(y);
  const double xx = ex.squaredNorm(), xy = ex.dot(ey), yy = ey.squaredNorm(), half = 0.5 * (xx - yy);
  const double r = std::sqrt(half * half + xy * xy), great = 0.5 * (xx + yy) + r;
  Vec3 major = half >= 0 ? Vec3((half + r) * x + xy * y) : Vec3(xy * x + (r - half) * y);
  major = r > 0 ? Vec3(major.normalized()) : x;
  const Vec3 minor = along.cross(major);
  const double a = std::sqrt(great), b = std::sqrt((xx * yy - xy * xy) / great);
  const OnEllipsoid seen = nearestOnEllipsoid(vec3(a, b, a), vec3(q.dot(major), q.dot(minor), 0));
  OnEllipsoid out;
  out.normal = seen.normal.x() * major + seen.normal.y() * minor;
  out.point = farthestOnEllipsoid(e, out.normal);
  out.distance = seen.distance;
  return out;
}

OnEllipsoid leastOverlapOfLine(const Vec3& e, const Vec3& p, const Vec3& q) {
  OnEllipsoid best = nearestOfLine(e, p, q);
  if (!(best.distance < 0)) return best;
  const auto gapAlong = [&](const Vec3& n) { return least(n.dot(p), n.dot(q)) - e.cwiseProduct(n).norm(); };
  const double shown = gapAlong(best.normal);
  if (shown > best.distance - kShort * absolute(best.distance)) return best;
  best.distance = shown;
  for (const OnEllipsoid& on :
       {nearestAcross(e, p, q - p), nearestOnEllipsoid(e, p), nearestOnEllipsoid(e, q)}) {
    const double gap = gapAlong(on.normal);
    if (gap > best.distance) best = {farthestOnEllipsoid(e, on.normal), on.normal, gap};
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

Vec3 nearestOnTriangleScaled(const Vec3& e, const std::array<Vec3, 3>& corner, int& feature) {
  const mesh::TrianglePoint q = mesh::nearestOnTriangle(
      Vec3::Zero(), corner[0].cwiseQuotient(e), corner[1].cwiseQuotient(e), corner[2].cwiseQuotient(e));
  feature = q.feature;
  return e.cwiseProduct(q.point);
}

}  // namespace drubble::collide
