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

}  // namespace

Prototype spherePrototype(const std::string& name, double radius, double density) {
  Prototype p = named(name, shape::sphere(radius), mesh::sphereMesh(radius));
  p.exact_shape = true;
  setMass(p, mesh::sphereMass(radius), density);
  return p;
}

Prototype boxPrototype(const std::string& name, const Vec3& full_size, double density) {
  Prototype p = named(name, shape::box(-0.5 * full_size, 0.5 * full_size), mesh::boxMesh(full_size));
  p.exact_shape = true;
  setMass(p, mesh::boxMass(full_size), density);
  return p;
}

Prototype ellipsoidPrototype(const std::string& name, const Vec3& half_axes, double density) {
  shape::Shape s = shape::ellipsoid(half_axes);
  mesh::TriangleMesh m = shape::meshOf(s);
  Prototype p = named(name, std::move(s), std::move(m));
  p.exact_shape = true;
  setMass(p, mesh::ellipsoidMass(half_axes), density);
  return p;
}

Prototype capsulePrototype(const std::string& name, double radius, double length, const Vec3& axis,
                           double density) {
  Prototype p = named(name, shape::capsule(radius, length, axis), mesh::capsuleMesh(radius, length, axis));
  p.exact_shape = true;
  setMass(p, mesh::capsuleMass(radius, length, axis), density);
  return p;
}

Prototype cylinderPrototype(const std::string& name, double radius, double height, const Vec3& axis,
                            double density) {
  Prototype p = named(name, shape::cylinder(radius, height, axis), mesh::cylinderMesh(radius, height, axis));
  p.exact_shape = true;
  setMass(p, mesh::cylinderMass(radius, height, axis), density);
  return p;
}

Prototype groundPrototype(const std::string& name, const Vec3& up, double extent) {
  const shape::Shape plane = shape::plane(up);
  Prototype p = named(name, plane, shape::meshOf(plane, extent));
  p.exact_shape = true;
  return p;
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
  if (choice == ShapeChoice::Box) s = shape::box(body.bounds().low, body.bounds().high);
  if (choice == ShapeChoice::Hull) s = shape::convex(body.vertices);
  if (choice == ShapeChoice::Mesh) s = shape::surface(body);
  Prototype p = named(name, std::move(s), std::move(body));
  setMass(p, solid, density);
  p.origin = -solid.centre;
  const double felt = mesh::massProperties(shape::meshOf(p.shape)).volume;
  p.exact_shape = choice != ShapeChoice::Sphere && absolute(felt - solid.volume) < 1e-6 * solid.volume;
  return p;
}

Prototype surfacePrototype(const std::string& name, const mesh::TriangleMesh& m) {
  Prototype p = named(name, shape::surface(m), m);
  p.exact_shape = true;
  return p;
}

}  // namespace drubble::world
