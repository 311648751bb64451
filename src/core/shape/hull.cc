// SPDX-License-Identifier: Apache-2.0
#include "core/shape/hull.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

#include "core/base/error.h"
#include "core/mesh/mass.h"

namespace drubble::shape {

namespace {

constexpr std::uint32_t kNone = 0xffffffffu;
constexpr std::size_t kFacetsAPoint = 1000;  // made on the way, by far more than any hull needs
constexpr int kLatticeBits = 24;             // steps of the lattice along the size, as a power of two
constexpr double kOutside = 1e-6;            // of the size: a point so far in front of a face was lost

__extension__ using Wide = __int128;

struct Facet {
  std::array<std::uint32_t, 3> v{};
  std::array<std::uint32_t, 3> next{kNone, kNone, kNone};  // across edge v[k] to v[k+1]
  Vec3 normal = Vec3::Zero();
  double offset = 0;
  std::vector<std::uint32_t> outside;
  bool dead = false;
};

// Points so nearly in one plane or on one line that rounding decides which side they are on.
struct TooClose : Error {
  TooClose()
      : Error(ErrorKind::Input, "its points lie too close together for a hull: weld those that are one") {}
};

class Builder {
 public:
  // With a `lattice` step on which all points lie (differences of at most 2^25 steps) sides are told exactly.
  explicit Builder(std::span<const Vec3> points, double lattice = 0) : p_(points), lattice_(lattice) {}

  std::vector<Facet> build() {
    firstTetrahedron();
    // Facets are appended, never re-used, so this visits each one that still has points outside it.
    const std::size_t most = 1000 + kFacetsAPoint * p_.size();
    for (std::uint32_t f = 0; f < facets_.size(); ++f) {
      if (!facets_[f].dead && !facets_[f].outside.empty()) addPoint(f);
      if (facets_.size() > most) throw TooClose();
    }
    std::vector<Facet> alive;
    for (Facet& f : facets_)
      if (!f.dead) alive.push_back(std::move(f));
    return alive;
  }

 private:
  // How far the point is in front of the facet, more than epsilon_ where it counts as seen.
  double above(const Facet& f, std::uint32_t i) const {
    const double distance = f.normal.dot(p_[i]) - f.offset;
    if (lattice_ == 0) return distance;
    return seesExactly(f, i) ? greatest(distance, 2 * epsilon_) : -1;
  }

  bool seesExactly(const Facet& f, std::uint32_t i) const {
    std::array<std::array<Wide, 3>, 3> u;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 way = (p_[k < 2 ? f.v[k + 1] : i] - p_[f.v[0]]) / lattice_;
      for (std::size_t c = 0; c < 3; ++c) u[k][c] = static_cast<std::int64_t>(way[static_cast<int>(c)]);
    }
    const auto minor = [&](std::size_t c, std::size_t d) { return u[0][c] * u[1][d] - u[0][d] * u[1][c]; };
    return minor(1, 2) * u[2][0] + minor(2, 0) * u[2][1] + minor(0, 1) * u[2][2] > 0;
  }

  std::uint32_t addFacet(std::uint32_t a, std::uint32_t b, std::uint32_t c) {
    Facet f;
    f.v = {a, b, c};
    const Vec3 n = (p_[b] - p_[a]).cross(p_[c] - p_[a]);
    const double length = n.norm();
    f.normal = length > 0 ? Vec3(n / length) : Vec3(Vec3::Zero());
    f.offset = f.normal.dot((p_[a] + p_[b] + p_[c]) / 3);
    facets_.push_back(std::move(f));
    return u32(facets_.size() - 1);
  }

