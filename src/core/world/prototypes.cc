// SPDX-License-Identifier: Apache-2.0
#include "core/world/prototypes.h"

#include <cmath>
#include <cstdint>
#include <limits>
#include <map>

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

namespace {

// A primitive that is felt as what it shows.
Prototype primitive(const std::string& name, shape::Shape s, mesh::TriangleMesh m,
                    const mesh::MassProperties& mass, double density) {
  Prototype p = named(name, std::move(s), std::move(m));
  p.exact_shape = true;
  setMass(p, mass, density);
  return p;
}

}  // namespace

Prototype spherePrototype(const std::string& name, double radius, double density) {
  return primitive(name, shape::sphere(radius), mesh::sphereMesh(radius), mesh::sphereMass(radius), density);
}

Prototype boxPrototype(const std::string& name, const Vec3& full_size, double density) {
  return primitive(name, shape::box(-0.5 * full_size, 0.5 * full_size), mesh::boxMesh(full_size),
                   mesh::boxMass(full_size), density);
}

Prototype ellipsoidPrototype(const std::string& name, const Vec3& half_axes, double density) {
  const shape::Shape s = shape::ellipsoid(half_axes);
  return primitive(name, s, shape::meshOf(s), mesh::ellipsoidMass(half_axes), density);
}

Prototype capsulePrototype(const std::string& name, double radius, double length, const Vec3& axis,
                           double density) {
  return primitive(name, shape::capsule(radius, length, axis), mesh::capsuleMesh(radius, length, axis),
                   mesh::capsuleMass(radius, length, axis), density);
}

Prototype cylinderPrototype(const std::string& name, double radius, double height, const Vec3& axis,
                            double density) {
  return primitive(name, shape::cylinder(radius, height, axis), mesh::cylinderMesh(radius, height, axis),
                   mesh::cylinderMass(radius, height, axis), density);
}

Prototype groundPrototype(const std::string& name, const Vec3& up, double extent) {
  const shape::Shape plane = shape::plane(up);
  Prototype p = named(name, plane, shape::meshOf(plane, extent));
  p.exact_shape = true;
  return p;
}

namespace {

// A shape about the middle of the box rather than the body's origin.
shape::Shape placedAt(shape::Shape s, const Vec3& middle) {
  if (middle.norm() <= 1e-4 * s.outer_radius) return s;
  return shape::joined({{std::move(s), {middle, Quat::Identity()}}});
}

shape::Shape roundFor(ShapeChoice choice, const Box& box) {
  const Vec3 half = 0.5 * box.size();
  if (choice == ShapeChoice::Ellipsoid) return placedAt(shape::ellipsoid(half), box.centre());
  // A capsule lies along the longest side; a cylinder has its round face where two sides are most alike.
  int axis = 0;
  double best = -std::numeric_limits<double>::infinity();
  for (int k = 0; k < 3; ++k) {
    const double merit =
        choice == ShapeChoice::Capsule ? half[k] : -absolute(half[(k + 1) % 3] - half[(k + 2) % 3]);
    if (merit > best * (best > 0 ? 1 + 1e-9 : 1 - 1e-9)) best = merit, axis = k;
  }
  const double radius = 0.5 * (half[(axis + 1) % 3] + half[(axis + 2) % 3]);
  const Vec3 along = Vec3::Unit(axis);
  if (choice == ShapeChoice::Capsule)
    return placedAt(shape::capsule(radius, greatest(2 * (half[axis] - radius), 0), along), box.centre());
  return placedAt(shape::cylinder(radius, 2 * half[axis], along), box.centre());
}

}  // namespace

