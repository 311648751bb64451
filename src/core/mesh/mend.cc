// SPDX-License-Identifier: Apache-2.0
#include "core/mesh/mend.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <tuple>

#include "core/mesh/mass.h"
#include "core/mesh/tree.h"

namespace drubble::mesh {

namespace {

constexpr double kSliver = 1e-4;
constexpr double kWeld = 1e-6;
constexpr std::size_t kMostCrossings = 100;

Triangle sorted(Triangle t) {
  std::sort(t.begin(), t.end());
  return t;
}

bool shareCorner(const Triangle& a, const Triangle& b) {
  for (const std::uint32_t x : a)
    if (std::find(b.begin(), b.end(), x) != b.end()) return true;
  return false;
}

// Whether the segment pq passes through the inside of triangle abc.
bool pierces(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, const Vec3& c) {
  const Vec3 n = (b - a).cross(c - a), d = q - p;
  const double hp = n.dot(p - a), hq = n.dot(q - a);
  if (!(hp * hq < 0)) return false;
  const Vec3 x = p + d * (hp / (hp - hq));
  return n.dot((b - a).cross(x - a)) > 0 && n.dot((c - b).cross(x - b)) > 0 &&
         n.dot((a - c).cross(x - c)) > 0;
}

bool cross(const TriangleMesh& m, const Triangle& s, const Triangle& t) {
  const auto v = [&](std::uint32_t i) -> const Vec3& { return m.vertices[i]; };
  for (std::size_t k = 0; k < 3; ++k) {
    if (pierces(v(s[k]), v(s[(k + 1) % 3]), v(t[0]), v(t[1]), v(t[2]))) return true;
    if (pierces(v(t[k]), v(t[(k + 1) % 3]), v(s[0]), v(s[1]), v(s[2]))) return true;
  }
  return false;
}

void countCrossings(const TriangleMesh& m, Diagnosis& out) {
  const Tree tree(m);
  std::vector<std::uint32_t> near;
  for (std::uint32_t t = 0; t < m.triangles.size() && out.crossings < kMostCrossings; ++t) {
    Box box;
    for (const std::uint32_t v : m.triangles[t]) box.add(m.vertices[v]);
    near.clear();
    tree.overlapping(box, near);
    for (const std::uint32_t u : near) {
      if (u <= t || shareCorner(m.triangles[t], m.triangles[u]) || !cross(m, m.triangles[t], m.triangles[u]))
        continue;
      if (out.crossings++ == 0) out.first_crossing = box.centre();
    }
  }
}

}  // namespace

Diagnosis diagnose(const TriangleMesh& m) {
  Diagnosis out;
  out.edges = closedness(m);
  std::set<Triangle> seen;
  for (const Triangle& t : m.triangles) {
    if (!seen.insert(sorted(t)).second) ++out.duplicates;
    const Vec3 &a = m.vertices[t[0]], &b = m.vertices[t[1]], &c = m.vertices[t[2]];
    const double longest =
        std::sqrt(greatest((b - a).squaredNorm(), greatest((c - b).squaredNorm(), (a - c).squaredNorm())));
    const double height = longest > 0 ? (b - a).cross(c - a).norm() / longest : 0;
    if (height > 0 && height < kSliver * longest) ++out.slivers;
  }
  out.inside_out = out.edges.closed() && massProperties(m).volume < 0;
  countCrossings(m, out);
  return out;
}

namespace {

// Vertices within `near` of an earlier one become that one; by cells of that size and their neighbours.
TriangleMesh weldedWithin(const TriangleMesh& m, double near) {
  std::map<std::tuple<std::int64_t, std::int64_t, std::int64_t>, std::vector<std::uint32_t>> cells;
  TriangleMesh out;
  std::vector<std::uint32_t> place(m.vertices.size());
  for (std::uint32_t i = 0; i < m.vertices.size(); ++i) {
    const Vec3& v = m.vertices[i];
    const auto cell = [&](int k, int off) {
      return static_cast<std::int64_t>(std::floor(v[k] / near)) + off;
    };
    std::uint32_t found = kNoTriangle;
    for (int n = 0; n < 27 && found == kNoTriangle; ++n) {
      const auto at = cells.find({cell(0, n % 3 - 1), cell(1, n / 3 % 3 - 1), cell(2, n / 9 - 1)});
      if (at == cells.end()) continue;
      for (const std::uint32_t o : at->second)
        if (found == kNoTriangle && (out.vertices[o] - v).norm() <= near) found = o;
    }
    if (found == kNoTriangle) {
      found = u32(out.vertices.size());
      out.vertices.push_back(v);
      cells[{cell(0, 0), cell(1, 0), cell(2, 0)}].push_back(found);
    }
    place[i] = found;
  }
  for (const Triangle& t : m.triangles) out.triangles.push_back({place[t[0]], place[t[1]], place[t[2]]});
  return out;
}

using EdgeKey = std::pair<std::uint32_t, std::uint32_t>;

std::map<EdgeKey, std::vector<std::uint32_t>> trianglesOfEdges(const TriangleMesh& m) {
  std::map<EdgeKey, std::vector<std::uint32_t>> out;
  for (std::uint32_t t = 0; t < m.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint32_t a = m.triangles[t][k], b = m.triangles[t][(k + 1) % 3];
      out[{std::min(a, b), std::max(a, b)}].push_back(t);
    }
  return out;
}

bool runsForward(const Triangle& t, const EdgeKey& e) {
  for (std::size_t k = 0; k < 3; ++k)
    if (t[k] == e.first && t[(k + 1) % 3] == e.second) return true;
  return false;
}

// Each connected part consistently; returns the part of each triangle.
std::vector<std::uint32_t> turnConsistent(TriangleMesh& m, std::vector<char>& turned) {
  const auto edges = trianglesOfEdges(m);
  std::vector<std::uint32_t> part(m.triangles.size(), kNoTriangle), todo;
  std::uint32_t parts = 0;
  for (std::uint32_t first = 0; first < m.triangles.size(); ++first) {
    if (part[first] != kNoTriangle) continue;
    part[first] = parts;
    todo = {first};
    while (!todo.empty()) {
      const std::uint32_t t = todo.back();
      todo.pop_back();
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t a = m.triangles[t][k], b = m.triangles[t][(k + 1) % 3];
        const EdgeKey key{std::min(a, b), std::max(a, b)};
        const auto& both = edges.at(key);
        if (both.size() != 2) continue;
        const std::uint32_t u = both[0] == t ? both[1] : both[0];
        if (part[u] != kNoTriangle) continue;
        if (runsForward(m.triangles[u], key) == runsForward(m.triangles[t], key)) {
          std::swap(m.triangles[u][1], m.triangles[u][2]);
          turned[u] = 1;
        }
        part[u] = parts;
        todo.push_back(u);
      }
    }
    ++parts;
  }
  return part;
}

// Open edges chained into rims; a rim that closes without a fork gets a fan.
std::size_t fillHoles(TriangleMesh& m) {
  std::map<std::uint32_t, std::uint32_t> next;  // along the hole, opposite to its triangle's edge
  std::set<std::uint32_t> forked;
  for (const auto& [key, list] : trianglesOfEdges(m)) {
    if (list.size() != 1) continue;
    const bool forward = runsForward(m.triangles[list[0]], key);
    const std::uint32_t from = forward ? key.second : key.first, to = forward ? key.first : key.second;
    if (!next.emplace(from, to).second) forked.insert(from);
  }
  std::size_t filled = 0;
  std::set<std::uint32_t> done;
  for (const auto& [start, unused] : next) {
    std::vector<std::uint32_t> rim;
    std::uint32_t v = start;
    while (next.contains(v) && !forked.contains(v) && !done.contains(v)) {
      done.insert(v);
      rim.push_back(v);
      v = next.at(v);
    }
    if (rim.size() < 3 || v != start) continue;
    Vec3 middle = Vec3::Zero();
    for (const std::uint32_t r : rim) middle += m.vertices[r] / static_cast<double>(rim.size());
    const std::uint32_t hub = u32(m.vertices.size());
    m.vertices.push_back(middle);
    for (std::size_t k = 0; k < rim.size(); ++k)
      m.triangles.push_back({rim[k], rim[(k + 1) % rim.size()], hub});
    ++filled;
  }
  return filled;
}

}  // namespace

