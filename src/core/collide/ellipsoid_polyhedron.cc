// SPDX-License-Identifier: Apache-2.0
#include <cmath>

#include "core/collide/ellipsoid.h"
#include "core/mesh/tree.h"

namespace drubble::collide {

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

struct Pair {
  const Vec3& e;
  const Relative& to_p;
  const Side& p;

  Vec3 inEllipsoid(const Vec3& q) const { return to_p.turn.transpose() * (q - to_p.shift); }
  // How far apart they are along `n` (unit, ellipsoid's frame): no more than by the best direction.
  double gapAlong(const Vec3& n) const {
    const Vec3 turned = to_p.turn * n;
    double low = 0;
    lowestVertex(p, turned, low);
    return low - turned.dot(to_p.shift) - e.cwiseProduct(n).norm();
  }
  OnEllipsoid underFace(std::size_t face, double gap) const {
    const Vec3 n = -(to_p.turn.transpose() * p.faces[face].normal);
    return {farthestOnEllipsoid(e, n), n, gap};
  }
};

// The best of `best` and of what each edge and each corner would have, were it alone.
OnEllipsoid bestOfAll(const Pair& pair, OnEllipsoid best) {
  const Side& p = pair.p;
  const auto consider = [&](const OnEllipsoid& on) {
    if (on.distance <= best.distance) return;
    const double gap = pair.gapAlong(on.normal);
    if (gap > best.distance) best = {farthestOnEllipsoid(pair.e, on.normal), on.normal, gap};
  };
  for (const shape::Edge& edge : p.edges)
    consider(
        nearestAcross(pair.e, pair.inEllipsoid(p.vertices[edge.a]), pair.to_p.turn.transpose() * edge.along));
  for (const Vec3& v : p.vertices) consider(nearestOnEllipsoid(pair.e, pair.inEllipsoid(v)));
  return best;
}

void touch(const Pair& pair, const OnEllipsoid& on, double reach, Manifold& out) {
  if (on.distance > reach) return;
  out.normal = pair.to_p.turn * on.normal;
  out.points[0] = {pair.to_p.point(on.point) + 0.5 * on.distance * out.normal, on.distance, 0};
  out.count = 1;
}

}  // namespace

void ellipsoidPolyhedron(const Vec3& e, const Relative& to_p, const Side& p, double reach, Manifold& out) {
  out.count = 0;
  const Pair pair{e, to_p, p};
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
  if (near.on_face) return touch(pair, pair.underFace(near.face, gapOf(near.face)), reach, out);
  OnEllipsoid most = pair.underFace(top, best);
  if (near.any) {
    const auto [v, w] = nearestEdge(p, p.faces[near.face], near.point);
    OnEllipsoid on = nearestOfLine(e, pair.inEllipsoid(v), pair.inEllipsoid(w));
    const double shown = pair.gapAlong(on.normal);
    if (shown > reach) return;
    // No direction shows more than what a point of the other's is outside: this one is the best.
    if (shown > on.distance - kShort * (absolute(on.distance) + 1e-3 * thin))
      return touch(pair, on, reach, out);
    on.distance = shown;
    if (shown > best) most = on;
  }
  touch(pair, bestOfAll(pair, most), reach, out);
}

}  // namespace drubble::collide
