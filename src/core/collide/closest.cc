// SPDX-License-Identifier: Apache-2.0
#include "core/collide/closest.h"

#include <cmath>

#include "core/collide/hullish.h"

namespace drubble::collide {

namespace {

constexpr int kMostRounds = 64;
constexpr double kExact = 1e-13;      // of the squared distance
constexpr double kNearly = 1e-7;      // the same: the direction is good to some 3e-4
constexpr double kFlat = 1e-7;        // of its extent: a simplex as low as this encloses nothing
constexpr double kSameWay = 0.985;    // cosine: within ten degrees
constexpr double kStraight = 0.9999;  // within one
constexpr std::uint32_t kClosestFeature = 0x20000000u;

struct Corner {
  Vec3 w, a, b;  // w = a - b
  std::uint32_t ia, ib;
};

// The part of the difference body looked at: up to four corners and the weights of the point nearest to the
// origin.
struct Simplex {
  std::array<Corner, 4> corner;
  std::array<double, 4> weight{};
  std::size_t count = 0;

  Vec3 nearest() const {
    Vec3 v = Vec3::Zero();
    for (std::size_t i = 0; i < count; ++i) v += weight[i] * corner[i].w;
    return v;
  }
  bool holds(std::uint32_t ia, std::uint32_t ib) const {
    for (std::size_t i = 0; i < count; ++i)
      if (corner[i].ia == ia && corner[i].ib == ib) return true;
    return false;
  }
};

// Which of a simplex's corners hold the nearest point, with what weights.
struct Share {
  std::array<std::size_t, 3> corner{};
  std::array<double, 3> weight{};
  std::size_t count = 0;
};

Share nearestOnLine(const Simplex& s, std::size_t i, std::size_t j) {
  const Vec3 &p = s.corner[i].w, d = s.corner[j].w - p;
  const double t = -p.dot(d), dd = d.squaredNorm();
  if (t <= 0 || dd == 0) return {{i}, {1}, 1};
  if (t >= dd) return {{j}, {1}, 1};
  return {{i, j}, {1 - t / dd, t / dd}, 2};
}

Share nearestOnFace(const Simplex& s, std::size_t i, std::size_t j, std::size_t k) {
  const Vec3 &a = s.corner[i].w, &b = s.corner[j].w, &c = s.corner[k].w;
  const Vec3 ab = b - a, ac = c - a;
  const double d1 = -ab.dot(a), d2 = -ac.dot(a), d3 = -ab.dot(b), d4 = -ac.dot(b), d5 = -ab.dot(c),
               d6 = -ac.dot(c);
  if (d1 <= 0 && d2 <= 0) return {{i}, {1}, 1};
  if (d3 >= 0 && d4 <= d3) return {{j}, {1}, 1};
  if (d6 >= 0 && d5 <= d6) return {{k}, {1}, 1};
  const double vc = d1 * d4 - d3 * d2, vb = d5 * d2 - d1 * d6, va = d3 * d6 - d5 * d4;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return nearestOnLine(s, i, j);
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return nearestOnLine(s, i, k);
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) return nearestOnLine(s, j, k);
  const double sum = va + vb + vc;
  return {{i, j, k}, {va / sum, vb / sum, vc / sum}, 3};
}

// Whether the origin is inside; else the nearest of its faces in `best`.
bool insideSolid(const Simplex& s, Share& best) {
  static constexpr std::size_t kFaces[4][4] = {{0, 1, 2, 3}, {0, 2, 3, 1}, {0, 3, 1, 2}, {1, 3, 2, 0}};
  double best_squared = std::numeric_limits<double>::infinity();
  bool inside = true;
  for (const auto& f : kFaces) {
    const Vec3& a = s.corner[f[0]].w;
    const Vec3 n = (s.corner[f[1]].w - a).cross(s.corner[f[2]].w - a);
    const double side = n.dot(s.corner[f[3]].w - a), origin = -n.dot(a);
    // The origin is on the solid's side of this face; one that is flat has no side.
    const double height = absolute(side), flat = kFlat * n.norm() * s.corner[f[3]].w.norm();
    if (height > flat && side * origin > 0) continue;
    inside = false;
    const Share on = nearestOnFace(s, f[0], f[1], f[2]);
    Vec3 v = Vec3::Zero();
    for (std::size_t i = 0; i < on.count; ++i) v += on.weight[i] * s.corner[on.corner[i]].w;
    if (const double d = v.squaredNorm(); d < best_squared) best_squared = d, best = on;
  }
  return inside;
}

// Keeps the corners that hold the nearest point; false: the origin is inside.
bool reduce(Simplex& s) {
  Share on{{0}, {1}, 1};
  if (s.count == 2) on = nearestOnLine(s, 0, 1);
  if (s.count == 3) on = nearestOnFace(s, 0, 1, 2);
  if (s.count == 4 && insideSolid(s, on)) return false;
  // Their order may change: what is still to be read must not be written over.
  std::array<Corner, 3> kept;
  for (std::size_t i = 0; i < on.count; ++i) kept[i] = s.corner[on.corner[i]];
  for (std::size_t i = 0; i < on.count; ++i) s.corner[i] = kept[i], s.weight[i] = on.weight[i];
  s.count = on.count;
  return true;
}

// `lowest` gives the corner of the difference body that is lowest along a direction; `enough`: by which share
// of the squared distance a round must come nearer.
template <class Lowest>
Closest closestOf(Lowest lowest, const Vec3& guess, double reach, double enough) {
  Simplex s;
  Vec3 v = guess;
  if (v.isZero(0)) v = Vec3::UnitX();
  Closest out;
  double scale = 0;
  for (int round = 0; round < kMostRounds; ++round) {
    const Corner c = lowest(v, round);
    scale = greatest(scale, c.w.squaredNorm());
    const double along = v.dot(c.w), vv = v.squaredNorm();
    if (along > 0 && along * along > reach * reach * vv) {
      out.apart = out.beyond = true;
      out.apart_along = -v;
      return out;
    }
    if (s.count > 0 && (s.holds(c.ia, c.ib) || vv - along <= enough * vv)) break;
    s.corner[s.count++] = c;
    if (!reduce(s)) return out;
    v = s.nearest();
    if (v.squaredNorm() <= 1e-20 * scale) return out;
    if (s.count > 1 && !(v.squaredNorm() < vv)) break;  // no nearer: rounding
  }
  out.apart = true;
  out.distance = v.norm();
  for (std::size_t i = 0; i < s.count; ++i) {
    out.on_a += s.weight[i] * s.corner[i].a;
    out.on_b += s.weight[i] * s.corner[i].b;
  }
  return out;
}

// Of a body of corners the one lowest along `n`; of a cylinder, shorn all round by a share of its radius or
// half its height, the lesser, the place of its surface.
Vec3 lowestOfSmooth(const Hullish& h, const Vec3& n, double share) {
  if (!h.turns) {
    double ignored;
    return h.side.vertices[lowestVertex(h.side, n, ignored)];
  }
  const double shorn = share * least(h.radius, h.half_length), up = h.axis.dot(n);
  const Vec3 across = n - up * h.axis;
  const double length = across.norm();
  const Vec3 end = (up > 0 ? shorn - h.half_length : h.half_length - shorn) * h.axis;
  return length > 1e-9 * n.norm() ? Vec3(end - (h.radius - shorn) / length * across) : end;
}

}  // namespace

