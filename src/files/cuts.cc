// SPDX-License-Identifier: Apache-2.0
#include "files/cuts.h"

#include <algorithm>
#include <array>
#include <filesystem>
#include <iterator>

#include "core/base/sets.h"
#include "core/mesh/mass.h"
#include "files/made_look.h"

namespace drubble::files {

namespace {

// How many triangles between pieces have no other with the same corners the other way round.
std::size_t unpaired(const BuiltScene& built, const BuiltScene::CutBody& cut) {
  using Key = std::array<double, 9>;
  const auto keyOf = [](const mesh::TriangleMesh& m, const mesh::Triangle& t, bool turned) {
    std::array<std::array<double, 3>, 3> p;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3& v = m.vertices[t[turned ? 2 - k : k]];
      p[k] = {v.x(), v.y(), v.z()};
    }
    std::rotate(p.begin(), std::min_element(p.begin(), p.end()), p.end());
    Key key;
    for (std::size_t k = 0; k < 9; ++k) key[k] = p[k / 3][k % 3];
    return key;
  };
  std::vector<Key> one, other;
  for (std::uint32_t k = 0; k < cut.count; ++k) {
    const mesh::TriangleMesh& m = built.meshes[cut.first + k];
    for (std::size_t t = 0; t < m.triangles.size(); ++t) {
      if (!cut.sources[k][t].inside || cut.sources[k][t].index == cut::kNone) continue;
      one.push_back(keyOf(m, m.triangles[t], false));
      other.push_back(keyOf(m, m.triangles[t], true));
    }
  }
  std::sort(one.begin(), one.end());
  std::sort(other.begin(), other.end());
  std::vector<Key> lone;
  std::set_difference(one.begin(), one.end(), other.begin(), other.end(), std::back_inserter(lone));
  return lone.size();
}

}  // namespace

CutReport reportOn(const BuiltScene& built, const BuiltScene::CutBody& cut) {
  CutReport out;
  out.body = cut.name;
  out.pieces = cut.count;
  out.interfaces = cut.interfaces.size();
  for (const cut::Sliver& s : cut.slivers)
    out.slivers.push_back({built.prototype_bodies[cut.first + s.piece].name, s.volume});
  out.lost = cut.lost;
  out.gap = cut.gap;
  std::vector<double> volumes;
  double sum = 0;
  for (std::uint32_t k = 0; k < cut.count; ++k) {
    const mesh::TriangleMesh& m = built.meshes[cut.first + k];
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
  out.volume_error = absolute(sum + cut.taken - whole) / whole;
  out.unpaired_faces = unpaired(built, cut);
  out.mean_faces = 2.0 * static_cast<double>(out.interfaces) / static_cast<double>(out.pieces);
  Sets sets(cut.count);
  std::vector<std::size_t> faces(cut.count, 0);
  for (const cut::Interface& i : cut.interfaces) {
    out.interface_area += i.area;
    sets.join(i.a, i.b);
    ++faces[i.a];
    ++faces[i.b];
  }
  std::size_t of_them = 0;
  for (std::uint32_t k = 0; k < cut.count; ++k) {
    out.islands += sets.find(k) == k;
    const bool skin = std::any_of(cut.sources[k].begin(), cut.sources[k].end(),
                                  [](const cut::Source& s) { return !s.inside; });
    if (skin) continue;
    ++out.interior;
    of_them += faces[k];
  }
  if (out.interior > 0)
    out.mean_faces_interior = static_cast<double>(of_them) / static_cast<double>(out.interior);
  return out;
}

std::vector<PieceRow> rowsOf(const BuiltScene& built, const BuiltScene::CutBody& cut) {
  std::vector<PieceRow> out;
  for (std::uint32_t k = 0; k < cut.count; ++k) {
    PieceRow& row = out.emplace_back();
    const mesh::TriangleMesh& m = built.meshes[cut.first + k];
    row.name = built.scene.prototypes[cut.first + k].name;
    row.volume = mesh::massProperties(m).volume;
    const double felt =
        mesh::massProperties(shape::meshOf(built.scene.prototypes[cut.first + k].shape)).volume;
    row.filled = felt > 0 ? row.volume / felt : 1;
    row.triangles = m.triangles.size();
  }
  for (const cut::Interface& i : cut.interfaces)
    for (const std::uint32_t k : {i.a, i.b}) {
      ++out[k].faces;
      out[k].shared += i.area;
    }
  return out;
}

Look lookOfPiece(const mesh::TriangleMesh& m, const std::vector<cut::Source>& sources,
                 const mesh::TriangleMesh& whole, const Look& skin, const std::string& name, double unit) {
  Look out;
  out.names = skin.names;
  out.names.push_back(name + kInsideName);
  for (std::size_t t = 0; t < m.triangles.size(); ++t) {
    const cut::Source& source = sources[t];
    const Vec3 flat = m.normal(t);
    std::array<Vec2, 3> uv;
    std::array<Vec3, 3> normal;
    for (std::size_t i = 0; i < 3; ++i) {
      const Vec3& place = m.vertices[m.triangles[t][i]];
      if (source.inside) {
        uv[i] = boxProjected(place / unit, flat);
        normal[i] = flat;
      } else {
        const InTriangle in = inTriangle(whole, source.index, place);
        uv[i] = in.mix(skin.uvs[source.index]);
        normal[i] = in.mix(skin.normals[source.index]).normalized();
      }
    }
    out.uvs.push_back(uv);
    out.normals.push_back(normal);
    out.materials.push_back(source.inside ? u32(skin.names.size()) : skin.materials[source.index]);
  }
  return out;
}

std::vector<LookedPiece> piecesOf(const Setup& s, const BuiltScene& built, const BuiltScene::CutBody& cut) {
  const BodySetup& body =
      *std::find_if(s.bodies.begin(), s.bodies.end(), [&](const BodySetup& b) { return b.name == cut.name; });
  LookedMesh file;
  if (body.geometry == Geometry::Mesh)
    file = readLookedMesh((std::filesystem::path(s.path).parent_path() / body.mesh).string());
  const double factor = (body.mesh_unit > 0 ? body.mesh_unit : s.unit) * body.scale;
  const Look skin = lookOn(cut.whole, file, factor, s.unit, cut.name);
  std::vector<LookedPiece> out;
  for (std::uint32_t k = 0; k < cut.count; ++k) {
    cut::RoughMesh seen =
        cut::roughened(built.meshes[cut.first + k], cut.sources[k], cut.interfaces, cut.rough);
    LookedPiece& piece = out.emplace_back();
    piece.name = built.scene.prototypes[cut.first + k].name;
    piece.unit = s.unit;
    piece.up_is_z = s.up_is_z;
    piece.look = lookOfPiece(seen.mesh, seen.sources, cut.whole, skin, cut.name, s.unit);
    for (const cut::Source& source : seen.sources) piece.inside.push_back(source.inside ? 1 : 0);
    piece.mesh = std::move(seen.mesh);
    for (Vec3& v : piece.mesh.vertices) v /= s.unit;
  }
  return out;
}

}  // namespace drubble::files
