// SPDX-License-Identifier: Apache-2.0
#include "core/collide/hullish.h"

#include <cmath>
#include <limits>

#include "core/collide/closest.h"

namespace drubble::collide {

namespace {

constexpr int kMostTurns = 4;
constexpr double kSameTurn =
    1e-3;  // rad: a prism turned this well stands for its cylinder to 5e-7 of the radius

constexpr double kSameDepth = 1e-5;  // of the inner radius: another turn that finds no more is the last

constexpr std::size_t kNoFace = ~std::size_t{0};
constexpr double kSinking = 0.01;  // of the inner radius: what is no deeper meets where it would if shorn
constexpr double kClear = 1e-4;    // of the inner radius: what is farther apart has a direction between
constexpr double kShorn = 0.2;     // of a cylinder's radius or half its height, the lesser

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

// Whether along `n` (unit, from a to b, a's frame) a face of one looks at the other, or two sides lie along
// each other, so that they may meet in more than a point.
bool facing(const Hullish& a, const Hullish& b, const Relative& b_to_a, const Vec3& n) {
  const Vec3 m = -(b_to_a.turn.transpose() * n);
  const auto looks = [](const Hullish& h, const Vec3& out) {
    if (h.turns) return absolute(h.axis.dot(out)) > kEndOn;
    return h.side.line() || h.side.faces[faceAgainst(h.side, -out)].normal.dot(out) > kEndOn;
  };
  if (looks(a, n) || looks(b, m)) return true;
  return a.turns && b.turns && absolute(a.axis.dot(b_to_a.turn * b.axis)) > kEndOn;
}

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

void addSkins(const Hullish& a, const Hullish& b, Manifold& m) {
  for (int k = 0; k < m.count; ++k) {
    Point& p = m.points[static_cast<std::size_t>(k)];
    p.gap -= a.skin + b.skin;
    p.position += 0.5 * (a.skin - b.skin) * m.normal;
  }
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
    // What is sunk into a smooth side would else be held by one point, at this end and that by turns. But
    // where the deepest place lies beside the face, its patch tells of less than there is.
    const double off = m.leastGap() - edges.gap;
    const double alike_within = -kMuchAlike * edges.gap;
    const bool alike = flat ? off > -low && off < low + greatest(alike_within, 0)
                            : edges.gap < -kSunk * inner && absolute(off) < alike_within;
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
  addSkins(a, b, m);
}

// Of two that meet along `n` (unit, a's frame) by so much (less than 0: they overlap by more than that
// tells): the patch against the face that looks that way. False: none does, or they are too deep for that to
// be sure.
bool facePatchAlong(const Hullish& a, const Hullish& b, const Relative& b_to_a, const Vec3& n, double gap,
                    double reach, Manifold& m) {
  const auto along = [](const Side& s, const Vec3& way) {
    const std::size_t f = s.line() ? 0 : faceAgainst(s, -way);
    return !s.line() && s.faces[f].normal.dot(way) > 1 - 0.5 * kSameTurn * kSameTurn ? f : kNoFace;
  };
  const std::size_t of_a = along(a.side, n),
                    of_b = of_a == kNoFace ? along(b.side, -(b_to_a.turn.transpose() * n)) : kNoFace;
  if (of_a == kNoFace && of_b == kNoFace) return false;
  Axis face;
  face.a = of_a, face.b = of_b;
  face.kind = of_a != kNoFace ? AxisKind::FaceA : AxisKind::FaceB;
  face.normal = of_a != kNoFace ? a.side.faces[of_a].normal : -(b_to_a.turn * b.side.faces[of_b].normal);
  const double skin = a.skin + b.skin, inner = least(a.side.inner_radius, b.side.inner_radius);
  patchFor(a.side, b.side, b_to_a, face, reach + skin, m);
  if (m.count == 0 || m.leastGap() < -kSinking * inner || (gap > 0 && m.leastGap() > gap * (1 + 1e-4)))
    return false;
  skim(a.side, b.side, b_to_a, reach + skin, kSkim * inner, m);
  addSkins(a, b, m);
  return true;
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
  if (h.turns) h.corner = anyNormalTo(s.axis), h.radius = s.radius, h.half_length = s.half_length;
  return h;
}

Mat3 turnToward(const Hullish& h, const Vec3& direction) {
  if (!h.turns) return Mat3::Identity();
  const Vec3 across = direction - h.axis.dot(direction) * h.axis;
  const double length = across.norm();
  if (!(length > 1e-6 * direction.norm())) return Mat3::Identity();
  return turnAboutUnit(h.axis, h.corner.dot(across) / length, h.corner.cross(across).dot(h.axis) / length);
}

namespace {

// Two of which one at least is a cylinder, seen as prisms that are turned to where they meet. A prism lies
// within its cylinder: a turn that shows nothing tells nothing, and of all turns the one that comes nearest
// is the truest.
class Turning {
 public:
  Turning(const Hullish& a, const Hullish& b, const Relative& b_to_a, double reach, double favour)
      : a_(a),
        b_(b),
        b_to_a_(b_to_a),
        a_to_b_(b_to_a.inverse()),
        reach_(reach),
        favour_(favour),
        inner_(least(a.side.inner_radius, b.side.inner_radius)) {}