Closest closestPoints(const Side& a, const Side& b, const Relative& b_to_a, const Vec3& guess, double reach) {
  const auto lowest = [&](const Vec3& v, int) {
    double ignored;
    Corner c;
    c.ia = lowestVertex(a, v, ignored);
    c.ib = lowestVertex(b, -(b_to_a.turn.transpose() * v), ignored);
    c.a = a.vertices[c.ia];
    c.b = b_to_a.point(b.vertices[c.ib]);
    c.w = c.a - c.b;
    return c;
  };
  return closestOf(lowest, guess, reach, kExact);
}

Closest closestOfSmooth(const Hullish& a, const Hullish& b, const Relative& b_to_a, double shorn,
                        double reach) {
  const auto lowest = [&](const Vec3& v, int round) {
    Corner c;
    c.ia = c.ib = static_cast<std::uint32_t>(round);
    c.a = lowestOfSmooth(a, v, shorn);
    c.b = b_to_a.point(lowestOfSmooth(b, -(b_to_a.turn.transpose() * v), shorn));
    c.w = c.a - c.b;
    return c;
  };
  const Vec3 guess = a.side.centre - b_to_a.point(b.side.centre);
  return closestOf(lowest, guess, reach, kNearly);
}

bool nearlySame(const Vec3& m, const Vec3& n) { return m.dot(n) > kSameWay; }

void closestPatch(const Closest& closest, Manifold& patch) {
  patch.normal = (closest.on_b - closest.on_a) / closest.distance;
  patch.face_of = FaceOf::Neither;
  patch.count = 1;
  patch.points[0] = {0.5 * (closest.on_a + closest.on_b), closest.distance, kClosestFeature};
}

void preferClosest(const Closest& closest, double low, Manifold& patch) {
  if (!closest.apart || closest.beyond || !(closest.distance > 0)) return;
  const Vec3 n = (closest.on_b - closest.on_a) / closest.distance;
  const double same = patch.count > 1 && low > 0 ? kSameWay : kStraight;
  const double near = greatest(patch.count > 1 ? low : 0, 1e-3 * closest.distance);
  if (patch.count > 0 && patch.normal.dot(n) > same && patch.leastGap() < closest.distance + near) return;
  closestPatch(closest, patch);
}

}  // namespace drubble::collide