shape::Shape hullWithin(std::span<const Vec3> points, int most, double& lost) {
  const shape::Shape whole = shape::convex(points);
  lost = 0;
  const std::vector<Vec3>& all = whole.convex->vertices;
  if (all.size() <= static_cast<std::size_t>(most)) return whole;
  std::vector<Vec3> kept;
  std::vector<char> used(all.size(), 0);
  const auto keep = [&](std::size_t i) {
    if (!used[i]) kept.push_back(all[i]);
    used[i] = 1;
  };
  for (const Vec3& d : {vec3(1, 1, 1), vec3(1, -1, -1), vec3(-1, 1, -1), vec3(-1, -1, 1)})
    keep(whole.convex->support(d));
  for (int axis = 0; axis < 3 && kept.size() < static_cast<std::size_t>(most); ++axis) {
    keep(whole.convex->support(Vec3::Unit(axis)));
    if (kept.size() < static_cast<std::size_t>(most)) keep(whole.convex->support(-Vec3::Unit(axis)));
  }
  for (;;) {
    shape::Shape s = shape::convex(kept);
    std::size_t farthest = 0;
    lost = 0;
    for (std::size_t i = 0; i < all.size(); ++i) {
      double out = -std::numeric_limits<double>::infinity();
      for (const shape::Face& f : s.convex->faces) out = greatest(out, f.normal.dot(all[i]) - f.offset);
      if (!used[i] && out > lost) lost = out, farthest = i;
    }
    if (lost == 0 || kept.size() >= static_cast<std::size_t>(most)) return s;
    keep(farthest);
  }
}

std::vector<Vec3> thinned(std::span<const Vec3> points, double apart) {
  std::vector<Vec3> out;
  std::map<std::array<std::int64_t, 3>, std::vector<std::uint32_t>> kept;  // by cubes of that side
  for (const Vec3& p : points) {
    std::array<std::int64_t, 3> at{};
    for (std::size_t k = 0; k < 3; ++k)
      at[k] = static_cast<std::int64_t>(std::floor(p[static_cast<int>(k)] / apart));
    bool near = false;
    for (int n = 0; n < 27 && !near; ++n) {
      const auto found = kept.find({at[0] + n % 3 - 1, at[1] + n / 3 % 3 - 1, at[2] + n / 9 - 1});
      if (found == kept.end()) continue;
      for (const std::uint32_t i : found->second) near = near || (out[i] - p).norm() < apart;
    }
    if (near) continue;
    kept[at].push_back(static_cast<std::uint32_t>(out.size()));
    out.push_back(p);
  }
  return out;
}

shape::Shape shapeFor(ShapeChoice choice, const mesh::TriangleMesh& m, int corners) {
  const Box box = m.bounds();
  switch (choice) {
    case ShapeChoice::Sphere: {
      const double volume = mesh::massProperties(m).volume;
      if (volume > 0) return shape::sphere(cubeRoot(volume * 3 / (4 * kPi)));
      return shape::sphere(0.5 * box.size().maxCoeff());
    }
    case ShapeChoice::Box:
      return shape::box(box.low, box.high);
    case ShapeChoice::Hull: {
      double lost;
      return hullWithin(m.vertices, corners, lost);
    }
    case ShapeChoice::Mesh:
      return shape::surface(m);
    default:
      return roundFor(choice, box);
  }
}

shape::Shape thinnedHull(std::span<const Vec3> points, int most, double& lost) {
  constexpr double kSameCorner = 1e-4;
  Box box;
  for (const Vec3& p : points) box.add(p);
  return hullWithin(thinned(points, kSameCorner * box.size().maxCoeff()), most, lost);
}

shape::Shape partsWithin(const shape::ConvexParts& parts, int most, double& lost) {
  std::vector<shape::Part> out;
  lost = 0;
  for (const shape::ConvexPart& p : parts.parts) {
    double own = 0;
    shape::Shape hull = thinnedHull(p.corners, most, own);
    lost = greatest(lost, own);
    out.push_back({std::move(hull), {}, p.inner});
  }
  if (out.size() == 1) return out[0].shape;
  return shape::joined(std::move(out));
}

