// SPDX-License-Identifier: Apache-2.0
#include "core/world/prototypes.h"

#include "core/base/error.h"
#include "core/base/trig.h"

namespace drubble::world {

namespace {

Prototype named(const std::string& name, shape::Shape s, mesh::TriangleMesh m) {
  Prototype p;
  p.name = name;
  p.shape = std::move(s);
  p.mesh = std::move(m);
  p.traits.size = p.shape.bounds.size().maxCoeff();
  p.traits.outer_radius = p.shape.outer_radius;
  p.traits.inner_radius = p.shape.inner_radius;
  return p;
}

shape::Shape boxShape(const Vec3& low, const Vec3& high) {
  std::vector<Vec3> corners;
  for (int i = 0; i < 8; ++i)
    corners.push_back(
        vec3((i & 1) ? high.x() : low.x(), (i & 2) ? high.y() : low.y(), (i & 4) ? high.z() : low.z()));
  return shape::convex(corners);
}

}  // namespace

Prototype spherePrototype(const std::string& name, double radius, double density) {
  Prototype p = named(name, shape::sphere(radius), mesh::sphereMesh(radius));
  setMass(p, mesh::sphereMass(radius), density);
  return p;
}

Prototype boxPrototype(const std::string& name, const Vec3& full_size, double density) {
  Prototype p = named(name, boxShape(-0.5 * full_size, 0.5 * full_size), mesh::boxMesh(full_size));
  setMass(p, mesh::boxMass(full_size), density);
  return p;
}

Prototype groundPrototype(const std::string& name, const Vec3& up, double extent) {
  const Vec3 x = anyNormalTo(up) * extent, z = x.cross(up);
  mesh::TriangleMesh square;
  square.vertices = {-x - z, -x + z, x + z, x - z};
  square.triangles = {{0, 1, 2}, {0, 2, 3}};
  if (square.normal(0).dot(up) < 0) square.triangles = {{0, 2, 1}, {0, 3, 2}};
  return named(name, shape::plane(up), square);
}

Prototype meshPrototype(const std::string& name, const mesh::TriangleMesh& m, ShapeChoice choice,
                        double density) {
  const mesh::MassProperties solid = mesh::massProperties(m);
  if (!(solid.volume > 0))
    throw Error(ErrorKind::Input, "the mesh encloses no volume: close it, or turn its faces outward");
  mesh::TriangleMesh body = m;
  for (Vec3& v : body.vertices) v -= solid.centre;
  shape::Shape s;
  if (choice == ShapeChoice::Sphere) s = shape::sphere(cubeRoot(solid.volume * 3 / (4 * kPi)));
  if (choice == ShapeChoice::Box) s = boxShape(body.bounds().low, body.bounds().high);
  if (choice == ShapeChoice::Hull) s = shape::convex(body.vertices);
  if (choice == ShapeChoice::Mesh) s = shape::surface(body);
  Prototype p = named(name, std::move(s), std::move(body));
  setMass(p, solid, density);
  p.origin = -solid.centre;
  return p;
}

Prototype surfacePrototype(const std::string& name, const mesh::TriangleMesh& m) {
  return named(name, shape::surface(m), m);
}

}  // namespace drubble::world
