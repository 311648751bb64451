// SPDX-License-Identifier: Apache-2.0
// Everything against the triangles of a mesh. Work is done in the piece's own frame: a triangle is cheaper to
// move than a hull.
#include <algorithm>

#include "core/base/random.h"
#include "core/collide/closest.h"
#include "core/collide/ellipsoid.h"
#include "core/collide/hullish.h"
#include "core/collide/merger.h"
#include "core/collide/pairs.h"

namespace drubble::collide {

using shape::Shape;
using shape::Surface;

namespace {

constexpr double kMuchLess = 0.5;  // of a depth: the way out is another one
constexpr double kLedge = 2e-3;    // of the inner radius: trips nothing
constexpr double kTilt = 1e-3;     // a normal tilted by less than this is the triangle's own

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
    if (tilt * beyond.dot(f.normal) - normal.dot(f.normal) * turn > kTilt) return false;
  }
  return true;
}

std::uint32_t featureOf(std::uint32_t triangle, std::uint32_t feature) {
  return static_cast<std::uint32_t>(mixBits((static_cast<std::uint64_t>(triangle) << 32) | feature) >> 32);
}

// The triangle as a flat convex body of one face. Each edge's arc of normals runs from the face over the edge
// to the back: two arcs, since one of half a turn has no direction.
struct FlatSide {
  std::array<shape::Face, 1> faces;
  std::array<std::uint32_t, 3> loops{0, 1, 2};
  std::array<shape::Edge, 6> edges;
  std::array<Block4, 1> corner_blocks, face_blocks;
  static constexpr std::uint32_t kFirstFaceOf[4] = {0, 1, 2, 3};
  static constexpr std::uint32_t kFacesOf[3] = {0, 0, 0};
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
  for (std::size_t k = 0; k < 4; ++k) {
    Block4 &c = flat.corner_blocks[0], &p = flat.face_blocks[0];
    const Vec3& v = f.corner[k % 3];
    c.x[k] = v.x(), c.y[k] = v.y(), c.z[k] = v.z(), c.offset[k] = 0;
    p.x[k] = f.normal.x(), p.y[k] = f.normal.y(), p.z[k] = f.normal.z(), p.offset[k] = flat.faces[0].offset;
  }
  return {f.corner,
          flat.faces,
          flat.loops,
          flat.edges,
          flat.corner_blocks,
          flat.face_blocks,
          flat.kFirstFaceOf,
          flat.kFacesOf,
          (f.corner[0] + f.corner[1] + f.corner[2]) / 3,
          0};
}

bool above(const Facing& f, const Vec3& p) {
  for (std::size_t k = 0; k < 3; ++k)
    if ((f.corner[(k + 1) % 3] - f.corner[k]).cross(f.normal).dot(p - f.corner[k]) > 0) return false;
  return true;
}

// Where a triangle's neighbours have the way out of it, and that is much shorter than out of its own plane,
// it is left to them; unless nothing else is felt: then it is `kept`.
struct Left {
  bool kept = false, any = false;
};

// The patch of one triangle, in the hull's frame; count 0 when they do not meet. Most triangles are settled
// by their own plane or by distance; the full test is for edges and corners that overlap.
void patchOfTriangle(const Surface& s, const Hullish& h, const Facing& f, const Relative& to_piece,
                     double bare_reach, Left& left, Manifold& m) {
  const double reach = bare_reach + h.skin;
  const Side& hull = h.side;
  m.count = 0;
  double low;
  const Vec3 lowest = hull.vertices[lowestVertex(hull, f.normal, low)];
  const Axis own{AxisKind::FaceB, low - f.normal.dot(f.corner[0]), -f.normal, 0, 0};
  if (own.gap > reach) return;
  FlatSide flat;
  const Side triangle = sideOf(f, flat);
  if (above(f, lowest)) return patchFor(hull, triangle, {}, own, reach, m);
  const Closest closest = closestPoints(hull, triangle, {}, f.normal, reach);
  if (closest.beyond) return;
  if (closest.apart) {
    const Vec3 push = (closest.on_a - closest.on_b) / closest.distance;
    // What is behind the triangle without touching it has come round another one.
    if (push.dot(f.normal) < 0 && !left.kept) return void(left.any = true);
    if (!mayPush(s, f, to_piece, push) || push.dot(f.normal) > 1 - 1e-6)
      return patchFor(hull, triangle, {}, own, reach, m);
    return preferClosest(closest, 0, m);
  }
  Axis axis = leastOverlap(hull, triangle, {}, reach, 1e-3 * hull.inner_radius);
  if (axis.kind == AxisKind::None) return;
  if (!mayPush(s, f, to_piece, -axis.normal)) {
    const bool leave = !left.kept && axis.gap > kMuchLess * own.gap;
    left.any = left.any || leave;
    if (leave) return;
    patchFor(hull, triangle, {}, own, reach, m);
    if (m.count > 0) return;
    left.any = true;
    if (!left.kept) return;
  }
  patchFor(hull, triangle, {}, axis, reach, m);
}

