// SPDX-License-Identifier: Apache-2.0
// What convexParts works with: a solid, its hull, and how far that stands proud of it.
#pragma once
#include <optional>
#include <span>
#include <vector>

#include "core/base/team.h"
#include "core/shape/hull.h"

namespace drubble::shape {

struct Plane {
  Vec3 normal = Vec3::Zero();
  double offset = 0;
};

struct Solid {
  mesh::TriangleMesh mesh;
  std::vector<char> skin;  // one a triangle: it is of the whole's surface
  std::vector<Plane> inner;
  Polyhedron hull;
  double volume = 0, around = 0;  // of it, of its hull; m3
  double proud = 0;
  std::size_t deepest = 0;  // the triangle where that is
};

// The hull of places, those that are nearly one taken as one; none where they are flat.
std::optional<Polyhedron> hullOf(std::span<const Vec3> points);
double volumeOf(const Polyhedron& p);

// How far beyond `x` the hull ends along `d`; nothing is made of what is no more than `enough`.
double exitAlong(const Polyhedron& hull, const Vec3& x, const Vec3& d, double enough = 0);

// How far the hull stands proud of the skin, and at which triangle most, where that is more than `proud`.
void judge(const Solid& s, const Polyhedron& hull, double& proud, std::size_t& deepest);

// Fills what follows from mesh and skin. False for what has no volume.
bool measure(Solid& s);

// Where to cut it so that both halves are least concave; none where there is no room for a cut.
std::optional<Plane> bestCut(const Solid& s, Team* team);

}  // namespace drubble::shape
