// SPDX-License-Identifier: Apache-2.0
// Collision shapes: what a piece is felt as. Body space: origin at the centre of mass, axes of the mesh.
#pragma once
#include <array>
#include <memory>
#include <vector>

#include "core/mesh/tree.h"
#include "core/shape/hull.h"

namespace drubble::shape {

enum class Kind { Sphere, Ellipsoid, Capsule, Cylinder, Convex, Mesh, Plane, Joined };

// The triangles of a static or driven body, with what the inner-edge rule needs. Body space.
struct Surface {
  mesh::TriangleMesh mesh;
  mesh::Tree tree;
  std::vector<Vec3> normals;                             // per triangle
  std::vector<std::array<std::uint32_t, 3>> neighbours;  // per triangle and edge
};

struct Part;

// Immutable once made; shared by all pieces of a prototype.
struct Shape {
  Kind kind = Kind::Sphere;
  double radius = 0;                               // Sphere, Capsule, Cylinder
  double half_length = 0;                          // Capsule (to the end balls' centres), Cylinder
  Vec3 axis = Vec3::UnitY();                       // Capsule, Cylinder: unit
  Vec3 half_axes = Vec3::Zero();                   // Ellipsoid, along the body's axes
  std::shared_ptr<const Polyhedron> convex;        // Convex; Cylinder: its prism; Capsule: its core line
  std::shared_ptr<const Polyhedron> fine;          // Cylinder: a prism with its corners close together at one
  std::shared_ptr<const Surface> surface;          // Mesh
  std::shared_ptr<const std::vector<Part>> parts;  // Joined
  Vec3 plane_normal = Vec3::UnitY();               // Plane: solid below normal . x = 0
  Box bounds;                                      // body space
  Vec3 core = Vec3::Zero();                        // centre of a large ball inside, body space
  double inner_radius = 0;                         // of that ball; 0 for Mesh, Plane
  double outer_radius = 0;                         // from the body's origin to its farthest point
  double margin = 0;                               // skin around it, felt but not counted as overlap
};

// Where a part was cut from others of its body: nothing touches it there.
struct InnerFace {
  Vec3 normal = Vec3::Zero();  // outward; normal . x = offset
  double offset = 0;
  std::vector<std::array<Vec3, 3>> region;  // triangles of the plane, none of them a needle

  // Whether a place is over the region, to within `slack`, wherever along the normal.
  bool covers(const Vec3& place, double slack) const;
};

// One of several shapes in one body.
struct Part {
  Shape shape;
  Pose pose;                          // part to body
  std::vector<InnerFace> inner = {};  // the part's own space
};

Shape sphere(double radius);
// At least one half axis above 0.
Shape ellipsoid(const Vec3& half_axes);
// `length`: between the centres of its end balls, along `axis` (unit). 0 gives a sphere.
Shape capsule(double radius, double length, const Vec3& axis);
// Smooth side. The pair tests see a prism, turned about its axis so that one of its corners lies where the
// side touches: exact there. Where the place hangs on the prism itself, they see the fine one, whose corners
// lie half a degree apart around the first: 1e-5 of the radius off.
Shape cylinder(double radius, double height, const Vec3& axis);
Shape convex(std::span<const Vec3> points_body);
Shape box(const Vec3& low, const Vec3& high);
Shape surface(const mesh::TriangleMesh& m_body);
// The same triangles with their vertices elsewhere, given in the order of s.surface->mesh. Cost: linear.
Shape bent(const Shape& s, std::vector<Vec3> vertices_body);
Shape plane(const Vec3& normal);
// Parts may overlap one another; none of them a plane or joined itself.
Shape joined(std::vector<Part> parts);

// World bounds of `s` at `pose`, without its margin; tight but for meshes. A plane's are those of the half
// space.
Box boundsAt(const Shape& s, const Pose& pose);

// How far the shape reaches from the body's origin along `direction` (unit, body space). Not for planes.
double reachAlong(const Shape& s, const Vec3& direction);

// The same shape, `factor` times as large; what is costly to make is made anew in linear time.
Shape scaled(const Shape& s, double factor);

// A closed mesh of it (for a plane, a square of `extent`), for pictures and measures. Body space.
mesh::TriangleMesh meshOf(const Shape& s, double extent = 1);

// "sphere", "ellipsoid" and so on.
const char* kindName(Kind k);

// Round about its axis, so that where it touches does not turn with it when it rolls.
enum class Roundness { None, Axis, Ball };
Roundness roundness(const Shape& s, Vec3& axis);

}  // namespace drubble::shape
