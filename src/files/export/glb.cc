// SPDX-License-Identifier: Apache-2.0
#include "files/export/glb.h"

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>

#include "files/export/file_out.h"

namespace drubble::files {

namespace {

using Json = nlohmann::ordered_json;

constexpr int kFloat = 5126, kUint = 5125, kArrayBuffer = 34962, kElementBuffer = 34963;

// What goes into the binary part, laid out before it is written.
class Layout {
 public:
  std::size_t add(std::size_t count, const char* type, int component, int target = 0) {
    static const std::map<std::string, std::size_t> kWidths = {
        {"SCALAR", 1}, {"VEC2", 2}, {"VEC3", 3}, {"VEC4", 4}};
    const std::size_t bytes = 4 * count * kWidths.at(type);
    Json view = {{"buffer", 0}, {"byteOffset", bytes_}, {"byteLength", bytes}};
    if (target != 0) view["target"] = target;
    accessors.push_back(
        {{"bufferView", views.size()}, {"componentType", component}, {"count", count}, {"type", type}});
    views.push_back(std::move(view));
    bytes_ += bytes;
    return accessors.size() - 1;
  }
  void bounds(std::size_t accessor, const std::vector<float>& values, std::size_t width) {
    for (std::size_t k = 0; k < width; ++k) {
      float low = values[k], high = values[k];
      for (std::size_t i = k; i < values.size(); i += width)
        low = std::min(low, values[i]), high = std::max(high, values[i]);
      accessors[accessor]["min"].push_back(low);
      accessors[accessor]["max"].push_back(high);
    }
  }
  std::size_t bytes() const { return bytes_; }

  Json accessors = Json::array(), views = Json::array();

 private:
  std::size_t bytes_ = 0;
};

struct Corners {  // of one surface of a mesh
  std::uint32_t material = 0;
  std::vector<float> places, normals, uvs;
  std::vector<std::uint32_t> indices;
};

Corners cornersOf(const ShownMesh& m, std::uint32_t material, double unit) {
  Corners out;
  out.material = material;
  std::map<std::array<float, 8>, std::uint32_t> known;
  for (std::size_t t = 0; t < m.mesh.triangles.size(); ++t) {
    if (m.look.materials[t] != material) continue;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 v = unit * m.mesh.vertices[m.mesh.triangles[t][k]];
      const Vec3& n = m.look.normals[t][k];
      const Vec2& uv = m.look.uvs[t][k];
      const auto f = [](double x) { return static_cast<float>(x); };
      // There textures begin at the top.
      const std::array<float, 8> corner = {f(v.x()), f(v.y()), f(v.z()),  f(n.x()),
                                           f(n.y()), f(n.z()), f(uv.x()), f(1 - uv.y())};
      const auto [at, fresh] = known.try_emplace(corner, u32(known.size()));
      if (fresh) {
        out.places.insert(out.places.end(), corner.begin(), corner.begin() + 3);
        out.normals.insert(out.normals.end(), corner.begin() + 3, corner.begin() + 6);
        out.uvs.insert(out.uvs.end(), corner.begin() + 6, corner.end());
      }
      out.indices.push_back(at->second);
    }
  }
  return out;
}

class Writer {
 public:
  Writer(Shot& shot, GlbForm form) : shot_(shot), form_(form) {}

  void write() {
    layMeshes();
    if (form_ == GlbForm::Instances)
      layInstances();
    else
      layNodes();
    const std::string text = described();
    const std::size_t whole = 12 + 8 + text.size() + 8 + layout_.bytes();
    if (whole > 0xffffffffu)
      throw Error(
          ErrorKind::Usage,
          fmt::format("{} would have {:.1f} GB, and glTF ends at 4: write fewer frames or pieces, or .usda",
                      shot_.options().path, static_cast<double>(whole) / 1e9));
    FileOut out(shot_.options().path);
    const std::uint32_t head[] = {0x46546c67u, 2u, u32(whole), u32(text.size()), 0x4e4f534au};
    out.raw(head, sizeof(head));
    out.text(text);
    const std::uint32_t between[] = {u32(layout_.bytes()), 0x004e4942u};
    out.raw(between, sizeof(between));
    for (const std::vector<Corners>& mesh : corners_)
      for (const Corners& c : mesh) {
        put(out, c.places);
        put(out, c.normals);
        put(out, c.uvs);
        put(out, c.indices);
      }
    if (form_ == GlbForm::Instances)
      putInstances(out);
    else
      putTracks(out);
    out.finish();
  }

 private:
  template <class T>
  static void put(FileOut& out, const std::vector<T>& values) {
    out.raw(values.data(), values.size() * sizeof(T));
  }

