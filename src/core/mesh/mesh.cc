// SPDX-License-Identifier: Apache-2.0
#include "core/mesh/mesh.h"

#include <algorithm>
#include <numeric>

#include "core/base/trig.h"

namespace drubble::mesh {

Box TriangleMesh::bounds() const {
  Box b;
  for (const Vec3& v : vertices) b.add(v);
  return b;
}

Vec3 TriangleMesh::normal(std::size_t t) const {
  const Triangle& c = triangles[t];
  const Vec3 n = (vertices[c[1]] - vertices[c[0]]).cross(vertices[c[2]] - vertices[c[0]]);
  const double length = n.norm();
  return length > 0 ? Vec3(n / length) : Vec3(Vec3::Zero());
}

std::string whyInvalid(const TriangleMesh& m) {
  for (const Triangle& t : m.triangles)
    for (const std::uint32_t i : t)
      if (i >= m.vertices.size()) return "I1: a triangle names vertex " + std::to_string(i);
  for (std::size_t i = 0; i < m.vertices.size(); ++i)
    if (!m.vertices[i].allFinite()) return "I2: vertex " + std::to_string(i) + " is not finite";
  return {};
}

TriangleMesh welded(const TriangleMesh& m, std::vector<std::uint32_t>* kept) {
  std::vector<std::uint32_t> order(m.vertices.size());
  std::iota(order.begin(), order.end(), 0u);
  const auto key = [&](std::uint32_t i) {
    const Vec3& v = m.vertices[i];
    return std::array<double, 3>{v.x() + 0.0, v.y() + 0.0, v.z() + 0.0};
  };
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    const auto ka = key(a), kb = key(b);
    return ka != kb ? ka < kb : a < b;
  });
  std::vector<std::uint32_t> first(m.vertices.size());
  for (std::size_t i = 0; i < order.size(); ++i)
    first[order[i]] = i > 0 && key(order[i]) == key(order[i - 1]) ? first[order[i - 1]] : order[i];
  TriangleMesh out;
  std::vector<std::uint32_t> place(m.vertices.size());
  for (std::uint32_t i = 0; i < m.vertices.size(); ++i) {
    if (first[i] != i) continue;
    place[i] = u32(out.vertices.size());
    out.vertices.push_back(m.vertices[i]);
    if (kept != nullptr) kept->push_back(i);
  }
  for (const Triangle& t : m.triangles) {
    const Triangle w = {place[first[t[0]]], place[first[t[1]]], place[first[t[2]]]};
    if (w[0] != w[1] && w[1] != w[2] && w[2] != w[0]) out.triangles.push_back(w);
  }
  return out;
}

TriangleMesh transformed(const TriangleMesh& m, const Vec3& scale, const Pose& pose) {
  TriangleMesh out = m;
  for (Vec3& v : out.vertices) v = pose.toWorld(v.cwiseProduct(scale));
  return out;
}

namespace {

struct EdgeUse {
  std::uint32_t low, high, triangle, corner;
  bool forward;  // runs from low to high
  bool sameEdge(const EdgeUse& o) const { return low == o.low && high == o.high; }
};

std::vector<EdgeUse> sortedEdges(const TriangleMesh& m) {
  std::vector<EdgeUse> edges;
  edges.reserve(m.triangles.size() * 3);
  for (std::uint32_t t = 0; t < m.triangles.size(); ++t) {
    for (std::uint32_t k = 0; k < 3; ++k) {
      const std::uint32_t a = m.triangles[t][k], b = m.triangles[t][(k + 1) % 3];
      edges.push_back({std::min(a, b), std::max(a, b), t, k, a < b});
    }
  }
  std::sort(edges.begin(), edges.end(), [](const EdgeUse& a, const EdgeUse& b) {
    return std::array{a.low, a.high, a.triangle, a.corner} < std::array{b.low, b.high, b.triangle, b.corner};
  });
  return edges;
}

}  // namespace

Closedness closedness(const TriangleMesh& m) {
  Closedness out;
  const std::vector<EdgeUse> edges = sortedEdges(m);
  for (std::size_t i = 0; i < edges.size();) {
    std::size_t end = i + 1;
    while (end < edges.size() && edges[end].sameEdge(edges[i])) ++end;
    const std::size_t uses = end - i;
    const bool good = uses == 2 && edges[i].forward != edges[i + 1].forward;
    if (!good) {
      if (out.closed()) out.first_open = 0.5 * (m.vertices[edges[i].low] + m.vertices[edges[i].high]);
      ++(uses == 1 ? out.open_edges : uses == 2 ? out.flipped_edges : out.crowded_edges);
    }
    i = end;
  }
  for (std::size_t t = 0; t < m.triangles.size(); ++t) out.flat_triangles += m.normal(t).isZero(0);
  return out;
}

std::vector<std::array<std::uint32_t, 3>> neighbours(const TriangleMesh& m) {
  std::vector<std::array<std::uint32_t, 3>> out(m.triangles.size(), {kNoTriangle, kNoTriangle, kNoTriangle});
  const std::vector<EdgeUse> edges = sortedEdges(m);
  for (std::size_t i = 0; i + 1 < edges.size(); ++i) {
    const EdgeUse &a = edges[i], &b = edges[i + 1];
    const bool pair = a.sameEdge(b) && a.forward != b.forward && (i == 0 || !edges[i - 1].sameEdge(a)) &&
                      (i + 2 == edges.size() || !edges[i + 2].sameEdge(a));
    if (!pair) continue;
    out[a.triangle][a.corner] = b.triangle;
    out[b.triangle][b.corner] = a.triangle;
  }
  return out;
}

