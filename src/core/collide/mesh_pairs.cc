// SPDX-License-Identifier: Apache-2.0
// Spheres and convex shapes against the triangles of a static mesh. Work is done in the mesh's frame.
#include <algorithm>

#include "core/base/random.h"
#include "core/collide/pairs.h"
#include "core/collide/separation.h"

namespace drubble::collide {

using shape::Shape;
using shape::Surface;

namespace {

constexpr double kSameNormal = 0.9925;  // patches within 7 degrees are one
constexpr double kTilt = 1e-3;          // a normal tilted by less than this is the triangle's own

// One triangle, turned so that `normal` looks at the piece.
struct Facing {
  std::uint32_t index;
  std::array<Vec3, 3> corner;
  std::array<std::uint32_t, 3> side;  // the triangle across corner k to k+1, or none
  Vec3 normal;
  double sign;  // -1 when the piece is behind the triangle
};

Facing facing(const Surface& s, std::uint32_t t, const Vec3& piece_centre) {
  const mesh::Triangle& c = s.mesh.triangles[t];
  Facing f{t, {s.mesh.vertices[c[0]], s.mesh.vertices[c[1]], s.mesh.vertices[c[2]]}, s.neighbours[t], s.normals[t], 1};
  if (f.normal.dot(piece_centre - f.corner[0]) < 0) {
    f.normal = -f.normal;
    f.sign = -1;
    std::swap(f.corner[1], f.corner[2]);
    std::swap(f.side[0], f.side[2]);
  }
  return f;
}

// Whether a normal (unit, from the triangle to the piece) may come from this triangle: it must not tilt over an edge
// beyond which the surface goes on flat, turns up, or takes over the normal itself.
bool mayPush(const Surface& s, const Facing& f, const Vec3& normal) {
  for (std::size_t k = 0; k < 3; ++k) {
    const Vec3 out = (f.corner[(k + 1) % 3] - f.corner[k]).cross(f.normal).normalized();
    const double tilt = normal.dot(out);
    if (tilt <= kTilt || f.side[k] == mesh::kNoTriangle) continue;
    const Vec3 beyond = f.sign * s.normals[f.side[k]];
    const double turn = beyond.dot(out);
    if (turn <= kTilt) return false;
    if (tilt * beyond.dot(f.normal) - normal.dot(f.normal) * turn > kTilt) return false;
  }
  return true;
}

// Patches of neighbouring triangles with nearly the same normal become one.
class Merger {
 public:
  void clear() { groups_.clear(); }

  void add(const Manifold& m) {
    Group* home = nullptr;
    for (Group& g : groups_)
      if (g.normal.dot(m.normal) > kSameNormal) {
        home = &g;
        break;
      }
    if (home == nullptr) home = &groups_.emplace_back(Group{m.normal, m.leastGap(), m.sub, {}});
    if (m.leastGap() < home->deepest) {
      home->deepest = m.leastGap();
      home->normal = m.normal;
      home->sub = m.sub;
    }
    for (int i = 0; i < m.count; ++i) addPoint(*home, m.points[static_cast<std::size_t>(i)]);
  }

  void finish(const Pose& pose, bool flip, Manifolds& out) const {
    for (const Group& g : groups_) {
      Manifold m;
      m.sub = g.sub;
      m.normal = pose.turn * g.normal;
      std::vector<Point> points = g.points;
      for (Point& p : points) p.position = pose.toWorld(p.position);
      keepFour(points, m);
      if (flip) m.normal = -m.normal;
      out.push_back(m);
    }
  }

  void tolerance(double metres) { tolerance_ = metres; }

 private:
  struct Group {
    Vec3 normal;
    double deepest;
    std::uint32_t sub;
    std::vector<Point> points;
  };

  void addPoint(Group& g, const Point& p) const {
    for (Point& q : g.points) {
      if ((q.position - p.position).squaredNorm() > tolerance_ * tolerance_) continue;
      if (p.gap < q.gap) q = p;
      return;
    }
    g.points.push_back(p);
  }

