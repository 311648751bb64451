// SPDX-License-Identifier: Apache-2.0
#include "files/shown.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <set>

#include "core/mesh/mass.h"
#include "files/cuts.h"
#include "files/made_look.h"
#include "files/meshes.h"
#include "files/setup/cut_maker.h"

namespace drubble::files {

namespace {

bool says(const Look& look) { return !look.uvs.empty() || !look.normals.empty() || !look.names.empty(); }

class Showing {
 public:
  Showing(const Setup& s, const BuiltScene& built)
      : s_(s), built_(built), out_(built.scene.prototypes.size()) {}

  std::vector<std::optional<LookedMesh>> all() {
    for (const BuiltScene::CutBody& cut : built_.cuts) showCut(cut);
    for (std::size_t i = 0; i < out_.size(); ++i)
      if (!cut_.contains(i)) out_[i] = whole(i);
    return std::move(out_);
  }

 private:
  const LookedMesh& file(const std::string& name) {
    const auto at = files_.find(name);
    if (at != files_.end()) return at->second;
    return files_[name] = readLookedMesh((std::filesystem::path(s_.path).parent_path() / name).string());
  }

  void showCut(const BuiltScene::CutBody& cut) {
    for (std::uint32_t k = 0; k < cut.count; ++k) cut_.insert(cut.first + k);
    showPieces(cut);
    for (const BuiltScene::CutBody::Size& s : cut.sizes)
      for (std::uint32_t k = 0; k < cut.count; ++k) {
        cut_.insert(s.first + k);
        if (!(out_[s.first + k] = out_[cut.first + k])) continue;
        for (Vec3& v : out_[s.first + k]->mesh.vertices) v *= s.times;
      }
  }

  void showPieces(const BuiltScene::CutBody& cut) {
    const BodySetup& body = *std::find_if(s_.bodies.begin(), s_.bodies.end(),
                                          [&](const BodySetup& b) { return b.name == cut.name; });
    if (!body.detail.empty()) return showCutDetail(body, cut);
    if (body.geometry != Geometry::Mesh || !says(file(body.mesh).look)) return;
    std::vector<LookedPiece> pieces = piecesOf(s_, built_, cut);
    for (std::uint32_t k = 0; k < cut.count; ++k) {
      LookedMesh& m =
          out_[cut.first + k].emplace(LookedMesh{std::move(pieces[k].mesh), std::move(pieces[k].look)});
      for (Vec3& v : m.mesh.vertices) v = v * s_.unit + built_.scene.prototypes[cut.first + k].origin;
    }
  }

  // What of the detail lies in each piece's cells, under the piece's name.
  void showCutDetail(const BodySetup& body, const BuiltScene::CutBody& cut) {
    const double factor = factorOf(body);
    LookedMesh whole = scaled(file(body.detail), factor);
    AlikePieces alike;
    try {
      if (!mesh::closedness(whole.mesh).closed())
        throw Error(ErrorKind::Input, "it is not closed, and what is not cannot be cut");
      alike = cutAlike(whole.mesh, cut.steps, nullptr);
    } catch (const Error& e) {
      throw Error(ErrorKind::Input, fmt::format("the detail of '{}': {}", body.name, e.what()),
                  body.detail_where);
    }
    const Look skin = lookOn(whole.mesh, file(body.detail), factor, s_.unit, body.name);
    std::map<std::string, std::size_t> by_name;
    for (std::uint32_t k = 0; k < cut.count; ++k)
      by_name[built_.scene.prototypes[cut.first + k].name] = cut.first + k;
    for (std::size_t k = 0; k < alike.numbers.size(); ++k) {
      const auto at = by_name.find(body.name + "/" + alike.numbers[k]);
      if (at == by_name.end()) continue;  // of a piece that is lost
      const cut::Piece& piece = alike.cut.pieces[k];
      const cut::RoughMesh seen = cut::roughened(piece.mesh, piece.sources, alike.cut.interfaces, cut.rough);
      append(at->second, seen.mesh,
             lookOfPiece(seen.mesh, seen.sources, whole.mesh, skin, body.name, s_.unit));
    }
  }

  void append(std::size_t prototype, const mesh::TriangleMesh& m, const Look& look) {
    if (!out_[prototype]) out_[prototype].emplace().look.names = look.names;
    LookedMesh& to = *out_[prototype];
    const auto first = u32(to.mesh.vertices.size());
    for (const Vec3& v : m.vertices)
      to.mesh.vertices.push_back(v + built_.scene.prototypes[prototype].origin);
    for (const mesh::Triangle& t : m.triangles)
      to.mesh.triangles.push_back({t[0] + first, t[1] + first, t[2] + first});
    to.look.uvs.insert(to.look.uvs.end(), look.uvs.begin(), look.uvs.end());
    to.look.normals.insert(to.look.normals.end(), look.normals.begin(), look.normals.end());
    to.look.materials.insert(to.look.materials.end(), look.materials.begin(), look.materials.end());
  }

