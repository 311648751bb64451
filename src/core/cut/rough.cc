// SPDX-License-Identifier: Apache-2.0
#include "core/cut/rough.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "core/base/random.h"

namespace drubble::cut {

namespace {

constexpr int kMostHalvings = 7;
constexpr double kFade = 1.5;  // in grains: so far from a rim a face is as uneven as can be

using Line = std::array<std::uint32_t, 2>;
Line lineOf(std::uint32_t a, std::uint32_t b) { return {std::min(a, b), std::max(a, b)}; }

bool before(const Vec3& a, const Vec3& b) {
  return std::lexicographical_compare(a.data(), a.data() + 3, b.data(), b.data() + 3);
}

// Of each line the face that it lies within; kNone: on a rim, or of the skin.
std::map<Line, std::uint32_t> linesWithin(const RoughMesh& r) {
  std::map<Line, std::uint32_t> out;
  for (std::size_t t = 0; t < r.sources.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      const Line line = lineOf(r.mesh.triangles[t][k], r.mesh.triangles[t][(k + 1) % 3]);
      const std::uint32_t face = r.sources[t].inside ? r.sources[t].index : kNone;
      const auto [at, fresh] = out.try_emplace(line, face);
      if (!fresh && at->second != face) at->second = kNone;
    }
  return out;
}

// A triangle with places in the middle of some of its sides (kNone: none), as smaller ones. Which way a four-
// sided rest is parted follows from its places, so that both sides of a face agree.
void divided(const mesh::Triangle& t, const std::array<std::uint32_t, 3>& middle,
             const std::vector<Vec3>& places, std::vector<mesh::Triangle>& out) {
  const auto count = std::count_if(middle.begin(), middle.end(), [](std::uint32_t m) { return m != kNone; });
  if (count == 0) return out.push_back(t);
  if (count == 3) {
    for (std::size_t k = 0; k < 3; ++k) out.push_back({t[k], middle[k], middle[(k + 2) % 3]});
    return out.push_back(middle);
  }
  std::size_t k = 0;  // one: the side with a middle; two: the side without
  while ((middle[k] != kNone) != (count == 1)) ++k;
  const std::uint32_t a = t[k], b = t[(k + 1) % 3], c = t[(k + 2) % 3];
  if (count == 1) {
    out.push_back({a, middle[k], c});
    out.push_back({middle[k], b, c});
    return;
  }
  // c is the corner between the two parted sides.
  const std::uint32_t bc = middle[(k + 1) % 3], ca = middle[(k + 2) % 3];
  out.push_back({ca, bc, c});
  const double first = (places[a] - places[bc]).squaredNorm(),
               second = (places[b] - places[ca]).squaredNorm();
  if (first < second || (first == second && before(places[a], places[b]))) {
    out.push_back({a, b, bc});
    out.push_back({a, bc, ca});
  } else {
    out.push_back({a, b, ca});
    out.push_back({b, bc, ca});
  }
}

// Halves all lines within faces that are longer than a grain. Whether there were any.
bool halve(RoughMesh& r, double grain) {
  std::map<Line, std::uint32_t> middle_of;
  for (const auto& [line, face] : linesWithin(r)) {
    const Vec3 &a = r.mesh.vertices[line[0]], &b = r.mesh.vertices[line[1]];
    if (face == kNone || !((b - a).squaredNorm() > grain * grain)) continue;
    middle_of[line] = u32(r.mesh.vertices.size());
    r.mesh.vertices.push_back(0.5 * (a + b));
  }
  if (middle_of.empty()) return false;
  std::vector<mesh::Triangle> triangles;
  std::vector<Source> sources;
  for (std::size_t t = 0; t < r.sources.size(); ++t) {
    std::array<std::uint32_t, 3> middle = {kNone, kNone, kNone};
    const mesh::Triangle& x = r.mesh.triangles[t];
    for (std::size_t k = 0; k < 3; ++k)
      if (const auto at = middle_of.find(lineOf(x[k], x[(k + 1) % 3])); at != middle_of.end())
        middle[k] = at->second;
    divided(x, middle, r.mesh.vertices, triangles);
    sources.resize(triangles.size(), r.sources[t]);
  }
  r.mesh.triangles = std::move(triangles);
  r.sources = std::move(sources);
  return true;
}

double awayFrom(const Vec3& p, Vec3 a, Vec3 b) {
  if (before(b, a)) std::swap(a, b);  // the same from both sides
  const Vec3 along = b - a;
  const double length = along.squaredNorm(),
               share = length > 0 ? clamped((p - a).dot(along) / length, 0, 1) : 0;
  return (p - a - share * along).norm();
}

double smooth(double t) { return t * t * (3 - 2 * t); }

// From -1 to 1, hills about 1 apart (Perlin, An image synthesizer, 1985; values on a lattice).
double noise(const Vec3& p, std::uint64_t seed) {
  const Vec3 cell(std::floor(p.x()), std::floor(p.y()), std::floor(p.z()));
  const Vec3 t(smooth(p.x() - cell.x()), smooth(p.y() - cell.y()), smooth(p.z() - cell.z()));
  double out = 0;
  for (int k = 0; k < 8; ++k) {
    std::uint64_t key = seed;
    double weight = 1;
    for (int i = 0; i < 3; ++i) {
      const bool high = (k >> i & 1) != 0;
      key = mixBits(key ^ static_cast<std::uint64_t>(static_cast<std::int64_t>(cell[i]) + (high ? 1 : 0)));
      weight *= high ? t[i] : 1 - t[i];
    }
    out += weight * (static_cast<double>(key >> 11) * 0x1p-52 - 1);
  }
  return out;
}

}  // namespace

RoughMesh roughened(const mesh::TriangleMesh& m, std::span<const Source> sources,
                    std::span<const Interface> faces, const Rough& how) {
  RoughMesh out{m, {sources.begin(), sources.end()}};
  if (!(how.amount > 0 && how.grain > 0)) return out;
  for (int n = 0; n < kMostHalvings && halve(out, how.grain); ++n) {
  }
  std::map<std::uint32_t, std::vector<Line>> rims;
  std::vector<std::uint32_t> face_of(out.mesh.vertices.size(), kNone);
  std::vector<char> fixed(out.mesh.vertices.size(), 0);
  const std::map<Line, std::uint32_t> within = linesWithin(out);
  for (std::size_t t = 0; t < out.sources.size(); ++t) {
    const std::uint32_t face = out.sources[t].inside ? out.sources[t].index : kNone;
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint32_t a = out.mesh.triangles[t][k], b = out.mesh.triangles[t][(k + 1) % 3];
      if (face != kNone) face_of[a] = face;
      if (within.at(lineOf(a, b)) != kNone) continue;
      fixed[a] = fixed[b] = 1;
      if (face != kNone) rims[face].push_back({a, b});
    }
  }
  std::vector<Vec3> moved = out.mesh.vertices;
  for (std::uint32_t v = 0; v < moved.size(); ++v) {
    if (fixed[v] || face_of[v] == kNone) continue;
    const Vec3& p = out.mesh.vertices[v];
    double away = std::numeric_limits<double>::infinity();
    for (const auto& [a, b] : rims[face_of[v]])
      away = least(away, awayFrom(p, out.mesh.vertices[a], out.mesh.vertices[b]));
    const double fade = smooth(clamped(away / (kFade * how.grain), 0, 1));
    const Vec3 at = p / (2 * how.grain);
    const double height = 0.67 * noise(at, how.seed) + 0.33 * noise(2 * at, how.seed + 1);
    moved[v] = p + how.amount * fade * height * faces[face_of[v]].normal;
  }
  out.mesh.vertices = std::move(moved);
  return out;
}

}  // namespace drubble::cut