Mended mended(const TriangleMesh& m) {
  Mended out;
  const TriangleMesh joined = weldedWithin(m, kWeld * m.bounds().size().maxCoeff());
  out.welded = m.vertices.size() - joined.vertices.size();
  out.mesh.vertices = joined.vertices;
  std::set<Triangle> seen;
  for (const Triangle& t : joined.triangles) {
    const bool flat = t[0] == t[1] || t[1] == t[2] || t[2] == t[0];
    if (flat || !seen.insert(sorted(t)).second)
      ++out.dropped;
    else
      out.mesh.triangles.push_back(t);
  }
  std::vector<char> turned(out.mesh.triangles.size(), 0);
  turnConsistent(out.mesh, turned);
  out.filled = fillHoles(out.mesh);
  turned.resize(out.mesh.triangles.size(), 0);
  const std::vector<std::uint32_t> part = turnConsistent(out.mesh, turned);
  std::map<std::uint32_t, TriangleMesh> parts;
  for (std::size_t t = 0; t < part.size(); ++t) parts[part[t]].triangles.push_back(out.mesh.triangles[t]);
  for (auto& [index, piece] : parts) {
    piece.vertices = out.mesh.vertices;
    if (massProperties(piece).volume >= 0) continue;
    for (std::size_t t = 0; t < part.size(); ++t) {
      if (part[t] != index) continue;
      std::swap(out.mesh.triangles[t][1], out.mesh.triangles[t][2]);
      turned[t] = static_cast<char>(!turned[t]);
    }
  }
  out.turned = static_cast<std::size_t>(std::count(turned.begin(), turned.end(), char{1}));
  return out;
}

}  // namespace drubble::mesh
