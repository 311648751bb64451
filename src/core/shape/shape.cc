// SPDX-License-Identifier: Apache-2.0
#include "core/shape/shape.h"

namespace drubble::shape {

Shape sphere(double radius) {
  Shape s;
  s.kind = Kind::Sphere;
  s.radius = s.inner_radius = s.outer_radius = radius;
  s.bounds = {Vec3::Constant(-radius), Vec3::Constant(radius)};
  return s;
}

namespace {

void boundVertices(Shape& s, std::span<const Vec3> vertices) {
  for (const Vec3& v : vertices) {
    s.bounds.add(v);
    s.outer_radius = greatest(s.outer_radius, v.norm());
  }
}

}  // namespace

Shape convex(std::span<const Vec3> points_body) {
  Shape s;
  s.kind = Kind::Convex;
  s.convex = std::make_shared<const Polyhedron>(convexHull(points_body));
  s.inner_radius = s.convex->inner_radius;
  boundVertices(s, s.convex->vertices);
  return s;
}

Shape surface(const mesh::TriangleMesh& m_body) {
  Shape s;
  s.kind = Kind::Mesh;
  auto out = std::make_shared<Surface>();
  out->mesh = mesh::welded(m_body);
  out->tree = mesh::Tree(out->mesh);
  for (std::size_t t = 0; t < out->mesh.triangles.size(); ++t) out->normals.push_back(out->mesh.normal(t));
  out->neighbours = mesh::neighbours(out->mesh);
  boundVertices(s, out->mesh.vertices);
  s.surface = std::move(out);
  return s;
}

Shape plane(const Vec3& normal) {
  Shape s;
  s.kind = Kind::Plane;
  s.plane_normal = normal;
  s.bounds = {Vec3::Constant(-1e9), Vec3::Constant(1e9)};
  for (int k = 0; k < 3; ++k)
    if (normal[k] == 1) s.bounds.high[k] = 0;
  s.outer_radius = 1e9;
  return s;
}

Box boundsAt(const Shape& s, const Pose& pose) {
  Box b;
  if (s.kind == Kind::Sphere) {
    const Vec3 r = Vec3::Constant(s.radius);
    return {pose.position - r, pose.position + r};
  }
  if (s.kind == Kind::Plane) return {s.bounds.low + pose.position, s.bounds.high + pose.position};
  const Mat3 r = pose.turn.toRotationMatrix();
  if (s.kind == Kind::Convex) {
    for (const Vec3& v : s.convex->vertices) b.add(r * v);
  } else {
    const Vec3 middle = r * s.bounds.centre(), half = r.cwiseAbs() * (s.bounds.size() * 0.5);
    b = {middle - half, middle + half};
  }
  return {b.low + pose.position, b.high + pose.position};
}

}  // namespace drubble::shape
