// SPDX-License-Identifier: Apache-2.0
#include "core/measure/fit.h"

#include <limits>

#include "core/base/trig.h"
#include "core/collide/pairs.h"
#include "core/world/prototypes.h"

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

namespace {

constexpr std::size_t kMostSamples = 4000;

// Corners and middles of triangles; every n-th of a large mesh.
template <class Visit>
void sampleSurface(const mesh::TriangleMesh& m, Visit visit) {
  const std::size_t all = m.vertices.size() + m.triangles.size(), step = 1 + all / kMostSamples;
  for (std::size_t i = 0; i < m.vertices.size(); i += step) visit(m.vertices[i]);
  for (std::size_t t = 0; t < m.triangles.size(); t += step) {
    const mesh::Triangle& c = m.triangles[t];
    visit((m.vertices[c[0]] + m.vertices[c[1]] + m.vertices[c[2]]) / 3);
  }
}

}  // namespace

double distanceOutside(const shape::Shape& s, const Vec3& point) {
  thread_local collide::Manifolds found;
  if (insideShape(s, point)) return 0;
  if (s.kind == shape::Kind::Joined) {  // each alone: as one, nothing is felt where parts were cut apart
    double least_far = std::numeric_limits<double>::infinity();
    for (const shape::Part& p : *s.parts)
      least_far = least(least_far, distanceOutside(p.shape, p.pose.toBody(point)));
    return least_far;
  }
  const double reach = s.outer_radius + point.norm(), ball = 1e-9 * reach;
  found.clear();
  collide::collide(shape::sphere(ball), {point, Quat::Identity()}, s, {}, reach, found);
  double gap = reach;
  for (const collide::Manifold& m : found) gap = least(gap, m.leastGap() + ball + s.margin);
  return greatest(gap, 0);
}

ShapeFit shapeFit(const mesh::TriangleMesh& m, const shape::Shape& s) {
  ShapeFit fit;
  if (s.kind == shape::Kind::Mesh || s.kind == shape::Kind::Plane) return fit;
  const mesh::TriangleMesh felt = shape::meshOf(s);
  const bool closed = mesh::closedness(mesh::welded(m)).closed();
  const mesh::Tree tree(m);
  if (closed)
    fit.volume_ratio = mesh::massProperties(felt).volume / mesh::massProperties(m).volume;
  else
    fit.volume_ratio = 0;
  sampleSurface(felt, [&](const Vec3& p) {
    if (closed && tree.inside(m, p)) return;
    fit.outward = greatest(fit.outward, tree.nearest(m, p).distance);
  });
  sampleSurface(m, [&](const Vec3& p) { fit.inward = greatest(fit.inward, distanceOutside(s, p)); });
  const double rounding = 1e-9 * s.outer_radius;
  for (double* gap : {&fit.outward, &fit.inward}) *gap = *gap > rounding ? *gap : 0;
  return fit;
}

shape::Shape cheapestShape(const mesh::TriangleMesh& m, double tolerance, int corners, double& lost) {
  lost = 0;
  const Box box = m.bounds();
  const double mean = box.size().mean() * 0.5;
  const auto fits = [&](const shape::Shape& s) {
    const ShapeFit f = shapeFit(m, s);
    return f.outward <= tolerance && f.inward <= tolerance;
  };
  if (box.centre().norm() <= 0.1 * tolerance)
    if (shape::Shape s = shape::sphere(mean); fits(s)) return s;
  using Choice = world::ShapeChoice;
  for (const Choice c : {Choice::Box, Choice::Capsule, Choice::Cylinder, Choice::Ellipsoid})
    if (shape::Shape s = world::shapeFor(c, m); fits(s)) return s;
  return world::hullWithin(m.vertices, corners, lost);
}

}  // namespace drubble::measure