  std::vector<Group> groups_;
  double tolerance_ = 0;
};

std::uint32_t featureOf(std::uint32_t triangle, std::uint32_t feature) {
  return static_cast<std::uint32_t>(mixBits((static_cast<std::uint64_t>(triangle) << 32) | feature) >> 32);
}

// The triangle as a flat convex body of one face. Each edge's arc of normals runs from the face over the edge to the
// back: two arcs, since one of half a turn has no direction.
struct FlatSide {
  std::array<shape::Face, 1> faces;
  std::array<std::uint32_t, 3> loops{0, 1, 2};
  std::array<shape::Edge, 6> edges;
};

Side sideOf(const Facing& f, FlatSide& flat) {
  flat.faces[0] = {f.normal, f.normal.dot(f.corner[0]), 0, 3};
  for (std::uint32_t k = 0; k < 3; ++k) {
    const std::uint32_t next = (k + 1) % 3;
    const Vec3 out = (f.corner[next] - f.corner[k]).cross(f.normal).normalized();
    flat.edges[2 * k] = {k, next, f.normal, out};
    flat.edges[2 * k + 1] = {k, next, out, -f.normal};
  }
  return {f.corner, flat.faces, flat.loops, flat.edges, (f.corner[0] + f.corner[1] + f.corner[2]) / 3, 0};
}

void convexTriangle(const Surface& s, const shape::Polyhedron& hull, const Facing& f, double reach, Merger& merger) {
  FlatSide flat;
  const Side a = collide::sideOf(hull), b = sideOf(f, flat);
  // The triangle's own plane is a separating direction of its own kind: it is favoured most.
  const double favour = 1e-3 * hull.inner_radius;
  Axis axis = leastOverlap(a, b, reach, favour);
  if (axis.kind == AxisKind::None) return;
  if (!mayPush(s, f, -axis.normal)) {
    double gap = std::numeric_limits<double>::infinity();
    for (const Vec3& v : hull.vertices) gap = least(gap, f.normal.dot(v - f.corner[0]));
    if (gap > reach) return;
    axis = {AxisKind::FaceB, gap, -f.normal, 0, 0};
  }
  Manifold m;
  patchFor(a, b, axis, reach, m);
  if (m.count == 0) return;
  m.sub = f.index;
  for (int i = 0; i < m.count; ++i) {
    Point& p = m.points[static_cast<std::size_t>(i)];
    p.feature = featureOf(f.index, p.feature);
  }
  merger.add(m);
}

}  // namespace

void convexMesh(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach, Manifolds& out) {
  thread_local shape::Polyhedron hull;
  thread_local std::vector<std::uint32_t> triangles;
  thread_local Merger merger;
  shape::place(*a.convex, {pose_b.toBody(pose_a.position), pose_b.turn.conjugate() * pose_a.turn}, hull);
  Box box;
  for (const Vec3& v : hull.vertices) box.add(v);
  triangles.clear();
  b.surface->tree.overlapping(box.grown(reach), triangles);
  merger.clear();
  merger.tolerance(1e-4 * a.outer_radius);
  for (const std::uint32_t t : triangles) {
    if (b.surface->normals[t].isZero(0)) continue;
    convexTriangle(*b.surface, hull, facing(*b.surface, t, hull.centre), reach, merger);
  }
  merger.finish(pose_b, false, out);
}

void sphereMesh(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach, Manifolds& out) {
  thread_local std::vector<std::uint32_t> triangles;
  thread_local Merger merger;
  const Vec3 c = pose_b.toBody(pose_a.position);
  const Vec3 r = Vec3::Constant(a.radius + reach);
  triangles.clear();
  b.surface->tree.overlapping({c - r, c + r}, triangles);
  merger.clear();
  merger.tolerance(1e-4 * a.radius);
  for (const std::uint32_t t : triangles) {
    if (b.surface->normals[t].isZero(0)) continue;
    const Facing f = facing(*b.surface, t, c);
    const mesh::TrianglePoint nearest = mesh::nearestOnTriangle(c, f.corner[0], f.corner[1], f.corner[2]);
    const double distance = (c - nearest.point).norm();
    if (distance > a.radius + reach) continue;
    const Vec3 push = distance > 1e-12 * a.radius ? Vec3((c - nearest.point) / distance) : f.normal;
    if (nearest.feature != 0 && !mayPush(*b.surface, f, push)) continue;
    Manifold m;
    m.normal = -push;
    m.sub = t;
    m.count = 1;
    m.points[0] = {nearest.point + 0.5 * (distance - a.radius) * push, distance - a.radius,
                   featureOf(t, static_cast<std::uint32_t>(nearest.feature))};
    merger.add(m);
  }
  merger.finish(pose_b, false, out);
}

}  // namespace drubble::collide
