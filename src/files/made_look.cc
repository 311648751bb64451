// SPDX-License-Identifier: Apache-2.0
#include "files/made_look.h"

namespace drubble::files {

namespace {

constexpr double kBlunt = 0.86;  // cosine between faces that go over into each other

}  // namespace

Look madeLook(const mesh::TriangleMesh& m, const std::vector<std::uint8_t>& inside, const std::string& name) {
  const auto isInside = [&](std::size_t t) { return !inside.empty() && inside[t] != 0; };
  std::vector<Vec3> flat, weighted;
  std::vector<std::vector<std::uint32_t>> about(m.vertices.size());  // of each vertex its triangles
  Look out;
  std::uint32_t outer = 0, inner = 0;
  bool any_outer = false, any_inner = false;
  for (std::uint32_t t = 0; t < m.triangles.size(); ++t) {
    const auto [i, j, k] = m.triangles[t];
    weighted.push_back((m.vertices[j] - m.vertices[i]).cross(m.vertices[k] - m.vertices[i]));
    const Vec3 normal = m.normal(t);
    flat.push_back(normal.squaredNorm() > 0 ? normal : Vec3(Vec3::UnitY()));
    for (const std::uint32_t v : m.triangles[t]) about[v].push_back(t);
    (isInside(t) ? any_inner : any_outer) = true;
  }
  if (any_outer) out.names.push_back(name);
  if (any_inner) {
    inner = u32(out.names.size());
    out.names.push_back(name + kInsideName);
  }
  for (std::uint32_t t = 0; t < m.triangles.size(); ++t) {
    std::array<Vec2, 3> uv;
    std::array<Vec3, 3> normal;
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint32_t v = m.triangles[t][k];
      uv[k] = boxProjected(m.vertices[v], flat[t]);
      Vec3 sum = Vec3::Zero();
      for (const std::uint32_t other : about[v])
        if (!isInside(t) && !isInside(other) && flat[other].dot(flat[t]) > kBlunt) sum += weighted[other];
      normal[k] = sum.norm() > 0 ? Vec3(sum.normalized()) : flat[t];
    }
    out.uvs.push_back(uv);
    out.normals.push_back(normal);
    out.materials.push_back(isInside(t) ? inner : outer);
  }
  return out;
}

}  // namespace drubble::files
