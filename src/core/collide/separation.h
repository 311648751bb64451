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
  std::span<const Block4> corner_blocks, face_blocks;      // vertices and faces' planes, for scans
  std::span<const std::uint32_t> first_face_of, faces_of;  // the faces of a vertex
  Vec3 centre = Vec3::Zero();
  double inner_radius = 0;
  bool round_ends = false;  // its faces of more than four corners stand for discs

  // A mere line: its one face has two corners and looks nowhere.
  bool line() const { return vertices.size() == 2; }
};

inline Side sideOf(const shape::Polyhedron& p) {
  return {p.vertices,    p.faces,         p.loops,    p.edges,  p.corner_blocks,
          p.face_blocks, p.first_face_of, p.faces_of, p.centre, p.inner_radius};
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
inline std::uint32_t lowestVertex(const Side& s, const Vec3& n, double& low) {
  return lowestAlong(s.corner_blocks, n, low);
}

// Of the faces that hold the vertex lowest along `n`, the one that looks most against n: where a plane of
// that normal would meet the body.
std::size_t faceAgainst(const Side& s, const Vec3& n);

// The face of each in front of which the other is farthest; `apart`: by more than the reach, the rest then
// says nothing.
struct FaceAxes {
  Axis a, b;
  bool apart = false;

  double gap() const { return greatest(a.gap, b.gap); }
  // a's face wins unless b's is better by more than `favour`.
  const Axis& better(double favour) const { return b.gap > a.gap + favour ? b : a; }
};
FaceAxes bestFaces(const Side& a, const Side& b, const Relative& b_to_a, double reach);

// Of the faces that look across `n` (unit, a's frame), the best; kind None when none beats `gap`. `on_a`,
// `on_b` (a's frame): any point of each, near where they touch; it rules most faces out.
FaceAxes bestFacesAcross(const Side& a, const Side& b, const Relative& b_to_a, const Vec3& n,
                         const Vec3& on_a, const Vec3& on_b, double gap);

// The pair of edges that sees the bodies farther apart than `gap`, the most of all; kind None: there is none.
// Looks only at edges that come near the other body's best face: the nearest points of two that decide lie
// there.
Axis bestEdges(const Side& a, const Side& b, const Relative& b_to_a, const FaceAxes& faces, double gap,
               double reach);

// The best of faces and edges; kind None: the bodies are farther apart than `reach`. Faces win over edges,
// and a's faces over b's, unless they are worse by more than `favour`.
Axis leastOverlap(const Side& a, const Side& b, const Relative& b_to_a, double reach, double favour);

// Fills `out` with the points of the patch for an axis found here, in a's frame; none farther apart than
// `reach`.
void patchFor(const Side& a, const Side& b, const Relative& b_to_a, const Axis& axis, double reach,
              Manifold& out);

}  // namespace drubble::collide