TriangleMesh boxMesh(const Vec3& full_size) {
  TriangleMesh m;
  const Vec3 h = 0.5 * full_size;
  for (int i = 0; i < 8; ++i)
    m.vertices.push_back(vec3((i & 1) ? h.x() : -h.x(), (i & 2) ? h.y() : -h.y(), (i & 4) ? h.z() : -h.z()));
  m.triangles = {{0, 4, 6}, {0, 6, 2}, {1, 3, 7}, {1, 7, 5}, {0, 1, 5}, {0, 5, 4},
                 {2, 6, 7}, {2, 7, 3}, {0, 2, 3}, {0, 3, 1}, {4, 5, 7}, {4, 7, 6}};
  return m;
}

TriangleMesh sphereMesh(double radius, int rings) {
  TriangleMesh m;
  const int around = 2 * rings;
  m.vertices.push_back(vec3(0, radius, 0));
  for (int r = 1; r < rings; ++r) {
    const SinCos down = sinCos(kPi * r / rings);
    for (int s = 0; s < around; ++s) {
      const SinCos a = sinCos(2 * kPi * s / around);
      m.vertices.push_back(radius * vec3(down.sin * a.cos, down.cos, -down.sin * a.sin));
    }
  }
  m.vertices.push_back(vec3(0, -radius, 0));
  const auto at = [&](int r, int s) { return static_cast<std::uint32_t>(1 + (r - 1) * around + s % around); };
  const std::uint32_t last = u32(m.vertices.size() - 1);
  for (int s = 0; s < around; ++s) {
    m.triangles.push_back({0, at(1, s), at(1, s + 1)});
    for (int r = 1; r + 1 < rings; ++r) {
      m.triangles.push_back({at(r, s), at(r + 1, s), at(r + 1, s + 1)});
      m.triangles.push_back({at(r, s), at(r + 1, s + 1), at(r, s + 1)});
    }
    m.triangles.push_back({at(rings - 1, s), last, at(rings - 1, s + 1)});
  }
  return m;
}

void append(TriangleMesh& to, const TriangleMesh& more) {
  const std::uint32_t base = u32(to.vertices.size());
  to.vertices.insert(to.vertices.end(), more.vertices.begin(), more.vertices.end());
  for (const Triangle& t : more.triangles) to.triangles.push_back({base + t[0], base + t[1], base + t[2]});
}

namespace {

// From the y axis to `axis`, without a turn that is not needed.
void alongAxis(TriangleMesh& m, const Vec3& axis) {
  if (axis == Vec3::UnitY()) return;
  const Vec3 x = anyNormalTo(axis), z = x.cross(axis);
  for (Vec3& v : m.vertices) v = v.x() * x + v.y() * axis + v.z() * z;
}

}  // namespace

TriangleMesh capsuleMesh(double radius, double length, const Vec3& axis, int rings) {
  rings += rings % 2;
  TriangleMesh m = sphereMesh(radius, rings);
  const int around = 2 * rings;
  const std::uint32_t belt = u32(static_cast<std::size_t>(1 + (rings / 2 - 1) * around));
  // The belt's ring is doubled, so that the side is straight.
  const std::uint32_t copy = u32(m.vertices.size());
  for (std::uint32_t k = 0; k < static_cast<std::uint32_t>(around); ++k)
    m.vertices.push_back(m.vertices[belt + k]);
  const auto inBelt = [&](std::uint32_t v) {
    return v >= belt && v < belt + static_cast<std::uint32_t>(around);
  };
  for (Triangle& t : m.triangles) {
    bool below = false;
    for (const std::uint32_t v : t) below = below || m.vertices[v].y() < -1e-9 * radius;
    if (!below) continue;
    for (std::uint32_t& v : t)
      if (inBelt(v)) v = copy + (v - belt);
  }
  for (std::uint32_t k = 0; k < static_cast<std::uint32_t>(around); ++k) {
    const std::uint32_t n = (k + 1) % static_cast<std::uint32_t>(around);
    m.triangles.push_back({belt + k, copy + k, copy + n});
    m.triangles.push_back({belt + k, copy + n, belt + n});
  }
  for (std::uint32_t v = 0; v < m.vertices.size(); ++v) {
    const bool upper = m.vertices[v].y() > 1e-9 * radius || inBelt(v);
    m.vertices[v].y() += upper ? 0.5 * length : -0.5 * length;
  }
  alongAxis(m, axis);
  return m;
}

TriangleMesh cylinderMesh(double radius, double height, const Vec3& axis, int sides) {
  TriangleMesh m;
  for (int s = 0; s < sides; ++s) {
    const SinCos a = sinCos(2 * kPi * s / sides);
    for (const double y : {0.5 * height, -0.5 * height})
      m.vertices.push_back(vec3(radius * a.cos, y, -radius * a.sin));
  }
  const std::uint32_t top = u32(m.vertices.size()), bottom = top + 1;
  m.vertices.push_back(vec3(0, 0.5 * height, 0));
  m.vertices.push_back(vec3(0, -0.5 * height, 0));
  for (int s = 0; s < sides; ++s) {
    const auto a = static_cast<std::uint32_t>(2 * s), b = static_cast<std::uint32_t>(2 * ((s + 1) % sides));
    m.triangles.push_back({top, a, b});
    m.triangles.push_back({bottom, b + 1, a + 1});
    m.triangles.push_back({a, a + 1, b + 1});
    m.triangles.push_back({a, b + 1, b});
  }
  alongAxis(m, axis);
  return m;
}

}  // namespace drubble::mesh
