// SPDX-License-Identifier: Apache-2.0
// Over which faces pieces face each other.
#include <algorithm>
#include <array>

#include "core/collide/broad.h"
#include "core/collide/pairs.h"
#include "core/world/bonding.h"
#include "core/world/joining.h"

namespace drubble::world {

namespace {

constexpr double kFacing =
    0.966;  // cosine of 15 degrees: a face turned farther from the normal does not face

using Polygon = std::vector<Vec3>;

// What of a piece faces along `n` (world), no farther than `reach` from the place's plane: flat convex
// polygons, counter-clockwise seen from where n points, flattened into that plane.
void addFacing(const shape::Shape& s, const mesh::TriangleMesh& m, const Pose& at, const Vec3& n,
               const Vec3& place, double reach, std::vector<Polygon>& out) {
  const auto add = [&](Polygon p, const Vec3& normal) {
    if (normal.dot(n) < kFacing) return;
    for (Vec3& v : p) {
      const double height = n.dot(v - place);
      if (absolute(height) > reach) return;
      v -= height * n;
    }
    out.push_back(std::move(p));
  };
  switch (s.kind) {
    case shape::Kind::Joined:
      for (const shape::Part& p : *s.parts) addFacing(p.shape, m, at * p.pose, n, place, reach, out);
      return;
    case shape::Kind::Plane: {
      // As far as it matters: about the place.
      const Vec3 u = anyNormalTo(n), v = n.cross(u);
      const double far = 1e4;
      add({place - far * (u + v), place + far * (u - v), place + far * (u + v), place - far * (u - v)},
          at.turn * s.plane_normal);
      return;
    }
    case shape::Kind::Convex:
    case shape::Kind::Cylinder:
      for (const shape::Face& f : s.convex->faces) {
        Polygon p;
        for (std::uint32_t k = 0; k < f.count; ++k)
          p.push_back(at.toWorld(s.convex->vertices[s.convex->loops[f.first + k]]));
        add(std::move(p), at.turn * f.normal);
      }
      return;
    case shape::Kind::Mesh:
      // Felt from both sides.
      for (std::size_t t = 0; t < m.triangles.size(); ++t) {
        const mesh::Triangle& x = m.triangles[t];
        Polygon p;
        for (const std::uint32_t k : x) p.push_back(at.toWorld(m.vertices[k]));
        const Vec3 normal = at.turn * m.normal(t);
        if (normal.dot(n) < 0) std::reverse(p.begin(), p.end());
        add(std::move(p), normal.dot(n) < 0 ? Vec3(-normal) : normal);
      }
      return;
    default:
      return;  // what is round touches in a point
  }
}

// What two convex polygons of one plane share; both the same way round. Method: Sutherland and Hodgman,
// Reentrant polygon clipping (1974).
Polygon shared(Polygon p, const Polygon& q, const Vec3& n) {
  for (std::size_t k = 0; k < q.size() && !p.empty(); ++k) {
    const Vec3 &from = q[k], &to = q[(k + 1) % q.size()];
    const Vec3 inward = n.cross(to - from);
    Polygon kept;
    for (std::size_t i = 0; i < p.size(); ++i) {
      const Vec3 &a = p[i], &b = p[(i + 1) % p.size()];
      const double da = inward.dot(a - from), db = inward.dot(b - from);
      if (da >= 0) kept.push_back(a);
      if ((da >= 0) != (db >= 0)) kept.push_back(a + da / (da - db) * (b - a));
    }
    p = std::move(kept);
  }
  return p;
}

// The convex hull of places in one plane, counter-clockwise seen from where n points. Method: Andrew, Another
// efficient algorithm for convex hulls in two dimensions (1979).
Polygon hullOf(Polygon places, const Vec3& n) {
  const Vec3 u = anyNormalTo(n), v = n.cross(u);
  std::sort(places.begin(), places.end(), [&](const Vec3& a, const Vec3& b) {
    return std::pair(u.dot(a), v.dot(a)) < std::pair(u.dot(b), v.dot(b));
  });
  Polygon rim;
  for (int side = 0; side < 2; ++side) {
    const std::size_t first = rim.size();
    for (const Vec3& p : places) {
      while (rim.size() >= first + 2 &&
             !(n.dot((rim.back() - rim[rim.size() - 2]).cross(p - rim.back())) > 0))
        rim.pop_back();
      rim.push_back(p);
    }
    rim.pop_back();
    std::reverse(places.begin(), places.end());
  }
  return rim;
}

bond::Face faceBetween(const std::vector<Polygon>& a, const std::vector<Polygon>& b, const Vec3& n) {
  double area = 0;
  Vec3 sum = Vec3::Zero();
  Polygon all;
  for (const Polygon& p : a)
    for (const Polygon& q : b) {
      const Polygon x = shared(p, q, n);
      if (x.size() < 3) continue;
      const bond::Face f = bond::faceOf(x, n);
      area += f.area;
      sum += f.area * f.place;
      all.insert(all.end(), x.begin(), x.end());
    }
  if (!(area > 0)) return {};
  return bond::faceOf(hullOf(std::move(all), n), n, sum / area, area);
}

// Between two pieces, over the patch that covers most.
bond::Face widest(const Scene& s, std::size_t i, const Pose& pi, std::size_t j, const Pose& pj, double reach,
                  collide::Manifolds& found) {
  const Prototype &a = s.prototypeOf(i), &b = s.prototypeOf(j);
  const double slack =
      reach + 1e-6 * least(a.traits.size > 0 ? a.traits.size : 1, b.traits.size > 0 ? b.traits.size : 1);
  found.clear();
  collide::collide(a.shape, pi, b.shape, pj, slack, found);
  bond::Face best;
  std::vector<Vec3> seen;
  for (const collide::Manifold& m : found) {
    const bool again =
        std::any_of(seen.begin(), seen.end(), [&](const Vec3& n) { return n.dot(m.normal) > 0.9999; });
    if (m.leastGap() > slack || again) continue;
    seen.push_back(m.normal);
    std::vector<Polygon> mine, others;
    const Vec3 n = m.normal, place = m.points[0].position;
    addFacing(a.shape, a.mesh, pi, n, place, slack, mine);
    addFacing(b.shape, b.mesh, pj, -n, place, slack, others);
    for (Polygon& p : others) std::reverse(p.begin(), p.end());
    bond::Face f = faceBetween(mine, others, n);
    if (f.area > best.area) best = std::move(f);
  }
  return best;
}

}  // namespace

std::vector<Facing> facing(const Scene& s, std::span<const PieceId> a, std::span<const PieceId> b,
                           double reach) {
  std::vector<PieceId> all(a.begin(), a.end());
  all.insert(all.end(), b.begin(), b.end());
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  const auto in = [](std::span<const PieceId> list, PieceId p) {
    return std::binary_search(list.begin(), list.end(), p);
  };
  std::vector<Box> boxes;
  std::vector<Pose> poses;
  for (const PieceId p : all) {
    poses.push_back(startPose(s, p));
    const Box box = shape::boundsAt(s.prototypeOf(p.index()).shape, poses.back());
    boxes.push_back(box.grown(0.5 * reach + 1e-6 * box.size().minCoeff()));
  }
  const std::vector<collide::BoxKind> kinds(all.size(), collide::BoxKind::Moving);
  std::vector<Facing> out;
  collide::Manifolds found;
  for (const auto& [i, j] : collide::overlappingPairs(boxes, kinds)) {
    const PieceId p = all[i], q = all[j];
    if (!(in(a, p) && in(b, q)) && !(in(a, q) && in(b, p))) continue;
    if (!mayBond(s, p, q)) continue;
    bond::Face f = widest(s, p.index(), poses[i], q.index(), poses[j], reach, found);
    if (f.area > 0) out.push_back({p, q, std::move(f)});
  }
  return out;
}

}  // namespace drubble::world
