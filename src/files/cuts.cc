// SPDX-License-Identifier: Apache-2.0
#include "files/cuts.h"

#include <algorithm>
#include <set>

#include "core/base/sets.h"
#include "core/mesh/mass.h"

namespace drubble::files {

namespace {

// How many triangles have no other with the same corners the other way round.
std::size_t unpaired(const std::vector<const mesh::TriangleMesh*>& meshes, const mesh::TriangleMesh& whole) {
  using Corner = std::array<double, 3>;
  using Key = std::array<Corner, 3>;
  std::set<Key> seen;
  const auto keyOf = [](const mesh::TriangleMesh& m, const mesh::Triangle& t, bool turned) {
    Key key;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3& v = m.vertices[t[turned ? 2 - k : k]];
      key[k] = {v.x(), v.y(), v.z()};
    }
    std::rotate(key.begin(), std::min_element(key.begin(), key.end()), key.end());
    return key;
  };
  const auto areaOf = [](const mesh::TriangleMesh& m, const mesh::Triangle& t) {
    const Vec3 &a = m.vertices[t[0]], &b = m.vertices[t[1]], &c = m.vertices[t[2]];
    return 0.5 * (b - a).cross(c - a).norm();
  };
  // What lies in the skin has no like; it is told by its area.
  double skin = 0, left = 0;
  for (const mesh::Triangle& t : whole.triangles) skin += areaOf(whole, t);
  std::size_t lone = 0;
  for (const mesh::TriangleMesh* m : meshes)
    for (const mesh::Triangle& t : m->triangles) seen.insert(keyOf(*m, t, false));
  for (const mesh::TriangleMesh* m : meshes)
    for (const mesh::Triangle& t : m->triangles) {
      if (seen.contains(keyOf(*m, t, true))) continue;
      left += areaOf(*m, t);
      ++lone;
    }
  return absolute(left - skin) <= 1e-6 * skin ? 0 : lone;
}

}  // namespace

CutReport reportOn(const BuiltScene& built, const BuiltScene::CutBody& cut) {
  CutReport out;
  out.body = cut.name;
  out.pieces = cut.count;
  out.interfaces = cut.interfaces.size();
  out.slivers_merged = cut.merged;
  std::vector<const mesh::TriangleMesh*> meshes;
  std::vector<double> volumes;
  double sum = 0;
  for (std::uint32_t k = 0; k < cut.count; ++k) {
    const mesh::TriangleMesh& m = built.meshes[cut.first + k];
    meshes.push_back(&m);
    volumes.push_back(mesh::massProperties(m).volume);
    sum += volumes.back();
    const mesh::Closedness c = mesh::closedness(m);
    out.open_edges += c.open_edges;
    out.flipped_edges += c.flipped_edges + c.crowded_edges;
  }
  std::sort(volumes.begin(), volumes.end());
  out.least_volume = volumes.front();
  out.median_volume = volumes[volumes.size() / 2];
  out.most_volume = volumes.back();
  const double whole = mesh::massProperties(cut.whole).volume;
  out.volume_error = absolute(sum - whole) / whole;
  out.unpaired_faces = unpaired(meshes, cut.whole);
  out.mean_faces = 2.0 * static_cast<double>(out.interfaces) / static_cast<double>(out.pieces);
  Sets sets(cut.count);
  for (const cut::Interface& i : cut.interfaces) {
    out.interface_area += i.area;
    sets.join(i.a, i.b);
  }
  for (std::uint32_t k = 0; k < cut.count; ++k) out.islands += sets.find(k) == k;
  return out;
}

std::vector<NamedMesh> piecesOf(const BuiltScene& built, const BuiltScene::CutBody& cut, double unit) {
  std::vector<NamedMesh> out;
  for (std::uint32_t k = cut.first; k < cut.first + cut.count; ++k) {
    NamedMesh& piece = out.emplace_back();
    piece.name = built.scene.prototypes[k].name;
    piece.mesh = built.meshes[k];
    for (Vec3& v : piece.mesh.vertices) v /= unit;
  }
  return out;
}

}  // namespace drubble::files
