// SPDX-License-Identifier: Apache-2.0
// Smooth ellipsoids: nearest points, in the ellipsoid's own frame (centre at the origin, axes along it).
#pragma once
#include "core/collide/separation.h"

namespace drubble::collide {

// The surface point nearest to `q`, the outward normal there, and how far q is outside (negative: inside).
// Newton's method on the secular equation from its left, where it is monotone. Source: Eberly, Distance from
// a point to an ellipse, an ellipsoid (2013); the starting value is ours. Inside and deep, the nearest point
// need not be the only one.
struct OnEllipsoid {
  Vec3 point = Vec3::Zero(), normal = Vec3::UnitY();
  double distance = 0;
};
OnEllipsoid nearestOnEllipsoid(const Vec3& half_axes, const Vec3& q);

// The same for the point of the line from `p` to `q` that is nearest: the distance is convex along it, and
// its slope is the normal's share of the line's direction. False position with the Illinois rule.
OnEllipsoid nearestOfLine(const Vec3& half_axes, const Vec3& p, const Vec3& q);

// What is left of a line through `q` along `u` (any length above 0) if only directions square to it count:
// the direction along which all of it is farthest out, or least deep in. Nearest point of the ellipse that is
// seen along the line.
OnEllipsoid nearestAcross(const Vec3& half_axes, const Vec3& q, const Vec3& u);

// Of a gap: what a direction may show less of it and still be taken for the best.
inline constexpr double kShort = 1e-3;

// As nearestOfLine; but where the line goes in, the direction along which it overlaps least, and by how much:
// that is not the one by which the point that lies deepest would come out, if the line lies deep.
OnEllipsoid leastOverlapOfLine(const Vec3& half_axes, const Vec3& p, const Vec3& q);

// The point of the surface that is farthest along `n` (any length above 0).
Vec3 farthestOnEllipsoid(const Vec3& half_axes, const Vec3& n);

// Of an ellipsoid with matrix `m` (turn * diag(half axes squared) * turn^T) in direction `n` (unit): how far
// it reaches, the point that does, and how that point changes with the direction (symmetric, m).
struct EllipsoidSupport {
  double height;
  Vec3 point;

  Mat3 change(const Mat3& m) const { return (m - point * point.transpose()) / height; }
};
EllipsoidSupport supportOf(const Mat3& m, const Vec3& n);

// The direction along which two ellipsoids are farthest apart or overlap least: Newton's method on the sphere
// of directions, for the gap between the two supporting planes; the matrix of second derivatives is known in
// closed form. Below `reach` (m) the answer is good to rounding; above it only "apart". a's frame.
struct BetweenEllipsoids {
  bool apart = false;
  double gap = 0;
  Vec3 normal = Vec3::UnitY();  // from a to b
  Vec3 middle = Vec3::Zero();   // midway between the nearest points
};
BetweenEllipsoids betweenEllipsoids(const Vec3& half_a, const Vec3& half_b, const Relative& b_to_a,
                                    double reach);

// Ellipsoid against a convex polyhedron, in the polyhedron's frame. count 0 when farther apart than `reach`.
void ellipsoidPolyhedron(const Vec3& half_axes, const Relative& to_polyhedron, const Side& p, double reach,
                         Manifold& out);

// The point of triangle `corner` (ellipsoid's frame) nearest to the centre when the ellipsoid is seen as a
// unit ball; `feature` as in mesh::nearestOnTriangle. Touching shapes touch there.
Vec3 nearestOnTriangleScaled(const Vec3& half_axes, const std::array<Vec3, 3>& corner, int& feature);

}  // namespace drubble::collide
