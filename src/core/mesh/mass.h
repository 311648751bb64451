// SPDX-License-Identifier: Apache-2.0
// Volume, centre of mass and inertia of the solid that a closed mesh encloses.
#pragma once
#include "core/mesh/mesh.h"

namespace drubble::mesh {

struct MassProperties {
  double volume = 0;            // m3; negative for an inside-out mesh
  Vec3 centre = Vec3::Zero();   // m, in the mesh's space
  Mat3 inertia = Mat3::Zero();  // m5: about the centre, at density 1
};

// Exact for the polyhedron, up to rounding. Sums of signed tetrahedra against a point near the mesh.
// Source: Mirtich, Fast and accurate computation of polyhedral mass properties (1996); the tetrahedron form.
MassProperties massProperties(const TriangleMesh& m);

MassProperties sphereMass(double radius);
MassProperties boxMass(const Vec3& full_size);
MassProperties ellipsoidMass(const Vec3& half_axes);
// `length`: between the centres of the end balls; `axis` unit.
MassProperties capsuleMass(double radius, double length, const Vec3& axis);
MassProperties cylinderMass(double radius, double height, const Vec3& axis);

}  // namespace drubble::mesh