Facing turned(const Facing& f, const Mat3& turn) {
  Facing out = f;
  for (Vec3& c : out.corner) c = turn * c;
  out.normal = turn * f.normal;
  return out;
}

// The same for a prism that is turned to where it touches: first to face the triangle, then, where an edge or
// a corner decides, to the place that is touched, with the finer prism. With the skin taken off.
void turnedPatch(const Surface& s, const Hullish& h, const Facing& f, const Relative& to_piece, double reach,
                 Left& left, Manifold& m) {
  const auto patchToward = [&](const Vec3& toward, const Hullish& prism, Manifold& out) {
    const Mat3 turn = turnToward(h, toward);
    patchOfTriangle(s, prism, turned(f, turn.transpose()),
                    {turn.transpose() * to_piece.turn, turn.transpose() * to_piece.shift}, reach, left, out);
    out.normal = turn * out.normal;
    for (Point& p : out.points) p.position = turn * p.position;
  };
  if (!h.turns) {
    patchOfTriangle(s, h, f, to_piece, reach, left, m);
  } else {
    patchToward(-f.normal, h, m);
    if (m.count > 0 && m.normal.dot(f.normal) > -1 + 1e-6) {
      Hullish fine = h;
      fine.side = h.fine;
      for (int k = 0; k < 4; ++k) {
        const Point& p = m.points[0];
        Manifold nearer;
        patchToward(p.position + 0.5 * p.gap * m.normal, fine, nearer);
        if (nearer.count == 0 || (k > 0 && !(nearer.leastGap() < m.leastGap()))) break;
        m = nearer;
      }
    }
  }
  for (int k = 0; k < m.count; ++k) {
    Point& p = m.points[static_cast<std::size_t>(k)];
    p.gap -= h.skin;
    p.position += 0.5 * h.skin * m.normal;
  }
}

// A piece that skims over the surface beyond one of the triangle's edges does not run against the triangle:
// it lies above that surface, but for a ledge that trips nothing, or for much less than it would lie behind
// the triangle (`depth`): then that surface has it.
bool skimsOver(const Surface& s, const Hullish& h, const Facing& f, const Relative& to_piece,
               std::uint32_t beyond, const Vec3& push, double depth) {
  const Vec3 n = f.sign * (to_piece.turn * s.normals[beyond]);
  if (absolute(n.dot(push)) > 0.7) return false;
  const double level = n.dot(to_piece.point(s.mesh.vertices[s.mesh.triangles[beyond][0]]));
  for (const Vec3& corner : f.corner)
    if (n.dot(corner) - level > 1e-9 * h.side.inner_radius) return false;  // the surface turns up there
  double low;
  lowestVertex(h.side, n, low);
  return absolute(low - h.skin - level) < greatest(kLedge * h.side.inner_radius, kMuchLess * depth);
}

// The same for the triangle's neighbours and those of neighbours that lie flat with it.
bool skimsPast(const Surface& s, const Hullish& h, const Facing& f, const Relative& to_piece,
               const Vec3& push, double depth) {
  for (const std::uint32_t t : f.side) {
    if (t == mesh::kNoTriangle) continue;
    if (skimsOver(s, h, f, to_piece, t, push, depth)) return true;
    if (s.normals[t].dot(s.normals[f.index]) < 1 - 1e-9) continue;
    for (const std::uint32_t u : s.neighbours[t])
      if (u != mesh::kNoTriangle && u != f.index && skimsOver(s, h, f, to_piece, u, push, depth)) return true;
  }
  return false;
}

void hullishTriangle(const Surface& s, const Hullish& hull, const Facing& f, const Relative& to_piece,
                     double reach, Left& left, Merger& merger) {
  Manifold m;
  turnedPatch(s, hull, f, to_piece, reach, left, m);
  if (m.count == 0) return;
  if (skimsPast(s, hull, f, to_piece, -m.normal, left.kept ? 0 : -m.leastGap())) return void(left.any = true);
  m.sub = f.index;
  for (int i = 0; i < m.count; ++i) {
    Point& p = m.points[static_cast<std::size_t>(i)];
    p.feature = featureOf(f.index, p.feature);
  }
  merger.add(m);
}

// Whether the triangle comes near the piece's own box.
bool comesNear(const Facing& f, const Box& box) {
  Box t;
  for (const Vec3& c : f.corner) t.add(c);
  return t.overlaps(box);
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

// The triangles near the piece, in its frame; where it is in front of some and behind others, only those that
// look the way of the nearest.
void nearTriangles(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                   const Vec3& centre, const Relative& to_piece, std::vector<Facing>& near) {
  thread_local std::vector<std::uint32_t> triangles;
  const Pose in_mesh{pose_b.toBody(pose_a.position), pose_b.turn.conjugate() * pose_a.turn};
  triangles.clear();
  b.surface->tree.overlapping(shape::boundsAt(a, in_mesh).grown(reach), triangles);
  near.clear();
  bool front = false, back = false;
  for (const std::uint32_t t : triangles) {
    if (b.surface->normals[t].isZero(0)) continue;
    near.push_back(facing(*b.surface, t, to_piece, centre));
    (near.back().sign > 0 ? front : back) = true;
  }
  const double side = front && back ? sideOfSurface(near, centre) : front ? 1 : -1;
  const Box box = a.bounds.grown(reach);
  std::erase_if(near, [&](const Facing& f) { return f.sign != side || !comesNear(f, box); });
}

}  // namespace

