// SPDX-License-Identifier: Apache-2.0
// The separating axis test of two convex bodies, and the patch where they touch.
// Edges are paired through their arcs on the Gauss map; the pruning by inner balls is ours.
#pragma once
#include <span>

#include "core/collide/contact.h"
#include "core/shape/polyhedron.h"

namespace drubble::collide {

// What the test needs of a convex body, in the body's own frame.
struct Side {
  std::span<const Vec3> vertices;
  std::span<const shape::Face> faces;
  std::span<const std::uint32_t> loops;
  std::span<const shape::Edge> edges;
  Vec3 centre = Vec3::Zero();
  double inner_radius = 0;

  // A mere line: its one face has two corners and looks nowhere.
  bool line() const { return vertices.size() == 2; }
};

inline Side sideOf(const shape::Polyhedron& p) {
  return {p.vertices, p.faces, p.loops, p.edges, p.centre, p.inner_radius};
}

// From one body's frame to another's.
struct Relative {
  Mat3 turn = Mat3::Identity();
  Vec3 shift = Vec3::Zero();

  Vec3 point(const Vec3& p) const { return turn * p + shift; }
  Relative inverse() const { return {turn.transpose(), -(turn.transpose() * shift)}; }
};
Relative relative(const Pose& from, const Pose& to);  // takes points of `from`'s frame to `to`'s

enum class AxisKind { None, FaceA, FaceB, Edges };

// The direction along which the bodies overlap least, or are farthest apart.
struct Axis {
  AxisKind kind = AxisKind::None;
  double gap = -std::numeric_limits<double>::infinity();
  Vec3 normal = Vec3::Zero();  // from a to b, a's frame
  std::size_t a = 0, b = 0;    // the face, or the two edges
};

// The vertex lowest along `n`: its height in `low`.
std::uint32_t lowestVertex(std::span<const Vec3> vertices, const Vec3& n, double& low);

// Of the faces that hold the vertex lowest along `n`, the one that looks most against n: where a plane of
// that normal would meet the body.
std::size_t faceAgainst(const Side& s, const Vec3& n);

// kind None: the bodies are farther apart than `reach`. Faces win over edges, and a's faces over b's, unless
// they are worse by more than `favour`.
Axis leastOverlap(const Side& a, const Side& b, const Relative& b_to_a, double reach, double favour);

// Fills `out` with the points of the patch for an axis found by leastOverlap, in a's frame; none farther
// apart than `reach`.
void patchFor(const Side& a, const Side& b, const Relative& b_to_a, const Axis& axis, double reach,
              Manifold& out);

}  // namespace drubble::collide