  void firstTetrahedron() {
    Box box;
    for (const Vec3& p : p_) box.add(p);
    const double size = p_.empty() ? 0 : box.size().norm();
    epsilon_ = 1e-9 * size;
    const auto farthest = [&](auto measure) {
      std::uint32_t best = 0;
      double most = -1;
      for (std::uint32_t i = 0; i < p_.size(); ++i)
        if (const double d = measure(p_[i]); d > most) most = d, best = i;
      return std::pair{best, most};
    };
    const Vec3 middle = box.centre();
    const auto a = farthest([&](const Vec3& p) { return p_.empty() ? 0 : (p - middle).norm(); });
    const auto fail = [&] {
      throw Error(ErrorKind::Input, "its points lie in a plane: a hull needs thickness");
    };
    if (p_.size() < 4 || !(size > 0)) fail();
    const Vec3 pa = p_[a.first];
    const auto b = farthest([&](const Vec3& p) { return (p - pa).norm(); });
    const Vec3 along = (p_[b.first] - pa).normalized();
    const auto c = farthest([&](const Vec3& p) { return (p - pa - along.dot(p - pa) * along).norm(); });
    if (c.second <= 1e-6 * size) fail();
    const Vec3 n = (p_[b.first] - pa).cross(p_[c.first] - pa).normalized();
    const auto d = farthest([&](const Vec3& p) { return absolute(n.dot(p - pa)); });
    if (d.second <= 1e-6 * size) fail();
    std::uint32_t v[4] = {a.first, b.first, c.first, d.first};
    if (n.dot(p_[v[3]] - pa) > 0) std::swap(v[1], v[2]);
    // Now v3 is behind facet (v0, v1, v2).
    addFacet(v[0], v[1], v[2]);
    addFacet(v[0], v[3], v[1]);
    addFacet(v[1], v[3], v[2]);
    addFacet(v[2], v[3], v[0]);
    facets_[0].next = {1, 2, 3};
    facets_[1].next = {3, 2, 0};
    facets_[2].next = {1, 3, 0};
    facets_[3].next = {2, 1, 0};
    std::vector<std::uint32_t> all(p_.size());
    for (std::uint32_t i = 0; i < all.size(); ++i) all[i] = i;
    share(all, 0);
  }

  // Gives each point to the first facet from `start` on that it lies in front of; the rest are inside.
  void share(const std::vector<std::uint32_t>& points, std::uint32_t start) {
    for (const std::uint32_t i : points) {
      for (std::uint32_t f = start; f < facets_.size(); ++f) {
        if (above(facets_[f], i) <= epsilon_) continue;
        facets_[f].outside.push_back(i);
        break;
      }
    }
  }

  void addPoint(std::uint32_t f) {
    std::uint32_t eye = kNone;
    double most = -1;
    for (const std::uint32_t i : facets_[f].outside)
      if (const double d = above(facets_[f], i); d > most) most = d, eye = i;
    horizon_.clear();
    orphans_.clear();
    visit(eye, f, 0);
    const std::uint32_t first = u32(facets_.size());
    for (const auto& [facet, corner] : horizon_) {
      const std::uint32_t a = facets_[facet].v[(corner + 1) % 3], b = facets_[facet].v[corner];
      const std::uint32_t made = addFacet(a, b, eye);
      facets_[made].next[0] = facet;
      facets_[facet].next[corner] = made;
    }
    const std::uint32_t count = u32(horizon_.size());
    for (std::uint32_t k = 0; k < count; ++k) {
      facets_[first + k].next[1] = first + (k + 1) % count;
      facets_[first + k].next[2] = first + (k + count - 1) % count;
    }
    share(orphans_, first);
  }

  // Kills the facets that see the eye; collects the rim, in order, as seen from the facets that stay.
  void visit(std::uint32_t eye, std::uint32_t f, std::uint32_t entered_by) {
    facets_[f].dead = true;
    orphans_.insert(orphans_.end(), facets_[f].outside.begin(), facets_[f].outside.end());
    facets_[f].outside.clear();
    for (std::uint32_t k = 0; k < 3; ++k) {
      const std::uint32_t corner = (entered_by + k) % 3;
      const std::uint32_t other = facets_[f].next[corner];
      if (facets_[other].dead) continue;
      std::uint32_t back = 0;
      while (facets_[other].next[back] != f || facets_[other].v[back] != facets_[f].v[(corner + 1) % 3])
        ++back;
      if (above(facets_[other], eye) > epsilon_)
        visit(eye, other, back);
      else
        horizon_.push_back({other, back});
    }
  }

