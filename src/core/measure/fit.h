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

}  // namespace drubble::measure
