// SPDX-License-Identifier: Apache-2.0
// Spheres and convex shapes against the triangles of a static mesh. Work is done in the piece's own frame: a
// triangle is cheaper to move than a hull.
#include <algorithm>

#include "core/base/random.h"
#include "core/collide/closest.h"
#include "core/collide/pairs.h"
#include "core/collide/separation.h"

namespace drubble::collide {

using shape::Shape;
using shape::Surface;

namespace {

constexpr double kSameNormal = 0.9925;  // patches within 7 degrees are one
constexpr double kTilt = 1e-3;          // a normal tilted by less than this is the triangle's own

// One triangle in the piece's frame, turned so that `normal` looks at the piece.
struct Facing {
  std::uint32_t index;
  std::array<Vec3, 3> corner;
  std::array<std::uint32_t, 3> side;  // the triangle across corner k to k+1, or none
  Vec3 normal;
  double sign;  // -1 when the piece is behind the triangle
};

Facing facing(const Surface& s, std::uint32_t t, const Relative& to_piece, const Vec3& piece_centre) {
  const mesh::Triangle& c = s.mesh.triangles[t];
  Facing f{t,
           {to_piece.point(s.mesh.vertices[c[0]]), to_piece.point(s.mesh.vertices[c[1]]),
            to_piece.point(s.mesh.vertices[c[2]])},
           s.neighbours[t],
           to_piece.turn * s.normals[t],
           1};
  if (f.normal.dot(piece_centre - f.corner[0]) < 0) {
    f.normal = -f.normal;
    f.sign = -1;
    std::swap(f.corner[1], f.corner[2]);
    std::swap(f.side[0], f.side[2]);
  }
  return f;
}

// Whether a normal (unit, from the triangle to the piece) may come from this triangle: it must not tilt over
// an edge beyond which the surface goes on flat, turns up, or takes over the normal itself.
bool mayPush(const Surface& s, const Facing& f, const Relative& to_piece, const Vec3& normal) {
  for (std::size_t k = 0; k < 3; ++k) {
    const Vec3 out = (f.corner[(k + 1) % 3] - f.corner[k]).cross(f.normal).normalized();
    const double tilt = normal.dot(out);
    if (tilt <= kTilt || f.side[k] == mesh::kNoTriangle) continue;
    const Vec3 beyond = f.sign * (to_piece.turn * s.normals[f.side[k]]);
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

  void finish(const Pose& pose, Manifolds& out) const {
    for (const Group& g : groups_) {
      Manifold m;
      m.sub = g.sub;
      m.normal = pose.turn * g.normal;
      std::vector<Point> points = g.points;
      for (Point& p : points) p.position = pose.toWorld(p.position);
      keepFour(points, m);
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

// The triangle as a flat convex body of one face. Each edge's arc of normals runs from the face over the edge
// to the back: two arcs, since one of half a turn has no direction.
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
    for (const auto& [slot, left, right] :
         {std::tuple{2 * k, f.normal, out}, std::tuple{2 * k + 1, out, Vec3(-f.normal)}}) {
      shape::Edge& e = flat.edges[slot];
      e.a = k;
      e.b = next;
      e.left = left;
      e.right = right;
      shape::finishEdge(f.corner[k], f.corner[next], e);
    }
  }
  return {f.corner, flat.faces, flat.loops, flat.edges, (f.corner[0] + f.corner[1] + f.corner[2]) / 3, 0};
}

bool above(const Facing& f, const Vec3& p) {
  for (std::size_t k = 0; k < 3; ++k)
    if ((f.corner[(k + 1) % 3] - f.corner[k]).cross(f.normal).dot(p - f.corner[k]) > 0) return false;
  return true;
}

// The patch of one triangle, in the hull's frame; count 0 when they do not meet. Most triangles are settled
// by their own plane or by distance; the full test is for edges and corners that overlap.
void patchOfTriangle(const Surface& s, const Side& hull, const Facing& f, const Relative& to_piece,
                     double reach, Manifold& m) {
  double low;
  const Vec3 lowest = hull.vertices[lowestVertex(hull.vertices, f.normal, low)];
  const Axis own{AxisKind::FaceB, low - f.normal.dot(f.corner[0]), -f.normal, 0, 0};
  if (own.gap > reach) return;
  FlatSide flat;
  const Side triangle = sideOf(f, flat);
  if (above(f, lowest)) return patchFor(hull, triangle, {}, own, reach, m);
  const Closest closest = closestPoints(hull, triangle, {}, reach);
  if (closest.beyond) return;
  if (closest.apart) {
    const Vec3 push = (closest.on_a - closest.on_b) / closest.distance;
    if (!mayPush(s, f, to_piece, push) || push.dot(f.normal) > 1 - 1e-6)
      return patchFor(hull, triangle, {}, own, reach, m);
    return preferClosest(closest, m);
  }
  Axis axis = leastOverlap(hull, triangle, {}, reach, 1e-3 * hull.inner_radius);
  if (axis.kind == AxisKind::None) return;
  if (!mayPush(s, f, to_piece, -axis.normal)) axis = own;
  patchFor(hull, triangle, {}, axis, reach, m);
}

void convexTriangle(const Surface& s, const Side& hull, const Facing& f, const Relative& to_piece,
                    double reach, Merger& merger) {
  Manifold m;
  patchOfTriangle(s, hull, f, to_piece, reach, m);
  if (m.count == 0) return;
  m.sub = f.index;
  for (int i = 0; i < m.count; ++i) {
    Point& p = m.points[static_cast<std::size_t>(i)];
    p.feature = featureOf(f.index, p.feature);
  }
  merger.add(m);
}

// Which side of the surface the piece is on, where its triangles disagree: that of the triangle nearest to
// its centre. A piece that slides over an edge is not behind the surface that begins there.
double sideOfSurface(const std::vector<Facing>& near, const Vec3& centre) {
  double best = std::numeric_limits<double>::infinity(), best_height = 0, sign = 1;
  for (const Facing& f : near) {
    const Vec3 nearest = mesh::nearestOnTriangle(centre, f.corner[0], f.corner[1], f.corner[2]).point;
    const double d = (nearest - centre).squaredNorm(), height = f.normal.dot(centre - f.corner[0]);
    // At a shared edge all its triangles are as near; the one most looked at straight on decides.
    if (d < best * (1 - 1e-9) || (d <= best * (1 + 1e-9) && height > best_height))
      best = d, best_height = height, sign = f.sign;
  }
  return sign;
}

// The hull's box in the mesh's frame.
Box boxOf(const shape::Polyhedron& hull, const Relative& to_mesh) {
  Box box;
  for (const Vec3& v : hull.vertices) box.add(to_mesh.point(v));
  return box;
}

}  // namespace

void convexMesh(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                Manifolds& out) {
  thread_local std::vector<std::uint32_t> triangles;
  thread_local std::vector<Facing> near;
  thread_local Merger merger;
  const Relative to_piece = relative(pose_b, pose_a);
  triangles.clear();
  b.surface->tree.overlapping(boxOf(*a.convex, to_piece.inverse()).grown(reach), triangles);
  merger.clear();
  merger.tolerance(1e-4 * a.outer_radius);
  const Side hull = collide::sideOf(*a.convex);
  near.clear();
  bool front = false, back = false;
  for (const std::uint32_t t : triangles) {
    if (b.surface->normals[t].isZero(0)) continue;
    near.push_back(facing(*b.surface, t, to_piece, hull.centre));
    (near.back().sign > 0 ? front : back) = true;
  }
  const double side = front && back ? sideOfSurface(near, hull.centre) : 0;
  for (const Facing& f : near)
    if (side == 0 || f.sign == side) convexTriangle(*b.surface, hull, f, to_piece, reach, merger);
  merger.finish(pose_a, out);
}

void sphereMesh(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                Manifolds& out) {
  thread_local std::vector<std::uint32_t> triangles;
  thread_local Merger merger;
  const Relative to_piece = relative(pose_b, pose_a);
  const Vec3 centre = to_piece.inverse().shift, r = Vec3::Constant(a.radius + reach);
  triangles.clear();
  b.surface->tree.overlapping({centre - r, centre + r}, triangles);
  merger.clear();
  merger.tolerance(1e-4 * a.radius);
  for (const std::uint32_t t : triangles) {
    if (b.surface->normals[t].isZero(0)) continue;
    const Facing f = facing(*b.surface, t, to_piece, Vec3::Zero());
    const mesh::TrianglePoint nearest =
        mesh::nearestOnTriangle(Vec3::Zero(), f.corner[0], f.corner[1], f.corner[2]);
    const double distance = nearest.point.norm();
    if (distance > a.radius + reach) continue;
    const Vec3 push = distance > 1e-12 * a.radius ? Vec3(-nearest.point / distance) : f.normal;
    if (nearest.feature != 0 && !mayPush(*b.surface, f, to_piece, push)) continue;
    Manifold m;
    m.normal = -push;
    m.sub = t;
    m.count = 1;
    m.points[0] = {nearest.point + 0.5 * (distance - a.radius) * push, distance - a.radius,
                   featureOf(t, static_cast<std::uint32_t>(nearest.feature))};
    merger.add(m);
  }
  merger.finish(pose_a, out);
}

}  // namespace drubble::collide