  std::span<const Vec3> p_;
  double lattice_ = 0;
  double epsilon_ = 0;
  std::vector<Facet> facets_;
  std::vector<std::pair<std::uint32_t, std::uint32_t>> horizon_;
  std::vector<std::uint32_t> orphans_;
};

// Groups facets that lie in one plane. Seeds in order of area, so that a sliver never sets the plane.
std::vector<std::uint32_t> coplanarGroups(std::span<const Vec3> p, const std::vector<Facet>& facets,
                                          double tolerance) {
  std::vector<std::uint32_t> order(facets.size());
  std::vector<double> area(facets.size());
  std::map<std::array<std::uint32_t, 2>, std::uint32_t> owner;
  for (std::uint32_t f = 0; f < facets.size(); ++f) {
    const auto& v = facets[f].v;
    order[f] = f;
    area[f] = (p[v[1]] - p[v[0]]).cross(p[v[2]] - p[v[0]]).norm();
    for (int k = 0; k < 3; ++k)
      owner[{v[static_cast<std::size_t>(k)], v[static_cast<std::size_t>((k + 1) % 3)]}] = f;
  }
  std::sort(order.begin(), order.end(),
            [&](std::uint32_t a, std::uint32_t b) { return area[a] != area[b] ? area[a] > area[b] : a < b; });
  std::vector<std::uint32_t> group(facets.size(), kNone);
  for (const std::uint32_t seed : order) {
    if (group[seed] != kNone) continue;
    const auto inPlane = [&](std::uint32_t f) {
      for (const std::uint32_t i : facets[f].v)
        if (absolute(facets[seed].normal.dot(p[i]) - facets[seed].offset) > tolerance) return false;
      return facets[f].normal.isZero(0) || facets[f].normal.dot(facets[seed].normal) > 0;
    };
    std::vector<std::uint32_t> todo{seed};
    group[seed] = seed;
    while (!todo.empty()) {
      const std::uint32_t f = todo.back();
      todo.pop_back();
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t other = owner[{facets[f].v[(k + 1) % 3], facets[f].v[k]}];
        if (group[other] != kNone || !inPlane(other)) continue;
        group[other] = seed;
        todo.push_back(other);
      }
    }
  }
  return group;
}

// The rim of each group as a loop of vertices, counter-clockwise.
std::vector<std::vector<std::uint32_t>> groupLoops(const std::vector<Facet>& facets,
                                                   const std::vector<std::uint32_t>& group) {
  std::map<std::uint32_t, std::map<std::uint32_t, std::uint32_t>> next_of;  // group -> vertex -> next
  std::map<std::array<std::uint32_t, 2>, std::uint32_t> owner;
  for (std::uint32_t f = 0; f < facets.size(); ++f)
    for (std::size_t k = 0; k < 3; ++k) owner[{facets[f].v[k], facets[f].v[(k + 1) % 3]}] = f;
  for (const auto& [edge, f] : owner)
    if (group[owner[{edge[1], edge[0]}]] != group[f]) next_of[group[f]][edge[0]] = edge[1];
  std::vector<std::vector<std::uint32_t>> loops;
  for (auto& [g, next] : next_of) {
    std::vector<std::uint32_t> loop;
    std::uint32_t v = next.begin()->first;
    do {
      loop.push_back(v);
      v = next[v];
    } while (v != loop.front() && loop.size() <= next.size());
    loops.push_back(std::move(loop));
  }
  return loops;
}

// A corner in two faces only lies on a straight edge: it goes, and with it a face that is none then.
void dropStraightCorners(std::vector<std::vector<std::uint32_t>>& loops, std::size_t vertices) {
  for (bool again = true; again;) {
    std::vector<int> uses(vertices, 0);
    for (const auto& loop : loops)
      for (const std::uint32_t v : loop) ++uses[v];
    for (auto& loop : loops) std::erase_if(loop, [&](std::uint32_t v) { return uses[v] < 3; });
    again = std::erase_if(loops, [](const auto& loop) { return loop.size() < 3; }) > 0;
  }
}

Face faceOf(const std::vector<Vec3>& vertices, const std::vector<std::uint32_t>& loop) {
  Face f;
  const Vec3 origin = vertices[loop[0]];
  for (std::size_t k = 1; k + 1 < loop.size(); ++k)
    f.normal += (vertices[loop[k]] - origin).cross(vertices[loop[k + 1]] - origin);
  f.normal.normalize();
  f.offset = f.normal.dot(origin);
  for (const std::uint32_t v : loop) f.offset = greatest(f.offset, f.normal.dot(vertices[v]));
  return f;
}

