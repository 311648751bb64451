// SPDX-License-Identifier: Apache-2.0
// Pair tests of all shape kinds, in one table of kind by kind.
#pragma once
#include <span>

#include "core/collide/contact.h"
#include "core/shape/shape.h"

namespace drubble::collide {

// A direction that held two shapes, or two of their parts, apart when last looked at.
struct Apart {
  std::uint32_t part = 0;            // as in Manifold
  std::array<float, 3> direction{};  // a's frame, about unit length
};

// Short cuts of one pair from one call to the next: what `known` still holds apart is not looked at again.
// They save time and change no result, so they are no history.
struct ShortCuts {
  std::span<const Apart> known;
  std::vector<Apart>* fresh = nullptr;  // those to go on with are appended
};

// Appends the patches where the shapes are closer than `reach` (m, >= 0) beyond their margins, or overlap;
// normals from a to b; gaps are what is left between the margins. Depth is along the direction of least
// overlap. Meshes and planes do not meet each other. Meshes are felt from both sides: the side that the other
// shape's centre is on counts. I1 the result depends on the two shapes and poses only.
void collide(const shape::Shape& a, const Pose& pose_a, const shape::Shape& b, const Pose& pose_b,
             double reach, Manifolds& out, const ShortCuts& cuts = {});

// The patch of two hulls against the face that `m` lay against when it was looked for last: a new look
// without the search, for bodies that have moved by little since. False, and m is worth nothing: that face
// may not tell all now, or the two are not such.
bool clipAgain(const shape::Shape& a, const Pose& pose_a, const shape::Shape& b, const Pose& pose_b,
               double reach, Manifold& m);

// The greatest depth of overlap of the shapes without their margins; 0 when apart.
double overlapDepth(const shape::Shape& a, const Pose& pose_a, const shape::Shape& b, const Pose& pose_b);

// The tests by kind; `a` is the kind that is named first. A "hullish" shape is a hull, a cylinder or a
// capsule. A test that finds the two apart may say along which normal, with a patch of no points.
using PairTest = void (*)(const shape::Shape& a, const Pose& pose_a, const shape::Shape& b,
                          const Pose& pose_b, double reach, Manifolds& out);
void sphereSphere(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void sphereEllipsoid(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void sphereCapsule(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void sphereCylinder(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void sphereConvex(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void sphereMesh(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void spherePlane(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void ellipsoidEllipsoid(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double,
                        Manifolds&);
void ellipsoidCapsule(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void ellipsoidHullish(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void ellipsoidMesh(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void ellipsoidPlane(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void capsuleCapsule(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void capsulePlane(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void hullishHullish(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void hullishMesh(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);
void hullishPlane(const shape::Shape&, const Pose&, const shape::Shape&, const Pose&, double, Manifolds&);

// Appends a patch of one point.
void addSingle(const Vec3& position, const Vec3& normal, double gap, std::uint32_t feature, Manifolds& out);

}  // namespace drubble::collide