Prototype shapedPrototype(const std::string& name, const mesh::TriangleMesh& m, shape::Shape s,
                          const mesh::MassProperties& solid, double density) {
  mesh::TriangleMesh body = m;
  for (Vec3& v : body.vertices) v -= solid.centre;
  Prototype p = named(name, std::move(s), std::move(body));
  setMass(p, solid, density);
  p.origin = -solid.centre;
  const double felt = mesh::massProperties(shape::meshOf(p.shape)).volume;
  p.exact_shape = p.shape.kind == shape::Kind::Convex && absolute(felt - solid.volume) < 1e-6 * solid.volume;
  return p;
}

Prototype meshPrototype(const std::string& name, const mesh::TriangleMesh& m, ShapeChoice choice,
                        double density) {
  const mesh::MassProperties solid = mesh::massProperties(m);
  if (!(solid.volume > 0))
    throw Error(ErrorKind::Input, "the mesh encloses no volume: close it, or turn its faces outward");
  mesh::TriangleMesh body = m;
  for (Vec3& v : body.vertices) v -= solid.centre;
  return shapedPrototype(name, m, shapeFor(choice, body), solid, density);
}

Prototype joinedPrototype(const std::string& name, const std::vector<Prototype>& parts,
                          const std::vector<Pose>& poses) {
  // As a solid of density 1 that weighs what the parts weigh.
  mesh::MassProperties solid;
  double mass = 0, volume = 0;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    mass += parts[k].traits.mass();
    volume += parts[k].volume;
    solid.centre += parts[k].traits.mass() * poses[k].position;
  }
  if (mass > 0) solid.centre /= mass;
  mesh::TriangleMesh whole;
  std::vector<shape::Part> shapes;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    const Mat3 r = poses[k].turn.toRotationMatrix();
    const Vec3 d = poses[k].position - solid.centre;
    solid.inertia += r * parts[k].traits.inertia * r.transpose() +
                     parts[k].traits.mass() * (d.squaredNorm() * Mat3::Identity() - d * d.transpose());
    const Pose pose{d, poses[k].turn};
    mesh::append(whole, mesh::transformed(parts[k].mesh, Vec3::Ones(), pose));
    if (parts[k].shape.kind == shape::Kind::Joined)
      for (const shape::Part& p : *parts[k].shape.parts) shapes.push_back({p.shape, pose * p.pose, p.inner});
    else
      shapes.push_back({parts[k].shape, pose});
  }
  Prototype p = named(name, shape::joined(std::move(shapes)), std::move(whole));
  if (mass > 0) {
    solid.volume = mass;
    setMass(p, solid, 1);
  }
  p.volume = volume;
  p.origin = -solid.centre;
  p.exact_shape = true;
  for (const Prototype& part : parts) p.exact_shape = p.exact_shape && part.exact_shape;
  return p;
}

void setWeight(Prototype& p, double mass) {
  solve::Traits& t = p.traits;
  const double factor = mass * t.inverse_mass;
  t.inverse_mass /= factor;
  t.inertia *= factor;
  t.inverse_inertia /= factor;
  t.moments *= factor;
}

void moveCentre(Prototype& p, const Vec3& centre) {
  for (Vec3& v : p.mesh.vertices) v -= centre;
  const double margin = p.shape.margin;
  if (p.shape.kind == shape::Kind::Joined) {
    std::vector<shape::Part> parts = *p.shape.parts;
    for (shape::Part& part : parts) part.pose.position -= centre;
    p.shape = shape::joined(std::move(parts));
  } else {
    p.shape = shape::joined({{p.shape, {-centre, Quat::Identity()}}});
  }
  p.shape.margin = margin;
  p.origin -= centre;
  solve::Traits& t = p.traits;
  t.inertia += t.mass() * (centre.squaredNorm() * Mat3::Identity() - centre * centre.transpose());
  mesh::MassProperties solid;
  solid.volume = t.mass();
  solid.inertia = t.inertia;
  const double volume = p.volume;
  if (t.mass() > 0) setMass(p, solid, 1);
  p.volume = volume;
}

Prototype surfacePrototype(const std::string& name, const mesh::TriangleMesh& m) {
  Prototype p = named(name, shape::surface(m), m);
  p.exact_shape = true;
  return p;
}

}  // namespace drubble::world
