// SPDX-License-Identifier: Apache-2.0
#include "core/shape/polyhedron.h"

#include <cmath>
#include <map>
#include <utility>

namespace drubble::shape {

void finishEdge(const Vec3& a, const Vec3& b, Edge& e) {
  e.along = (b - a).normalized();
  if (e.left.cross(e.right).dot(e.along) < 0) std::swap(e.left, e.right);
  const double cosine_squared = 0.5 * (1 + e.left.dot(e.right));
  e.widen = cosine_squared > 1e-6 ? 1 / std::sqrt(cosine_squared) : 1e3;
}

void Polyhedron::prepare() {
  std::vector<Vec3> normals;
  std::vector<double> offsets;
  first_face_of.assign(vertices.size() + 1, 0);
  for (const Face& f : faces) {
    normals.push_back(f.normal);
    offsets.push_back(f.offset);
    for (std::uint32_t k = 0; k < f.count; ++k) ++first_face_of[loops[f.first + k] + 1];
  }
  for (std::size_t v = 0; v < vertices.size(); ++v) first_face_of[v + 1] += first_face_of[v];
  faces_of.resize(loops.size());
  std::vector<std::uint32_t> next(first_face_of.begin(), first_face_of.end() - 1);
  for (std::uint32_t f = 0; f < faces.size(); ++f)
    for (std::uint32_t k = 0; k < faces[f].count; ++k) faces_of[next[loops[faces[f].first + k]]++] = f;
  corner_blocks = blocksOf(vertices);
  face_blocks = blocksOf(normals, offsets);
}

std::uint32_t Polyhedron::support(const Vec3& direction) const {
  double ignored;
  return lowestAlong(corner_blocks, -direction, ignored);
}

std::string whyInvalid(const Polyhedron& p) {
  std::map<std::pair<std::uint32_t, std::uint32_t>, int> directed;
  std::vector<int> uses(p.vertices.size(), 0);
  for (const Face& f : p.faces) {
    if (f.count < 3) return "I1: a face with " + std::to_string(f.count) + " corners";
    for (std::uint32_t k = 0; k < f.count; ++k) {
      const std::uint32_t a = p.loops[f.first + k], b = p.loops[f.first + (k + 1) % f.count];
      ++directed[{a, b}];
      ++uses[a];
    }
    for (const Vec3& v : p.vertices)
      if (f.normal.dot(v) - f.offset > 1e-7 * p.outer_radius) return "I3: a vertex in front of a face";
  }
  for (const auto& [edge, count] : directed)
    if (count != 1 || !directed.contains({edge.second, edge.first}))
      return "I2: an edge without its opposite";
  for (const int n : uses)
    if (n < 3) return "I4: a vertex in fewer than three faces";
  return {};
}

mesh::TriangleMesh meshOf(const Polyhedron& p) {
  mesh::TriangleMesh m;
  m.vertices = p.vertices;
  for (const Face& f : p.faces)
    for (std::uint32_t k = 1; k + 1 < f.count; ++k)
      m.triangles.push_back({p.loops[f.first], p.loops[f.first + k], p.loops[f.first + k + 1]});
  return m;
}

}  // namespace drubble::shape
