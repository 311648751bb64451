// SPDX-License-Identifier: Apache-2.0
#include "core/shape/shape.h"

#include <cmath>
#include <tuple>

#include "core/base/trig.h"

namespace drubble::shape {

namespace {

void boundVertices(Shape& s, std::span<const Vec3> vertices) {
  for (const Vec3& v : vertices) {
    s.bounds.add(v);
    s.outer_radius = greatest(s.outer_radius, v.norm());
  }
}

// A body of revolution's box: `along` on its axis, `across` square to it.
Box boxAbout(const Vec3& axis, double along, double across) {
  Vec3 half;
  for (int k = 0; k < 3; ++k)
    half[k] = absolute(axis[k]) * along + across * std::sqrt(greatest(1 - axis[k] * axis[k], 0));
  return {-half, half};
}

// A line as a body of two corners and one flat face, for the pair tests.
Polyhedron coreLine(const Vec3& half) {
  Polyhedron p;
  p.vertices = {-half, half};
  p.faces = {{Vec3::Zero(), 0, 0, 2}};
  p.loops = {0, 1};
  p.outer_radius = half.norm();
  p.prepare();
  return p;
}

// Where a cylinder's prisms have their corners, in degrees.
constexpr double kEvenCorners[] = {0,   15,  30,  45,  60,  75,  90,  105, 120, 135, 150, 165,
                                   180, 195, 210, 225, 240, 255, 270, 285, 300, 315, 330, 345};
constexpr double kFineCorners[] = {0,   0.5, 1,   1.5, 2,   4,   8,   16,  30,  60,  90,    120, 150,
                                   180, 210, 240, 270, 300, 330, 344, 352, 356, 358, 358.5, 359, 359.5};

std::vector<Vec3> prismPoints(std::span<const double> corners_deg, double radius, double half_length,
                              const Vec3& axis) {
  const Vec3 x = anyNormalTo(axis), z = x.cross(axis);
  std::vector<Vec3> points;
  for (const double corner : corners_deg) {
    const SinCos s = sinCos(corner * kDegree);
    const Vec3 rim = radius * (s.cos * x + s.sin * z);
    points.push_back(rim - half_length * axis);
    points.push_back(rim + half_length * axis);
  }
  return points;
}

}  // namespace

Shape sphere(double radius) {
  Shape s;
  s.kind = Kind::Sphere;
  s.radius = s.inner_radius = s.outer_radius = radius;
  s.bounds = {Vec3::Constant(-radius), Vec3::Constant(radius)};
  return s;
}

Shape ellipsoid(const Vec3& half_axes) {
  Shape s;
  s.kind = Kind::Ellipsoid;
  s.half_axes = half_axes;
  s.inner_radius = half_axes.minCoeff();
  s.outer_radius = half_axes.maxCoeff();
  s.bounds = {-half_axes, half_axes};
  return s;
}

Shape capsule(double radius, double length, const Vec3& axis) {
  if (!(length > 0)) return sphere(radius);
  Shape s;
  s.kind = Kind::Capsule;
  s.radius = s.inner_radius = radius;
  s.half_length = 0.5 * length;
  s.axis = axis;
  s.outer_radius = s.half_length + radius;
  s.convex = std::make_shared<const Polyhedron>(coreLine(s.half_length * axis));
  const Vec3 half = axis.cwiseAbs() * s.half_length + Vec3::Constant(radius);
  s.bounds = {-half, half};
  return s;
}

Shape cylinder(double radius, double height, const Vec3& axis) {
  Shape s;
  s.kind = Kind::Cylinder;
  s.radius = radius;
  s.half_length = 0.5 * height;
  s.axis = axis;
  s.inner_radius = least(radius, s.half_length);
  s.outer_radius = std::sqrt(radius * radius + s.half_length * s.half_length);
  s.convex =
      std::make_shared<const Polyhedron>(convexHull(prismPoints(kEvenCorners, radius, s.half_length, axis)));
  s.fine =
      std::make_shared<const Polyhedron>(convexHull(prismPoints(kFineCorners, radius, s.half_length, axis)));
  s.bounds = boxAbout(axis, s.half_length, radius);
  return s;
}

Shape convex(std::span<const Vec3> points_body) {
  Shape s;
  s.kind = Kind::Convex;
  s.convex = std::make_shared<const Polyhedron>(convexHull(points_body));
  s.core = s.convex->centre;
  s.inner_radius = s.convex->inner_radius;
  boundVertices(s, s.convex->vertices);
  return s;
}

Shape box(const Vec3& low, const Vec3& high) {
  std::vector<Vec3> corners;
  for (int i = 0; i < 8; ++i)
    corners.push_back(
        vec3((i & 1) ? high.x() : low.x(), (i & 2) ? high.y() : low.y(), (i & 4) ? high.z() : low.z()));
  return convex(corners);
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

Shape bent(const Shape& s, std::vector<Vec3> vertices_body) {
  Shape out = s;
  auto to = std::make_shared<Surface>(*s.surface);
  to->mesh.vertices = std::move(vertices_body);
  to->tree.refit(to->mesh);
  for (std::size_t t = 0; t < to->normals.size(); ++t) to->normals[t] = to->mesh.normal(t);
  out.bounds = Box{};
  out.outer_radius = 0;
  boundVertices(out, to->mesh.vertices);
  out.surface = std::move(to);
  return out;
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

bool InnerFace::covers(const Vec3& place, double slack) const {
  for (const auto& t : region) {
    bool in = true;
    for (std::size_t k = 0; k < 3 && in; ++k) {
      const Vec3 side = t[(k + 1) % 3] - t[k];
      in = side.cross(place - t[k]).dot(normal) >= -slack * side.norm();
    }
    if (in) return true;
  }
  return false;
}

Shape joined(std::vector<Part> parts) {
  Shape s;
  s.kind = Kind::Joined;
  for (const Part& p : parts) {
    s.bounds.add(boundsAt(p.shape, p.pose));
    s.outer_radius = greatest(s.outer_radius, p.pose.position.norm() + p.shape.outer_radius);
    if (p.shape.inner_radius <= s.inner_radius) continue;
    s.inner_radius = p.shape.inner_radius;
    s.core = p.pose.toWorld(p.shape.core);
  }
  s.parts = std::make_shared<const std::vector<Part>>(std::move(parts));
  return s;
}

Box boundsAt(const Shape& s, const Pose& pose) {
  Box b;
  const Mat3 r = pose.turn.toRotationMatrix();
  switch (s.kind) {
    case Kind::Sphere:
      b = {Vec3::Constant(-s.radius), Vec3::Constant(s.radius)};
      break;
    case Kind::Ellipsoid: {
      Vec3 half;
      for (int k = 0; k < 3; ++k) half[k] = r.row(k).transpose().cwiseProduct(s.half_axes).norm();
      b = {-half, half};
      break;
    }
    case Kind::Capsule: {
      const Vec3 half = (r * s.axis).cwiseAbs() * s.half_length + Vec3::Constant(s.radius);
      b = {-half, half};
      break;
    }
    case Kind::Cylinder:
      b = boxAbout(r * s.axis, s.half_length, s.radius);
      break;
    case Kind::Convex:
      for (int k = 0; k < 3; ++k) {
        const Vec3 axis = r.row(k).transpose();
        std::tie(b.low[k], b.high[k]) = extentAlong(s.convex->corner_blocks, axis);
      }
      break;
    case Kind::Mesh: {
      const Vec3 middle = r * s.bounds.centre(), half = r.cwiseAbs() * (s.bounds.size() * 0.5);
      b = {middle - half, middle + half};
      break;
    }
    case Kind::Plane:
      b = s.bounds;
      break;
    case Kind::Joined:
      for (const Part& p : *s.parts) b.add(boundsAt(p.shape, pose * p.pose));
      return b;
  }
  return {b.low + pose.position, b.high + pose.position};
}

double reachAlong(const Shape& s, const Vec3& d) {
  const double along = absolute(s.axis.dot(d)) * s.half_length;
  switch (s.kind) {
    case Kind::Sphere:
      return s.radius;
    case Kind::Ellipsoid:
      return s.half_axes.cwiseProduct(d).norm();
    case Kind::Capsule:
      return along + s.radius;
    case Kind::Cylinder:
      return along + s.radius * std::sqrt(greatest(1 - s.axis.dot(d) * s.axis.dot(d), 0));
    case Kind::Convex:
      return s.convex->reach(d);
    case Kind::Joined: {
      double most = -std::numeric_limits<double>::infinity();
      for (const Part& p : *s.parts)
        most = greatest(most, p.pose.position.dot(d) + reachAlong(p.shape, p.pose.turn.conjugate() * d));
      return most;
    }
    default: {
      double most = -std::numeric_limits<double>::infinity();
      if (s.surface != nullptr)
        for (const Vec3& v : s.surface->mesh.vertices) most = greatest(most, v.dot(d));
      return most;
    }
  }
}

namespace {

Polyhedron scaledPolyhedron(const Polyhedron& p, double factor) {
  Polyhedron out = p;
  for (Vec3& v : out.vertices) v *= factor;
  for (Face& f : out.faces) f.offset *= factor;
  out.centre *= factor;
  out.inner_radius *= factor;
  out.outer_radius *= factor;
  out.prepare();
  return out;
}

}  // namespace

Shape scaled(const Shape& s, double factor) {
  if (s.kind == Kind::Plane) return s;
  if (s.kind == Kind::Mesh) return surface(mesh::transformed(s.surface->mesh, Vec3::Constant(factor), {}));
  Shape out = s;
  for (double* x : {&out.radius, &out.half_length, &out.inner_radius, &out.outer_radius}) *x *= factor;
  out.half_axes *= factor;
  out.core *= factor;
  out.bounds = {s.bounds.low * factor, s.bounds.high * factor};
  if (s.convex != nullptr)
    out.convex = std::make_shared<const Polyhedron>(scaledPolyhedron(*s.convex, factor));
  if (s.fine != nullptr) out.fine = std::make_shared<const Polyhedron>(scaledPolyhedron(*s.fine, factor));
  if (s.parts != nullptr) {
    std::vector<Part> parts;
    for (const Part& p : *s.parts) {
      parts.push_back({scaled(p.shape, factor), {p.pose.position * factor, p.pose.turn}, p.inner});
      for (InnerFace& face : parts.back().inner) {
        face.offset *= factor;
        for (auto& t : face.region)
          for (Vec3& v : t) v *= factor;
      }
    }
    out.parts = std::make_shared<const std::vector<Part>>(std::move(parts));
  }
  return out;
}

mesh::TriangleMesh meshOf(const Shape& s, double extent) {
  switch (s.kind) {
    case Kind::Sphere:
      return mesh::sphereMesh(s.radius);
    case Kind::Ellipsoid:
      return mesh::transformed(mesh::sphereMesh(1), s.half_axes, {});
    case Kind::Capsule:
      return mesh::capsuleMesh(s.radius, 2 * s.half_length, s.axis);
    case Kind::Cylinder:
      return mesh::cylinderMesh(s.radius, 2 * s.half_length, s.axis);
    case Kind::Convex:
      return meshOf(*s.convex);
    case Kind::Mesh:
      return s.surface->mesh;
    case Kind::Plane: {
      const Vec3 x = anyNormalTo(s.plane_normal) * extent, z = x.cross(s.plane_normal);
      mesh::TriangleMesh square;
      square.vertices = {-x - z, -x + z, x + z, x - z};
      square.triangles = {{0, 1, 2}, {0, 2, 3}};
      if (square.normal(0).dot(s.plane_normal) < 0) square.triangles = {{0, 2, 1}, {0, 3, 2}};
      return square;
    }
    case Kind::Joined: {
      mesh::TriangleMesh out;
      for (const Part& p : *s.parts)
        mesh::append(out, mesh::transformed(meshOf(p.shape), Vec3::Ones(), p.pose));
      return out;
    }
  }
  return {};
}

const char* kindName(Kind k) {
  static constexpr const char* kNames[] = {"sphere", "ellipsoid", "capsule", "cylinder",
                                           "hull",   "mesh",      "ground",  "joined"};
  return kNames[static_cast<std::size_t>(k)];
}

Roundness roundness(const Shape& s, Vec3& axis) {
  axis = s.axis;
  switch (s.kind) {
    case Kind::Sphere:
      return Roundness::Ball;
    case Kind::Capsule:
    case Kind::Cylinder:
      return Roundness::Axis;
    case Kind::Ellipsoid:
      for (int k = 0; k < 3; ++k) {
        const double a = s.half_axes[(k + 1) % 3], b = s.half_axes[(k + 2) % 3];
        if (absolute(a - b) > 1e-6 * s.outer_radius) continue;
        axis = Vec3::Unit(k);
        return absolute(a - s.half_axes[k]) > 1e-6 * s.outer_radius ? Roundness::Axis : Roundness::Ball;
      }
      return Roundness::None;
    default:
      return Roundness::None;
  }
}

}  // namespace drubble::shape
