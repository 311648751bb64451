// SPDX-License-Identifier: Apache-2.0
// The nearest points of two convex bodies that are apart.
#pragma once
#include "core/collide/separation.h"

namespace drubble::collide {

struct Hullish;

struct Closest {
  bool apart = false;   // false: they touch or overlap, and the rest says nothing
  bool beyond = false;  // apart by more than the reach; the points are then not worked out
  double distance = 0;
  Vec3 on_a = Vec3::Zero(), on_b = Vec3::Zero();  // a's frame
  Vec3 apart_along = Vec3::Zero();                // beyond: a direction from a to b that shows it, any length
};

// Good to about 1e-10 of the bodies' size. `guess`: about the direction from b to a (a's frame, any length);
// a good one saves rounds. Cost: a few supports of each body.
// Source: Gilbert, Johnson, Keerthi, A fast procedure for computing the distance between complex objects
// (1988); the point nearest to the origin by Voronoi regions: Ericson, Real-Time Collision Detection
// (2005), 9.5.
Closest closestPoints(const Side& a, const Side& b, const Relative& b_to_a, const Vec3& guess, double reach);

// The nearest points of two of which one at least is a cylinder, which is smooth here; cylinders are shorn
// all round by a share of the radius or half the height, the lesser. Good to about 1e-7 of the distance, and
// its direction to 3e-4. Cost: some ten supports of each.
Closest closestOfSmooth(const Hullish& a, const Hullish& b, const Relative& b_to_a, double shorn,
                        double reach);

// One point, midway between the nearest of two that are apart.
void closestPatch(const Closest& closest, Manifold& patch);

// Bodies that are apart meet where they are nearest: where `patch` (in a's frame, from the separating axis)
// looks another way than the line between the nearest points, or misses them by more than `low` (m), that
// line becomes its only point. Faces that look at each other keep theirs.
void preferClosest(const Closest& closest, double low, Manifold& patch);

// Whether the two normals (unit) are so much alike that a face's patch of several points serves better than
// the one point of edges: a piece that rocks on a face would else stand on one end of it at a time.
bool nearlySame(const Vec3& m, const Vec3& n);

}  // namespace drubble::collide
