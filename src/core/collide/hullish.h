// SPDX-License-Identifier: Apache-2.0
// Hulls, cylinders and capsules as the same thing: a body of corners with a skin. A cylinder is a prism that
// is turned about its axis until a corner lies where it touches; a capsule is a line with a thick skin.
#pragma once
#include "core/collide/separation.h"
#include "core/shape/shape.h"

namespace drubble::collide {

struct Hullish {
  Side side;
  Side fine;                           // of a prism: with corners close together where it is turned to
  double skin = 0;                     // m
  bool turns = false;                  // a prism that stands for a smooth side
  Vec3 axis = Vec3::UnitY();           // of the prism
  double radius = 0, half_length = 0;  // m, of the cylinder
  Vec3 corner = Vec3::UnitX();         // where the prism has a corner, square to the axis
};

// Convex, Cylinder or Capsule.
Hullish hullishOf(const shape::Shape& s);

// The turn about the prism's axis that brings a corner to where `direction` (its own frame, any length)
// points; none for what does not turn or a direction along the axis.
Mat3 turnToward(const Hullish& h, const Vec3& direction);

// The patch where the two are closer than `reach` or overlap, in a's frame; count 0 when they do not meet:
// the normal then shows it, or is zero.
// Faces win over edges unless they are worse by `favour`.
void hullishPatch(const Hullish& a, const Hullish& b, const Relative& b_to_a, double reach, double favour,
                  Manifold& out);

// Whether a patch against a face has extent enough, and touches closely enough, for that face to tell all of
// two hulls that have hardly moved since it did.
bool broadTouch(const Side& a, const Side& b, const Manifold& m);

}  // namespace drubble::collide