void addEdges(Polyhedron& p) {
  std::map<std::array<std::uint32_t, 2>, std::uint32_t> owner;
  for (std::uint32_t f = 0; f < p.faces.size(); ++f)
    for (std::uint32_t k = 0; k < p.faces[f].count; ++k)
      owner[{p.loops[p.faces[f].first + k], p.loops[p.faces[f].first + (k + 1) % p.faces[f].count]}] = f;
  for (const auto& [edge, f] : owner) {
    if (edge[0] > edge[1]) continue;
    Edge e;
    e.a = edge[0];
    e.b = edge[1];
    e.left = p.faces[f].normal;
    e.right = p.faces[owner[{edge[1], edge[0]}]].normal;
    finishEdge(p.vertices[e.a], p.vertices[e.b], e);
    p.edges.push_back(e);
  }
}

Polyhedron polyhedronOf(std::span<const Vec3> points, const std::vector<Facet>& facets) {
  Box box;
  for (const Vec3& v : points) box.add(v);
  auto loops = groupLoops(facets, coplanarGroups(points, facets, 1e-7 * box.size().norm()));
  dropStraightCorners(loops, points.size());
  Polyhedron p;
  std::vector<std::uint32_t> place(points.size(), kNone);
  for (const auto& loop : loops)
    for (const std::uint32_t v : loop) place[v] = 0;
  for (std::uint32_t i = 0; i < points.size(); ++i) {
    if (place[i] == kNone) continue;
    place[i] = u32(p.vertices.size());
    p.vertices.push_back(points[i]);
  }
  for (auto& loop : loops) {
    for (std::uint32_t& v : loop) v = place[v];
    Face f = faceOf(p.vertices, loop);
    f.first = u32(p.loops.size());
    f.count = u32(loop.size());
    p.faces.push_back(f);
    p.loops.insert(p.loops.end(), loop.begin(), loop.end());
  }
  addEdges(p);
  p.centre = mesh::massProperties(meshOf(p)).centre;
  p.inner_radius = std::numeric_limits<double>::infinity();
  for (const Face& f : p.faces) p.inner_radius = least(p.inner_radius, f.offset - f.normal.dot(p.centre));
  for (const Vec3& v : p.vertices) p.outer_radius = greatest(p.outer_radius, (v - p.centre).norm());
  p.prepare();
  return p;
}

// Closed, and no point far in front of a face.
bool holdsAll(const Polyhedron& p, std::span<const Vec3> points, double size) {
  std::vector<std::uint64_t> directed;
  const auto key = [](std::uint32_t a, std::uint32_t b) { return std::uint64_t{a} << 32 | b; };
  for (const Face& f : p.faces)
    for (std::uint32_t k = 0; k < f.count; ++k)
      directed.push_back(key(p.loops[f.first + k], p.loops[f.first + (k + 1) % f.count]));
  std::sort(directed.begin(), directed.end());
  for (const std::uint64_t e : directed)
    if (!std::binary_search(directed.begin(), directed.end(), e << 32 | e >> 32)) return false;
  if (p.faces.size() < 4) return false;
  return std::all_of(p.faces.begin(), p.faces.end(), [&](const Face& f) {
    return std::all_of(points.begin(), points.end(),
                       [&](const Vec3& v) { return f.normal.dot(v) - f.offset <= kOutside * size; });
  });
}

// Each moved to the nearest point of a lattice, a power of two apart.
std::vector<Vec3> onLattice(std::span<const Vec3> points, double step) {
  std::vector<Vec3> out;
  for (const Vec3& p : points) {
    Vec3& q = out.emplace_back();
    for (int k = 0; k < 3; ++k) q[k] = std::round(p[k] / step) * step;
  }
  return out;
}

}  // namespace

Polyhedron convexHull(std::span<const Vec3> points) {
  Box box;
  for (const Vec3& v : points) box.add(v);
  const double size = points.empty() ? 0 : box.size().norm();
  try {
    Polyhedron p = polyhedronOf(points, Builder(points).build());
    if (holdsAll(p, points, size)) return p;
  } catch (const TooClose&) {
  }
  int power = 0;
  std::frexp(size, &power);
  const double step = std::ldexp(1.0, power - kLatticeBits);
  const std::vector<Vec3> near = onLattice(points, step);
  return polyhedronOf(near, Builder(near, step).build());
}

}  // namespace drubble::shape