  void layMeshes() {
    for (const ShownMesh& m : shot_.meshes()) {
      std::vector<std::uint32_t> used = m.look.materials;
      std::sort(used.begin(), used.end());
      used.erase(std::unique(used.begin(), used.end()), used.end());
      Json primitives = Json::array();
      std::vector<Corners>& corners = corners_.emplace_back();
      for (const std::uint32_t u : used) {
        corners.push_back(cornersOf(m, u, shot_.unit()));
        const Corners& c = corners.back();
        const std::size_t n = c.places.size() / 3;
        const std::size_t at = layout_.add(n, "VEC3", kFloat, kArrayBuffer);
        layout_.bounds(at, c.places, 3);
        const std::size_t towards = layout_.add(n, "VEC3", kFloat, kArrayBuffer);
        const std::size_t texture = layout_.add(n, "VEC2", kFloat, kArrayBuffer);
        const std::size_t indices = layout_.add(c.indices.size(), "SCALAR", kUint, kElementBuffer);
        primitives.push_back(
            {{"attributes", {{"POSITION", at}, {"NORMAL", towards}, {"TEXCOORD_0", texture}}},
             {"indices", indices},
             {"material", u}});
      }
      meshes_.push_back({{"name", m.name}, {"primitives", primitives}});
    }
  }

  Json rotation(const Quat& q) const { return {q.x(), q.y(), q.z(), q.w()}; }
  Json translation(const Vec3& v) const {
    return {shot_.unit() * v.x(), shot_.unit() * v.y(), shot_.unit() * v.z()};
  }

  void layNodes() {
    const std::vector<PieceMoment> first = shot_.at(shot_.times().front());
    for (const ShownPiece& p : shot_.pieces()) {
      const PieceMoment& m = first[p.piece];
      nodes_.push_back({{"name", shot_.nameOf(p)},
                        {"mesh", p.mesh},
                        {"translation", translation(m.pose.position)},
                        {"rotation", rotation(m.pose.turn)}});
      if (!m.there()) nodes_.back()["scale"] = {0, 0, 0};
      if (p.moves && !shot_.still()) moving_.push_back(nodes_.size() - 1);
    }
    if (moving_.empty()) return;
    const std::size_t count = shot_.times().size();
    const std::size_t times = layout_.add(count, "SCALAR", kFloat);
    std::vector<float> seconds = secondsOf();
    layout_.bounds(times, seconds, 1);
    findComing();
    Json samplers = Json::array(), channels = Json::array();
    const auto channel = [&](std::size_t piece, const char* path, const char* type, const char* how) {
      channels.push_back({{"sampler", samplers.size()}, {"target", {{"node", piece + 1}, {"path", path}}}});
      samplers.push_back(
          {{"input", times}, {"output", layout_.add(count, type, kFloat)}, {"interpolation", how}});
    };
    for (const std::size_t k : moving_) {
      channel(k, "translation", "VEC3", "LINEAR");
      channel(k, "rotation", "VEC4", "LINEAR");
      if (comes_[k]) channel(k, "scale", "VEC3", "STEP");
    }
    animations_.push_back({{"name", "motion"}, {"samplers", samplers}, {"channels", channels}});
  }

  // Which pieces are not there all the time.
  void findComing() {
    comes_.assign(shot_.pieces().size(), false);
    for (const double time : shot_.times()) {
      const std::vector<PieceMoment>& now = shot_.at(time);
      for (const std::size_t k : moving_)
        if (!now[shot_.pieces()[k].piece].there()) comes_[k] = true;
    }
  }

  std::vector<float> secondsOf() const {
    std::vector<float> out;
    for (const double t : shot_.times())
      out.push_back(static_cast<float>((t - shot_.times().front()) / shot_.cache().info().fps));
    return out;
  }

  void putTracks(FileOut& out) {
    if (moving_.empty()) return;
    put(out, secondsOf());
    shot_.eachTrack("animation", moving_, [&](std::size_t k, const std::vector<PieceMoment>& track) {
      std::vector<float> places, turns, sizes;
      Quat last = track[0].pose.turn;
      for (const PieceMoment& m : track) {
        for (int i = 0; i < 3; ++i) places.push_back(static_cast<float>(shot_.unit() * m.pose.position[i]));
        Quat q = m.pose.turn;
        if (q.dot(last) < 0) q.coeffs() = -q.coeffs();  // from one to the next the shorter way
        last = q;
        for (const double x : {q.x(), q.y(), q.z(), q.w()}) turns.push_back(static_cast<float>(x));
        sizes.insert(sizes.end(), 3, m.there() ? 1.0f : 0.0f);
      }
      put(out, places);
      put(out, turns);
      if (comes_[k]) put(out, sizes);
    });
  }