void hullishMesh(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                 Manifolds& out) {
  thread_local std::vector<Facing> near;
  thread_local Merger merger;
  const Relative to_piece = relative(pose_b, pose_a);
  const Hullish hull = hullishOf(a);
  nearTriangles(a, pose_a, b, pose_b, reach, hull.side.centre, to_piece, near);
  const std::size_t start = out.size();
  const auto all = [&](Left& left) {
    merger.begin(1e-4 * a.outer_radius);
    for (const Facing& f : near) hullishTriangle(*b.surface, hull, f, to_piece, reach, left, merger);
    merger.finish(pose_a, out);
  };
  Left left;
  all(left);
  if (!left.any || out.size() > start) return;
  left.kept = true;
  all(left);
}

namespace {

// What touches the triangle in one point only: a ball or an ellipsoid.
void addTouch(std::uint32_t triangle, const Vec3& position, const Vec3& push, double gap, int feature,
              Merger& merger) {
  Manifold m;
  m.normal = -push;
  m.sub = triangle;
  m.count = 1;
  m.points[0] = {position, gap, featureOf(triangle, static_cast<std::uint32_t>(feature))};
  merger.add(m);
}

// Of the triangle that is nearest to the piece's centre, if it lies within the ball.
void touchInnerBall(const std::vector<Facing>& near, double radius, Merger& merger) {
  double best = radius;
  const Facing* hit = nullptr;
  mesh::TrianglePoint at;
  for (const Facing& f : near) {
    const mesh::TrianglePoint p =
        mesh::nearestOnTriangle(Vec3::Zero(), f.corner[0], f.corner[1], f.corner[2]);
    if (p.point.norm() >= best) continue;
    best = p.point.norm();
    hit = &f;
    at = p;
  }
  if (hit == nullptr) return;
  const Vec3 push = best > 1e-12 * radius ? Vec3(-at.point / best) : hit->normal;
  addTouch(hit->index, 0.5 * (at.point - radius * push), push, best - radius, at.feature, merger);
}

}  // namespace

void sphereMesh(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                Manifolds& out) {
  thread_local std::vector<Facing> near;
  thread_local Merger merger;
  const Relative to_piece = relative(pose_b, pose_a);
  merger.begin(1e-4 * a.radius);
  nearTriangles(a, pose_a, b, pose_b, reach, Vec3::Zero(), to_piece, near);
  for (const Facing& f : near) {
    const mesh::TrianglePoint nearest =
        mesh::nearestOnTriangle(Vec3::Zero(), f.corner[0], f.corner[1], f.corner[2]);
    const double distance = nearest.point.norm();
    if (distance > a.radius + reach) continue;
    const Vec3 push = distance > 1e-12 * a.radius ? Vec3(-nearest.point / distance) : f.normal;
    if (nearest.feature != 0 && !mayPush(*b.surface, f, to_piece, push)) continue;
    addTouch(f.index, nearest.point + 0.5 * (distance - a.radius) * push, push, distance - a.radius,
             nearest.feature, merger);
  }
  merger.finish(pose_a, out);
}

void ellipsoidMesh(const Shape& a, const Pose& pose_a, const Shape& b, const Pose& pose_b, double reach,
                   Manifolds& out) {
  thread_local std::vector<Facing> near;
  thread_local Merger merger;
  const Relative to_piece = relative(pose_b, pose_a);
  const Vec3& e = a.half_axes;
  bool any = false;
  merger.begin(1e-4 * a.inner_radius);
  nearTriangles(a, pose_a, b, pose_b, reach, Vec3::Zero(), to_piece, near);
  for (const Facing& f : near) {
    const Vec3 lowest = -farthestOnEllipsoid(e, f.normal);
    const double plane_gap = f.normal.dot(lowest - f.corner[0]);
    if (plane_gap > reach) continue;
    int feature;
    const Vec3 nearest = nearestOnTriangleScaled(e, f.corner, feature);
    if (feature == 0) {
      addTouch(f.index, lowest - 0.5 * plane_gap * f.normal, f.normal, plane_gap, 0, merger);
      any = true;
      continue;
    }
    const auto edge = static_cast<std::size_t>(feature - 1);
    const OnEllipsoid on = feature <= 3 ? nearestOfLine(e, f.corner[edge], f.corner[(edge + 1) % 3])
                                        : nearestOnEllipsoid(e, nearest);
    if (on.distance > reach || !mayPush(*b.surface, f, to_piece, -on.normal)) continue;
    addTouch(f.index, on.point + 0.5 * on.distance * on.normal, -on.normal, on.distance, feature, merger);
    any = true;
  }
  // So deep that no edge or corner may push: then as the ball within it.
  if (!any) touchInnerBall(near, a.inner_radius, merger);
  merger.finish(pose_a, out);
}

}  // namespace drubble::collide