  void find(Manifold& out) const {
    // Which way the two look at each other: as they are, where they are apart; else as what is left of them
    // when they are shorn, which overlap less.
    Closest closest = closestOfSmooth(a_, b_, b_to_a_, 0, reach_ + a_.skin + b_.skin);
    if (closest.beyond) {
      out.count = 0;
      out.normal = closest.apart_along.normalized();
      return;
    }
    const bool apart = closest.apart && closest.distance > kClear * inner_;
    if (!apart) closest = closestOfSmooth(a_, b_, b_to_a_, kShorn, std::numeric_limits<double>::infinity());
    if (!closest.apart || !(closest.distance > kClear * inner_)) {
      toward(b_to_a_.point(b_.side.centre), a_to_b_.point(a_.side.centre), false, true, out);
      if (!bySides(out)) byPlaces(out);
      return;
    }
    const Vec3 n = (closest.on_b - closest.on_a) / closest.distance;
    if (facing(a_, b_, b_to_a_, n)) {
      if (onFace(n, apart ? closest.distance : 0, out)) return;
      along(n, false, true, out);
      if (!same(out.normal, n) && !bySides(out)) byPlaces(out);
    } else if (apart) {
      closestPatch(closest, out);
      addSkins(a_, b_, out);
      if (out.points[0].gap > reach_) out.count = 0;
    } else {
      along(n, true, true, out);
      if (!same(out.normal, n)) byPlaces(out);
    }
  }

 private:
  static bool same(const Vec3& m, const Vec3& n) { return (m - n).squaredNorm() < kSameTurn * kSameTurn; }

  // `patch` of the two as they stand when both are turned; directions in each one's own frame.
  template <class Patch>
  bool turned(const Vec3& toward_a, const Vec3& toward_b, Patch patch, Manifold& m) const {
    const Mat3 turn_a = turnToward(a_, toward_a), turn_b = turnToward(b_, toward_b);
    const bool found = patch(
        Relative{turn_a.transpose() * b_to_a_.turn * turn_b, turn_a.transpose() * b_to_a_.shift}, turn_a);
    m.normal = turn_a * m.normal;
    for (Point& p : m.points) p.position = turn_a * p.position;
    return found;
  }

  void toward(const Vec3& toward_a, const Vec3& toward_b, bool fine, bool least_serves, Manifold& m) const {
    const auto patch = [&](const Relative& b_to_a, const Mat3&) {
      cornerPatch(a_, b_, b_to_a, reach_, favour_, fine, least_serves, m);
      return true;
    };
    turned(toward_a, toward_b, patch, m);
  }
  void along(const Vec3& n, bool fine, bool least_serves, Manifold& m) const {
    toward(n, -(a_to_b_.turn * n), fine, least_serves, m);
  }

  bool onFace(const Vec3& n, double gap, Manifold& m) const {
    const auto patch = [&](const Relative& b_to_a, const Mat3& turn_a) {
      return facePatchAlong(a_, b_, b_to_a, turn_a.transpose() * n, gap, reach_, m);
    };
    return turned(n, -(a_to_b_.turn * n), patch, m);
  }

  // Where a face of the other decides the normal, the second turn is the last. False: nothing decides it.
  bool bySides(Manifold& out) const {
    for (int k = 0; k < 2 && out.count > 0; ++k) {
      const Manifold before = out;
      along(before.normal, false, false, out);
      if (out.count == 0) out = before;
      if (same(out.normal, before.normal)) return true;
    }
    return false;
  }

  // An edge or another rim: the prisms are turned to the place that is touched.
  void byPlaces(Manifold& out) const {
    Manifold m = out;
    for (int k = 0; k < kMostTurns && m.count > 0; ++k) {
      toward(touchedPlace(m, 1), a_to_b_.point(touchedPlace(m, -1)), true, false, m);
      if (m.count == 0 || (k > 0 && !(m.leastGap() < out.leastGap()))) return;
      const bool last = k > 0 && out.leastGap() - m.leastGap() < kSameDepth * inner_;
      out = m;
      if (last) return;
    }
  }

  const Hullish &a_, &b_;
  const Relative& b_to_a_;
  Relative a_to_b_;
  double reach_, favour_, inner_;
};

}  // namespace

void hullishPatch(const Hullish& a, const Hullish& b, const Relative& b_to_a, double reach, double favour,
                  Manifold& out) {
  if (!a.turns && !b.turns) return cornerPatch(a, b, b_to_a, reach, favour, false, true, out);
  Turning(a, b, b_to_a, reach, favour).find(out);
}

}  // namespace drubble::collide
