// SPDX-License-Identifier: Apache-2.0
// How well a shape fits its mesh.
#pragma once
#include "core/mesh/mesh.h"
#include "core/shape/shape.h"

namespace drubble::measure {

struct Fit {
  double hollow = 0;   // share of the mesh's convex outline that is empty
  double plugged = 0;  // share of that empty part that the shape fills
};

// Both in body space; the mesh closed. Counted over a lattice of about `samples` points within the outline's
// box. A Mesh shape plugs nothing.
Fit cavityFit(const mesh::TriangleMesh& m, const shape::Shape& s, int samples = 20000);

// How a shape stands to its mesh, both in body space. Sampled at no more than a few thousand points of both
// surfaces.
struct ShapeFit {
  double volume_ratio = 1;  // shape over mesh; 0 when the mesh is open
  double outward = 0;       // m: the farthest that the shape stands proud of the mesh
  double inward = 0;        // m: the farthest that the mesh sticks out of the shape
};
ShapeFit shapeFit(const mesh::TriangleMesh& m, const shape::Shape& s);

// How far a point (body space) is outside a shape; 0 within it.
double distanceOutside(const shape::Shape& s, const Vec3& point);

// The cheapest shape that stands for the closed mesh (body space) with both gaps below `tolerance` (m):
// sphere, box, capsule, cylinder, ellipsoid; a hull of at most `corners` when none does; `lost` as
// from world::hullWithin.
shape::Shape cheapestShape(const mesh::TriangleMesh& m, double tolerance, int corners, double& lost);

}  // namespace drubble::measure
