// SPDX-License-Identifier: Apache-2.0
#include "core/collide/pairs.h"

namespace drubble::collide {

using shape::Kind;
using shape::Shape;

namespace {

// Row: a's kind, column: b's, in the order of Kind; empty: try the other way round, or never touches. Joined
// shapes are taken apart before.
constexpr PairTest kTable[7][7] = {
    {sphereSphere, sphereEllipsoid, sphereCapsule, sphereCylinder, sphereConvex, sphereMesh, spherePlane},
    {nullptr, ellipsoidEllipsoid, ellipsoidCapsule, ellipsoidHullish, ellipsoidHullish, ellipsoidMesh,
     ellipsoidPlane},
    {nullptr, nullptr, capsuleCapsule, hullishHullish, hullishHullish, hullishMesh, capsulePlane},
    {nullptr, nullptr, nullptr, hullishHullish, hullishHullish, hullishMesh, hullishPlane},
    {nullptr, nullptr, nullptr, nullptr, hullishHullish, hullishMesh, hullishPlane},
    {nullptr, nullptr, nullptr, nullptr, nullptr, nullptr, nullptr},
    {nullptr, nullptr, nullptr, nullptr, nullptr, nullptr, nullptr},
};

// A direction is believed only if it leaves this much room (of the shapes' inner radii): the full test is
// then sure to find nothing.
constexpr double kSureRoom = 1e-3;

// What all parts of a pair share.
struct Run {
  double reach;
  const ShortCuts& cuts;
  Manifolds& out;
};

bool heldApart(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, const Apart& known,
               double reach) {
  const Vec3 n = vec3(known.direction[0], known.direction[1], known.direction[2]);
  const Vec3 n_world = pose_a.turn * n, n_b = pose_b.turn.conjugate() * n_world;
  const double between = n_world.dot(pose_b.position - pose_a.position);
  const double gap = between - shape::reachAlong(a, n) - shape::reachAlong(b, -n_b);
  return gap > (reach + kSureRoom * (a.inner_radius + b.inner_radius)) * n.norm();
}

// Takes off the patch of no points that says how the two are apart.
void noteApart(const Pose& pose_a, std::uint32_t part, std::size_t start, Run& run) {
  if (run.out.size() == start || run.out.back().count > 0) return;
  const Vec3 n = pose_a.turn.conjugate() * run.out.back().normal;
  run.out.pop_back();
  if (run.cuts.fresh != nullptr)
    run.cuts.fresh->push_back(
        {part, {static_cast<float>(n.x()), static_cast<float>(n.y()), static_cast<float>(n.z())}});
}

void plainPair(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, std::uint32_t part,
               Run& run) {
  for (const Apart& known : run.cuts.known) {
    if (known.part != part) continue;
    if (!heldApart(a, pose_a, b, pose_b, known, run.reach)) break;
    return run.cuts.fresh->push_back(known);
  }
  const std::size_t start = run.out.size();
  const auto ka = static_cast<std::size_t>(a.kind), kb = static_cast<std::size_t>(b.kind);
  if (kTable[ka][kb] != nullptr) {
    kTable[ka][kb](a, pose_a, b, pose_b, run.reach, run.out);
  } else if (kTable[kb][ka] != nullptr) {
    kTable[kb][ka](b, pose_b, a, pose_a, run.reach, run.out);
    for (std::size_t i = start; i < run.out.size(); ++i) {
      Manifold& m = run.out[i];
      m.normal = -m.normal;
      if (m.face_of != FaceOf::Neither) m.face_of = m.face_of == FaceOf::A ? FaceOf::B : FaceOf::A;
    }
  }
  noteApart(pose_a, part, start, run);
  for (std::size_t i = start; i < run.out.size(); ++i) run.out[i].part = part;
}

constexpr double kAcross = 0.05;     // sine: a normal that looks so far out of an inner plane is against it
constexpr double kMostTurned = 0.5;  // of it must be left without that
constexpr double kAtPlane = 1e-3;    // of the part's size

// What is felt of a part where it was cut from others of its body is no surface: such a normal is laid along
// the cut, or what has no other way is dropped. `outward`: 1 where the part comes first in the pair, else -1.
// From `start` on.
void offInnerFaces(const shape::Part& part, const Pose& pose, double outward, std::size_t start,
                   Manifolds& out) {
  if (part.inner.empty()) return;
  const double near = kAtPlane * part.shape.outer_radius;
  std::size_t kept = start;
  for (std::size_t i = start; i < out.size(); ++i) {
    Manifold m = out[i];
    bool drop = false;
    for (const shape::InnerFace& face : part.inner) {
      const Vec3 c = pose.turn * face.normal;
      const double along = outward * m.normal.dot(c);
      if (along < kAcross) continue;
      bool there = m.count > 0;
      for (int k = 0; k < m.count && there; ++k) {
        const Point& p = m.points[static_cast<std::size_t>(k)];
        const Vec3 place = pose.toBody(p.position - 0.5 * outward * p.gap * m.normal);  // on the part
        there = face.normal.dot(place) > face.offset - near - absolute(p.gap) && face.covers(place, near);
      }
      if (!there) continue;
      const Vec3 laid = m.normal - outward * along * c;
      drop = laid.squaredNorm() < kMostTurned * kMostTurned;
      if (drop) break;
      const Vec3 normal = laid.normalized();
      for (int k = 0; k < m.count; ++k) m.points[static_cast<std::size_t>(k)].gap *= normal.dot(m.normal);
      m.normal = normal;
      m.face_of = FaceOf::Neither;
    }
    if (!drop) out[kept++] = m;
  }
  out.resize(kept);
}

// A part, or all of what has none, where it is.
struct Placed {
  const Shape* shape;
  const shape::Part* part;  // null: the whole
  Pose pose;
  Box box;
};

// All parts, in their order, and the box about them.
Box placeParts(const Shape& s, const Pose& pose, std::vector<Placed>& out) {
  out.clear();
  Box all;
  const auto add = [&](const Shape& shape, const shape::Part* part, const Pose& at) {
    out.push_back({&shape, part, at, shape::boundsAt(shape, at)});
    all.add(out.back().box);
  };
  if (s.kind != Kind::Joined) add(s, nullptr, pose);
  if (s.kind == Kind::Joined)
    for (const shape::Part& p : *s.parts) add(p.shape, &p, pose * p.pose);
  return all;
}

// Part by part, those whose boxes are near. The number of a's part is in the upper half of the manifold's,
// b's in the lower, counted from 1.
void anyPair(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, Run& run) {
  if (a.kind != Kind::Joined && b.kind != Kind::Joined) return plainPair(a, pose_a, b, pose_b, 0, run);
  thread_local std::vector<Placed> parts_a, parts_b;
  const Box near_a = placeParts(a, pose_a, parts_a).grown(run.reach);
  placeParts(b, pose_b, parts_b);
  std::erase_if(parts_b, [&](const Placed& q) { return !q.box.overlaps(near_a); });
  const auto number = [](const Placed& p, const Shape& whole) {
    return p.part == nullptr ? 0 : static_cast<std::uint32_t>(p.part - whole.parts->data()) + 1;
  };
  for (const Placed& p : parts_a) {
    const Box near = p.box.grown(run.reach);
    const std::size_t first = run.out.size();
    for (const Placed& q : parts_b) {
      if (!q.box.overlaps(near)) continue;
      const std::size_t start = run.out.size();
      plainPair(*p.shape, p.pose, *q.shape, q.pose, number(p, a) << 16 | number(q, b), run);
      if (q.part != nullptr) offInnerFaces(*q.part, q.pose, -1, start, run.out);
    }
    if (p.part != nullptr) offInnerFaces(*p.part, p.pose, 1, first, run.out);
  }
}

}  // namespace

void collide(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
             Manifolds& out, const ShortCuts& cuts) {
  const double margin = a.margin + b.margin;
  const std::size_t start = out.size();
  Run run{reach + margin, cuts, out};
  anyPair(a, pose_a, b, pose_b, run);
  if (margin == 0) return;
  for (std::size_t i = start; i < out.size(); ++i)
    for (int k = 0; k < out[i].count; ++k) out[i].points[static_cast<std::size_t>(k)].gap -= margin;
}

double overlapDepth(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b) {
  thread_local Manifolds found;
  found.clear();
  Run run{0, {}, found};
  anyPair(a, pose_a, b, pose_b, run);
  double depth = 0;
  for (const Manifold& m : found) depth = greatest(depth, -m.leastGap());
  return depth;
}

void addSingle(const Vec3& position, const Vec3& normal, double gap, std::uint32_t feature, Manifolds& out) {
  Manifold m;
  m.normal = normal;
  m.points[0] = {position, gap, feature};
  m.count = 1;
  out.push_back(m);
}

}  // namespace drubble::collide
