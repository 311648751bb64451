// SPDX-License-Identifier: Apache-2.0
#include "core/collide/hullish.h"

#include <cmath>

#include "core/collide/closest.h"

namespace drubble::collide {

namespace {

constexpr int kMostTurns = 4;
constexpr double kSameTurn =
    1e-3;  // rad: a prism turned this well stands for its cylinder to 5e-7 of the radius

constexpr double kEndOn = 0.99;  // cosine

constexpr double kMuchAlike = 0.1;  // of an overlap
constexpr double kSunk = 0.05;      // of the inner radius: deeper than a load presses
constexpr double kSkim = 2e-3;      // of the inner radius: a ledge as low as this trips nothing

// Whether the patch has next to no extent in some direction.
bool narrow(const Manifold& m, double least_extent) {
  if (m.count < 3) return true;
  const Vec3 p = m.points[0].position;
  Vec3 along = Vec3::Zero();
  for (int k = 1; k < m.count; ++k)
    if (const Vec3 d = m.points[static_cast<std::size_t>(k)].position - p;
        d.squaredNorm() > along.squaredNorm())
      along = d;
  double across = 0;
  const Vec3 side = m.normal.cross(along).normalized();
  for (int k = 1; k < m.count; ++k)
    across = greatest(across, absolute(side.dot(m.points[static_cast<std::size_t>(k)].position - p)));
  return across < least_extent;
}

// A box that slides from one tile to the next does not run against the next one's side: where two bodies
// would meet over a strip that is hardly there, the face along which they skim past each other decides.
void skim(const Side& a, const Side& b, const Relative& b_to_a, double reach, double low, Manifold& m) {
  if (a.line() || b.line() || m.count == 0 || m.leastGap() < -low || !narrow(m, low)) return;
  // Deeper than a ledge: a true meeting. Well apart: the first patch is right.
  const Point& p = m.points[0];
  const Vec3 half = 0.5 * p.gap * m.normal;
  const FaceAxes faces = bestFacesAcross(a, b, b_to_a, m.normal, p.position - half, p.position + half, -low);
  const Axis& axis = faces.b.kind != AxisKind::None ? faces.b : faces.a;
  if (axis.kind == AxisKind::None || axis.gap > low) return;
  patchFor(a, b, b_to_a, axis, reach, m);
}

// Whether the faces' patch says all: of bodies apart, where it comes as near as its plane; of bodies that
// overlap, where it has extent enough that no pair of edges can be a better way out.
bool decided(const Manifold& m, double gap, double low) {
  if (m.count == 0) return false;
  if (gap > 0) return m.leastGap() <= gap * (1 + 1e-4);
  Manifold near = m;
  near.count = 0;
  for (int k = 0; k < m.count; ++k) {
    const Point& p = m.points[static_cast<std::size_t>(k)];
    if (p.gap <= gap + low) near.points[static_cast<std::size_t>(near.count++)] = p;
  }
  return !narrow(near, -4 * gap + low);
}

// Whether it is no cylinder, or is touched on one of its ends.
bool endOn(const Hullish& h, const Vec3& normal) { return !h.turns || absolute(h.axis.dot(normal)) > kEndOn; }

// One point for a face's axis: the other body's corner that is deepest behind it.
void deepestPoint(const Side& a, const Side& b, const Relative& b_to_a, const Axis& face, Manifold& m) {
  double ignored;
  const bool of_a = face.kind == AxisKind::FaceA;
  const std::uint32_t v = of_a ? lowestVertex(b, b_to_a.turn.transpose() * face.normal, ignored)
                               : lowestVertex(a, -face.normal, ignored);
  const Vec3 p = of_a ? b_to_a.point(b.vertices[v]) : a.vertices[v];
  m.normal = face.normal;
  m.face_of = FaceOf::Neither;
  m.count = 1;
  m.points[0] = {p + (of_a ? -0.5 : 0.5) * face.gap * face.normal, face.gap, v + 1};
}

// `least_serves`: where no patch holds a point of an overlap deeper than a ledge, its deepest corner is one.
void cornerPatch(const Hullish& a, const Hullish& b, const Relative& b_to_a, double reach, double favour,
                 bool fine, bool least_serves, Manifold& m) {
  const double skin = a.skin + b.skin;
  const Side &side_a = fine ? a.fine : a.side, &side_b = fine ? b.fine : b.side;
  const double inner = least(side_a.inner_radius, side_b.inner_radius), low = kSkim * inner;
  m.count = 0;
  const FaceAxes faces = bestFaces(side_a, side_b, b_to_a, reach + skin);
  const auto apart = [&](const Vec3& along) {
    m.count = 0;
    m.normal = along.normalized();
  };
  if (faces.apart) return apart(faces.better(0).normal);
  const Axis& face = faces.better(favour);
  patchFor(side_a, side_b, b_to_a, face, reach + skin, m);
  if (!decided(m, faces.gap(), low)) {
    const Axis edges = faces.gap() > 0
                           ? Axis{}
                           : bestEdges(side_a, side_b, b_to_a, faces, faces.gap() + favour, reach + skin);
    if (edges.gap > reach + skin) return apart(edges.normal);
    // The corners of a prism that stands for a smooth side are no corners; those of its ends are.
    const bool flat = endOn(a, m.normal) && endOn(b, b_to_a.turn.transpose() * m.normal);
    // What is sunk into a smooth side would else be held by one point, at this end and that by turns.
    const double off = m.leastGap() - edges.gap;
    const bool alike =
        flat ? off > -low : edges.gap < -kSunk * inner && absolute(off) < -kMuchAlike * edges.gap;
    const bool face_serves = alike && m.count > 1 && nearlySame(m.normal, edges.normal);
    if (edges.kind == AxisKind::Edges && !face_serves)
      patchFor(side_a, side_b, b_to_a, edges, reach + skin, m);
    if (faces.gap() > 0 || edges.gap > 0 || m.count == 0) {
      const Closest closest = closestPoints(side_a, side_b, b_to_a, -face.normal, reach + skin);
      if (closest.beyond) return apart(closest.apart_along);
      preferClosest(closest, flat ? low : 0, m);
      if (least_serves && m.count == 0 && !closest.apart && face.gap < -low)
        deepestPoint(side_a, side_b, b_to_a, face, m);
    }
  }
  skim(side_a, side_b, b_to_a, reach + skin, low, m);
  for (int k = 0; k < m.count; ++k) {
    Point& p = m.points[static_cast<std::size_t>(k)];
    p.gap -= skin;
    p.position += 0.5 * (a.skin - b.skin) * m.normal;
  }
}

Mat3 turnAboutUnit(const Vec3& axis, double cosine, double sine) {
  Mat3 cross;
  cross << 0, -axis.z(), axis.y(), axis.z(), 0, -axis.x(), -axis.y(), axis.x(), 0;
  return cosine * Mat3::Identity() + sine * cross + (1 - cosine) * (axis * axis.transpose());
}

// The middle of where the other shape is touched; `sign`: 1 for the second shape's surface, -1 for the
// first's.
Vec3 touchedPlace(const Manifold& m, double sign) {
  Vec3 middle = Vec3::Zero();
  const double least_gap = m.leastGap();
  int n = 0;
  for (int k = 0; k < m.count; ++k) {
    const Point& p = m.points[static_cast<std::size_t>(k)];
    if (p.gap > least_gap + 1e-9 * (1 + absolute(least_gap))) continue;
    middle += p.position + 0.5 * sign * p.gap * m.normal;
    ++n;
  }
  return middle / n;
}

}  // namespace

bool broadTouch(const Side& a, const Side& b, const Manifold& m) {
  const double low = kSkim * least(a.inner_radius, b.inner_radius), gap = m.leastGap();
  return m.count >= 3 && gap <= 0.1 * low && decided(m, least(gap, 0), low);
}

Hullish hullishOf(const shape::Shape& s) {
  Hullish h;
  h.side = sideOf(*s.convex);
  if (s.kind == shape::Kind::Capsule) h.skin = s.radius;
  h.turns = s.kind == shape::Kind::Cylinder;
  h.fine = h.turns ? sideOf(*s.fine) : h.side;
  h.side.round_ends = h.fine.round_ends = h.turns;
  h.axis = s.axis;
  if (h.turns) h.corner = anyNormalTo(s.axis);
  return h;
}

Mat3 turnToward(const Hullish& h, const Vec3& direction) {
  if (!h.turns) return Mat3::Identity();
  const Vec3 across = direction - h.axis.dot(direction) * h.axis;
  const double length = across.norm();
  if (!(length > 1e-6 * direction.norm())) return Mat3::Identity();
  return turnAboutUnit(h.axis, h.corner.dot(across) / length, h.corner.cross(across).dot(h.axis) / length);
}

void hullishPatch(const Hullish& a, const Hullish& b, const Relative& b_to_a, double reach, double favour,
                  Manifold& out) {
  if (!a.turns && !b.turns) return cornerPatch(a, b, b_to_a, reach, favour, false, true, out);
  const Relative a_to_b = b_to_a.inverse();
  const auto patchToward = [&](const Vec3& toward_a, const Vec3& toward_b, bool fine, bool least_serves,
                               Manifold& m) {
    const Mat3 turn_a = turnToward(a, toward_a), turn_b = turnToward(b, toward_b);
    const Relative turned{turn_a.transpose() * b_to_a.turn * turn_b, turn_a.transpose() * b_to_a.shift};
    cornerPatch(a, b, turned, reach, favour, fine, least_serves, m);
    m.normal = turn_a * m.normal;
    for (Point& p : m.points) p.position = turn_a * p.position;
  };
  // A prism lies within its cylinder: a turn that shows nothing tells nothing, and what the one before it
  // showed is there. Where a face of the other decides the normal, the second turn is the last.
  patchToward(b_to_a.point(b.side.centre), a_to_b.point(a.side.centre), false, true, out);
  for (int k = 0; k < 2 && out.count > 0; ++k) {
    const Manifold before = out;
    patchToward(before.normal, -(a_to_b.turn * before.normal), false, false, out);
    if (out.count == 0) out = before;
    if ((out.normal - before.normal).squaredNorm() < kSameTurn * kSameTurn) return;
  }
  // An edge or another rim: the prism is turned to the place that is touched. It lies within its cylinder, so
  // of all turns the one that comes nearest is the truest.
  Manifold m = out;
  for (int k = 0; k < kMostTurns && m.count > 0; ++k) {
    patchToward(touchedPlace(m, 1), a_to_b.point(touchedPlace(m, -1)), true, false, m);
    if (m.count == 0 || (k > 0 && !(m.leastGap() < out.leastGap()))) return;
    out = m;
  }
}

}  // namespace drubble::collide