  double factorOf(const BodySetup& b) const { return (b.mesh_unit > 0 ? b.mesh_unit : s_.unit) * b.scale; }

  // Of a copy that is longer along some of its axes.
  static LookedMesh stretched(LookedMesh m, const std::optional<Vec3>& by) {
    if (!by) return m;
    for (Vec3& v : m.mesh.vertices) v = v.cwiseProduct(*by);
    for (auto& corners : m.look.normals)
      for (Vec3& n : corners) n = n.cwiseQuotient(*by).normalized();
    return m;
  }

  static LookedMesh scaled(const LookedMesh& file, double factor) {
    LookedMesh out;
    out.mesh = mesh::welded(file.mesh);
    for (Vec3& v : out.mesh.vertices) v *= factor;
    // What is closed has an outside.
    if (mesh::closedness(out.mesh).closed() && mesh::massProperties(out.mesh).volume < 0)
      for (mesh::Triangle& t : out.mesh.triangles) std::swap(t[1], t[2]);
    return out;
  }

  std::optional<LookedMesh> whole(std::size_t i) {
    const BodySetup& b = built_.prototype_bodies[i];
    const world::Prototype& p = built_.scene.prototypes[i];
    const double factor = factorOf(b);
    if (!b.detail.empty()) return detailOf(b, p, factor);
    if (b.geometry != Geometry::Mesh || b.part || b.bends || !says(file(b.mesh).look)) return std::nullopt;
    LookedMesh out;
    out.look = lookOn(built_.meshes[i], stretched(file(b.mesh), b.stretch), factor, s_.unit, b.name);
    out.mesh = built_.meshes[i];
    for (Vec3& v : out.mesh.vertices) v += p.origin;
    return out;
  }

  std::optional<LookedMesh> detailOf(const BodySetup& b, const world::Prototype& p, double factor) {
    const LookedMesh from = stretched(file(b.detail), b.stretch);
    LookedMesh out = scaled(from, factor);
    out.look =
        says(from.look) ? lookOn(out.mesh, from, factor, s_.unit, b.name) : madeLook(out.mesh, {}, b.name);
    for (Vec3& v : out.mesh.vertices) v += p.origin;
    return out;
  }

  const Setup& s_;
  const BuiltScene& built_;
  std::vector<std::optional<LookedMesh>> out_;
  std::map<std::string, LookedMesh> files_;
  std::set<std::size_t> cut_;  // prototypes
};

}  // namespace

std::vector<std::optional<LookedMesh>> shownMeshes(const Setup& s, const BuiltScene& built) {
  return Showing(s, built).all();
}

Blob packLook(const Look& look) {
  ByteWriter w;
  for (std::size_t t = 0; t < look.materials.size(); ++t) {
    for (const Vec2& uv : look.uvs[t])
      for (int k = 0; k < 2; ++k) w.add(static_cast<float>(uv[k]));
    for (const Vec3& n : look.normals[t])
      for (int k = 0; k < 3; ++k) w.add(static_cast<float>(n[k]));
    w.add(look.materials[t]);
  }
  return packBytes(w.take());
}

Look unpackLook(const Bytes& data, std::size_t triangles, std::vector<std::string> names) {
  const Bytes raw = unpackBytes(data);
  ByteReader r(raw);
  Look out;
  out.names = std::move(names);
  const auto read = [&] {
    float x = 0;
    r.read(x);
    return static_cast<double>(x);
  };
  for (std::size_t t = 0; t < triangles; ++t) {
    auto& uvs = out.uvs.emplace_back();
    auto& normals = out.normals.emplace_back();
    for (Vec2& uv : uvs)
      for (int k = 0; k < 2; ++k) uv[k] = read();
    for (Vec3& n : normals) {
      for (int k = 0; k < 3; ++k) n[k] = read();
      const double length = n.norm();
      n = length > 0 ? Vec3(n / length) : Vec3(Vec3::UnitY());
    }
    r.read(out.materials.emplace_back());
    if (out.materials.back() >= out.names.size())
      throw Error(ErrorKind::Input, "a stored look names no material");
  }
  if (!r.atEnd()) throw Error(ErrorKind::Input, "a stored look is longer than its mesh");
  return out;
}

}  // namespace drubble::files
