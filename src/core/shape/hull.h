// SPDX-License-Identifier: Apache-2.0
// The convex hull of a set of points.
#pragma once
#include <span>

#include "core/shape/polyhedron.h"

namespace drubble::shape {

// Points within 1e-9 of the size from the hull built so far are taken as inside it, and triangles that lie
// within 1e-7 of one plane become one polygon: the result differs from the exact hull by less than that.
// Where rounding at needles of triangles has lost a point, the hull is made again with exact signs, of the
// points on a lattice of 2^-24 of the size.
// Throws Error(Input) when the points lie (within 1e-6 of their size) in a plane, on a line or at one place.
// Cost about n log n. Source: Barber, Dobkin, Huhdanpaa, The Quickhull algorithm (1996).
Polyhedron convexHull(std::span<const Vec3> points);

}  // namespace drubble::shape
