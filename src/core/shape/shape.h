// SPDX-License-Identifier: Apache-2.0
// Collision shapes: what a piece is felt as. Body space: origin at the centre of mass, axes of the mesh.
#pragma once
#include <memory>

#include "core/mesh/tree.h"
#include "core/shape/hull.h"

namespace drubble::shape {

enum class Kind { Sphere, Convex, Mesh, Plane };

// The triangles of a static body, with what the inner-edge rule needs. Body space.
struct Surface {
  mesh::TriangleMesh mesh;
  mesh::Tree tree;
  std::vector<Vec3> normals;                             // per triangle
  std::vector<std::array<std::uint32_t, 3>> neighbours;  // per triangle and edge
};

// Immutable once made; shared by all pieces of a prototype.
struct Shape {
  Kind kind = Kind::Sphere;
  double radius = 0;                         // Sphere
  std::shared_ptr<const Polyhedron> convex;  // Convex
  std::shared_ptr<const Surface> surface;    // Mesh
  Vec3 plane_normal = Vec3::UnitY();         // Plane: solid below normal . x = 0
  Box bounds;                                // body space
  double inner_radius = 0;  // of the largest ball about the centre that fits in; 0 for Mesh, Plane
  double outer_radius = 0;  // from the body's origin to its farthest point
};

Shape sphere(double radius);
Shape convex(std::span<const Vec3> points_body);
Shape surface(const mesh::TriangleMesh& m_body);
Shape plane(const Vec3& normal);

// World bounds of `s` at `pose`; tight for spheres and convex shapes. A plane's are those of the half space.
Box boundsAt(const Shape& s, const Pose& pose);

}  // namespace drubble::shape
