// SPDX-License-Identifier: Apache-2.0
// Pair tests of all shape kinds, in one table of kind by kind.
#pragma once
#include "core/collide/contact.h"
#include "core/shape/shape.h"

namespace drubble::collide {

// Appends the patches where the shapes are closer than `reach` (m, >= 0) or overlap; normals from a to b.
// Depth is along the direction of least overlap. Meshes and planes do not meet each other. Static meshes are
// felt from both sides: the side that a's centre is on counts. I1 the result depends on the two shapes and
// poses only: nothing is remembered.
void collide(const shape::Shape& a, const Pose& pose_a, const shape::Shape& b, const Pose& pose_b,
             double reach, Manifolds& out);

// The greatest depth of overlap; 0 when apart.
double overlapDepth(const shape::Shape& a, const Pose& pose_a, const shape::Shape& b, const Pose& pose_b);

// The tests by kind; `a` is the kind that is named first.
void sphereSphere(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void convexConvex(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void sphereConvex(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void sphereMesh(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void convexMesh(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void spherePlane(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void convexPlane(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);

}  // namespace drubble::collide
