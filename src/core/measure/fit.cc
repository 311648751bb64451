// SPDX-License-Identifier: Apache-2.0
#include "core/measure/fit.h"

#include "core/base/trig.h"

namespace drubble::measure {

namespace {

bool insideConvex(const shape::Polyhedron& p, const Vec3& x) {
  for (const shape::Face& f : p.faces)
    if (f.normal.dot(x) > f.offset) return false;
  return true;
}

bool insideShape(const shape::Shape& s, const Vec3& x) {
  const double along = s.axis.dot(x), on_line = clamped(along, -s.half_length, s.half_length);
  switch (s.kind) {
    case shape::Kind::Sphere:
      return x.norm() <= s.radius;
    case shape::Kind::Ellipsoid:
      return x.cwiseQuotient(s.half_axes).norm() <= 1;
    case shape::Kind::Capsule:
      return (x - on_line * s.axis).norm() <= s.radius;
    case shape::Kind::Cylinder:
      return absolute(along) <= s.half_length && (x - along * s.axis).norm() <= s.radius;
    case shape::Kind::Convex:
      return insideConvex(*s.convex, x);
    case shape::Kind::Joined:
      for (const shape::Part& p : *s.parts)
        if (insideShape(p.shape, p.pose.toBody(x))) return true;
      return false;
    default:
      return false;
  }
}

}  // namespace

Fit cavityFit(const mesh::TriangleMesh& m, const shape::Shape& s, int samples) {
  const shape::Polyhedron outline = shape::convexHull(m.vertices);
  const mesh::Tree tree(m);
  const Box box = m.bounds();
  const double step = cubeRoot(box.size().prod() / samples);
  double in_outline = 0, empty = 0, filled = 0;
  for (double x = box.low.x() + 0.5 * step; x < box.high.x(); x += step) {
    for (double y = box.low.y() + 0.5 * step; y < box.high.y(); y += step) {
      for (double z = box.low.z() + 0.5 * step; z < box.high.z(); z += step) {
        const Vec3 p = vec3(x, y, z);
        if (!insideConvex(outline, p)) continue;
        ++in_outline;
        if (tree.inside(m, p)) continue;
        ++empty;
        filled += insideShape(s, p);
      }
    }
  }
  if (in_outline == 0) return {};
  return {empty / in_outline, empty > 0 ? filled / empty : 0};
}

}  // namespace drubble::measure