  // By mesh, the pieces that are there.
  std::vector<std::vector<std::size_t>> copies() {
    std::vector<std::vector<std::size_t>> out(shot_.meshes().size());
    const std::vector<PieceMoment>& now = shot_.at(shot_.times().front());
    for (std::size_t k = 0; k < shot_.pieces().size(); ++k)
      if (now[shot_.pieces()[k].piece].there()) out[shot_.pieces()[k].mesh].push_back(k);
    return out;
  }

  void layInstances() {
    const auto all = copies();
    for (std::size_t m = 0; m < all.size(); ++m) {
      if (all[m].empty()) continue;
      const std::size_t at = layout_.add(all[m].size(), "VEC3", kFloat);
      const std::size_t turn = layout_.add(all[m].size(), "VEC4", kFloat);
      nodes_.push_back(
          {{"name", shot_.meshes()[m].name},
           {"mesh", m},
           {"extensions",
            {{"EXT_mesh_gpu_instancing", {{"attributes", {{"TRANSLATION", at}, {"ROTATION", turn}}}}}}}});
    }
  }

  void putInstances(FileOut& out) {
    const auto all = copies();
    const std::vector<PieceMoment>& now = shot_.at(shot_.times().front());
    for (const std::vector<std::size_t>& pieces : all) {
      std::vector<float> places, turns;
      for (const std::size_t k : pieces) {
        const Pose& p = now[shot_.pieces()[k].piece].pose;
        for (int i = 0; i < 3; ++i) places.push_back(static_cast<float>(shot_.unit() * p.position[i]));
        for (const double x : {p.turn.x(), p.turn.y(), p.turn.z(), p.turn.w()})
          turns.push_back(static_cast<float>(x));
      }
      put(out, places);
      put(out, turns);
    }
  }

  std::string described() {
    Json file = {{"asset", {{"version", "2.0"}, {"generator", "drubble"}}}, {"scene", 0}};
    if (form_ == GlbForm::Instances) {
      file["extensionsUsed"] = {"EXT_mesh_gpu_instancing"};
      file["extensionsRequired"] = {"EXT_mesh_gpu_instancing"};
    }
    Json root = {{"name", "shot"}, {"children", Json::array()}};
    for (std::size_t k = 0; k < nodes_.size(); ++k) root["children"].push_back(k + 1);
    if (shot_.cache().info().up_is_z) root["rotation"] = {-0.70710678118654752, 0, 0, 0.70710678118654752};
    Json materials = Json::array();
    for (const Surface& s : shot_.surfaces())
      materials.push_back(
          {{"name", s.name},
           {"pbrMetallicRoughness",
            {{"baseColorFactor", {linear(s.colour[0]), linear(s.colour[1]), linear(s.colour[2]), 1}},
             {"metallicFactor", 0},
             {"roughnessFactor", 0.8}}}});
    nodes_.insert(nodes_.begin(), root);
    file["scenes"] = {{{"nodes", {0}}}};
    file["nodes"] = nodes_;
    file["meshes"] = meshes_;
    file["materials"] = materials;
    if (!animations_.empty()) file["animations"] = animations_;
    file["accessors"] = layout_.accessors;
    file["bufferViews"] = layout_.views;
    file["buffers"] = {{{"byteLength", layout_.bytes()}}};
    std::string text = file.dump();
    while (text.size() % 4 != 0) text += ' ';
    return text;
  }

  // As light, of a colour as screens have it.
  static double linear(double c) { return c <= 0.04045 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4); }

  Shot& shot_;
  GlbForm form_;
  Layout layout_;
  std::vector<std::vector<Corners>> corners_;  // of each mesh
  Json nodes_ = Json::array(), meshes_ = Json::array(), animations_ = Json::array();
  std::vector<std::size_t> moving_;  // pieces
  std::vector<char> comes_;
};

}  // namespace

std::string writeGlb(Shot& shot, GlbForm form) {
  if (form == GlbForm::Instances && !shot.still())
    throw Error(ErrorKind::Usage,
                "glTF moves nodes, not instances: give one frame with --frame, or take --as nodes");
  Writer(shot, form).write();
  for (const ShownMesh& m : shot.meshes())
    if (m.bends)
      return fmt::format("'{}' changes its form, which is not in the file: .usda, .ply and .obj have it",
                         m.name);
  return "";
}

}  // namespace drubble::files
