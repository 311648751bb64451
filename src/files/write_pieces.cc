// SPDX-License-Identifier: Apache-2.0
#include "files/write_pieces.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cstring>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>

#include "core/base/error.h"

namespace drubble::files {

namespace {

static_assert(std::endian::native == std::endian::little);

// Numbers as they lie in a file.
class Bytes {
 public:
  template <class T>
  void add(T x) {
    char raw[sizeof(T)];
    std::memcpy(raw, &x, sizeof(T));
    bytes_.append(raw, sizeof(T));
  }
  void fill(char with) {
    while (bytes_.size() % 4 != 0) bytes_ += with;
  }
  std::size_t size() const { return bytes_.size(); }
  const std::string& bytes() const { return bytes_; }

 private:
  std::string bytes_;
};

void store(const std::string& path, const std::string& head, const std::string& body) {
  std::ofstream out(path, std::ios::binary);
  out << head << body;
  if (!out.flush()) throw Error(ErrorKind::Output, "cannot write " + path);
}

// Different values, in the order in which they came.
template <class T>
class Distinct {
 public:
  std::uint32_t add(const T& x) {
    const auto [at, fresh] = place_.try_emplace(x, u32(list_.size()));
    if (fresh) list_.push_back(x);
    return at->second;
  }
  const std::vector<T>& list() const { return list_; }

 private:
  std::map<T, std::uint32_t> place_;
  std::vector<T> list_;
};

}  // namespace

void writeObj(const std::string& path, const std::vector<LookedPiece>& pieces) {
  std::string out;
  const auto add = std::back_inserter(out);
  std::size_t first_place = 1, first_uv = 1, first_normal = 1;
  for (const LookedPiece& p : pieces) {
    Distinct<std::array<double, 2>> uvs;
    Distinct<std::array<double, 3>> normals;
    std::string faces;
    const auto face = std::back_inserter(faces);
    std::uint32_t material = 0xffffffffu;
    for (std::size_t t = 0; t < p.mesh.triangles.size(); ++t) {
      if (p.look.materials[t] != material) {
        material = p.look.materials[t];
        fmt::format_to(face, "usemtl {}\n", p.look.names[material]);
      }
      faces += "f";
      for (std::size_t k = 0; k < 3; ++k) {
        const Vec2& uv = p.look.uvs[t][k];
        const Vec3& n = p.look.normals[t][k];
        fmt::format_to(face, " {}/{}/{}", p.mesh.triangles[t][k] + first_place,
                       uvs.add({uv.x(), uv.y()}) + first_uv,
                       normals.add({n.x(), n.y(), n.z()}) + first_normal);
      }
      faces += "\n";
    }
    fmt::format_to(add, "g {}\n", p.name);
    for (const Vec3& v : p.mesh.vertices)
      fmt::format_to(add, "v {:.17g} {:.17g} {:.17g}\n", v.x(), v.y(), v.z());
    for (const auto& uv : uvs.list()) fmt::format_to(add, "vt {:.9g} {:.9g}\n", uv[0], uv[1]);
    for (const auto& n : normals.list()) fmt::format_to(add, "vn {:.9g} {:.9g} {:.9g}\n", n[0], n[1], n[2]);
    out += faces;
    first_place += p.mesh.vertices.size();
    first_uv += uvs.list().size();
    first_normal += normals.list().size();
  }
  store(path, out, "");
}

void writePly(const std::string& path, const std::vector<LookedPiece>& pieces) {
  std::size_t vertices = 0, faces = 0;
  std::string head = "ply\nformat binary_little_endian 1.0\n";
  for (const LookedPiece& p : pieces) {
    head += fmt::format("comment piece {}\n", p.name);
    vertices += p.mesh.vertices.size();
    faces += p.mesh.triangles.size();
  }
  head += fmt::format(
      "element vertex {}\nproperty double x\nproperty double y\nproperty double z\nelement face {}\nproperty "
      "list "
      "uchar uint vertex_indices\nproperty int piece\nproperty uchar inside\nend_header\n",
      vertices, faces);
  Bytes body;
  for (const LookedPiece& p : pieces)
    for (const Vec3& v : p.mesh.vertices)
      for (int k = 0; k < 3; ++k) body.add(v[k]);
  std::uint32_t first = 0;
  for (std::size_t n = 0; n < pieces.size(); ++n) {
    const LookedPiece& p = pieces[n];
    for (std::size_t t = 0; t < p.mesh.triangles.size(); ++t) {
      body.add(std::uint8_t{3});
      for (const std::uint32_t v : p.mesh.triangles[t]) body.add(v + first);
      body.add(static_cast<std::int32_t>(n));
      body.add(p.inside[t]);
    }
    first += u32(p.mesh.vertices.size());
  }
  store(path, head, body.bytes());
}

namespace {

using Json = nlohmann::ordered_json;

// The numbers of a glTF file, and the accessors to them.
class Numbers {
 public:
  // `width` floats an element; `bounds` wanted of places.
  std::size_t add(const std::vector<float>& values, std::size_t width, bool bounds) {
    Json accessor = {{"bufferView", view(values, 34962)},
                     {"componentType", 5126},
                     {"count", values.size() / width},
                     {"type", width == 2 ? "VEC2" : "VEC3"}};
    if (bounds)
      for (std::size_t k = 0; k < width; ++k) {
        float low = values[k], high = values[k];
        for (std::size_t i = k; i < values.size(); i += width)
          low = std::min(low, values[i]), high = std::max(high, values[i]);
        accessor["min"].push_back(low);
        accessor["max"].push_back(high);
      }
    accessors.push_back(accessor);
    return accessors.size() - 1;
  }
  std::size_t add(const std::vector<std::uint32_t>& indices) {
    accessors.push_back({{"bufferView", view(indices, 34963)},
                         {"componentType", 5125},
                         {"count", indices.size()},
                         {"type", "SCALAR"}});
    return accessors.size() - 1;
  }

  Json accessors = Json::array(), views = Json::array();
  Bytes bytes;

 private:
  template <class T>
  std::size_t view(const std::vector<T>& values, int target) {
    views.push_back({{"buffer", 0},
                     {"byteOffset", bytes.size()},
                     {"byteLength", values.size() * sizeof(T)},
                     {"target", target}});
    for (const T x : values) bytes.add(x);
    return views.size() - 1;
  }
};

Json primitiveOf(const LookedPiece& p, std::uint32_t material, Numbers& numbers) {
  Distinct<std::array<float, 8>> corners;
  std::vector<std::uint32_t> indices;
  for (std::size_t t = 0; t < p.mesh.triangles.size(); ++t) {
    if (p.look.materials[t] != material) continue;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 v = p.unit * p.mesh.vertices[p.mesh.triangles[t][k]];
      const Vec3& n = p.look.normals[t][k];
      const Vec2& uv = p.look.uvs[t][k];
      std::array<float, 8> corner;
      for (std::size_t i = 0; i < 3; ++i) {
        corner[i] = static_cast<float>(v[static_cast<Eigen::Index>(i)]);
        corner[3 + i] = static_cast<float>(n[static_cast<Eigen::Index>(i)]);
      }
      corner[6] = static_cast<float>(uv.x());
      corner[7] = static_cast<float>(1 - uv.y());  // there textures begin at the top
      indices.push_back(corners.add(corner));
    }
  }
  std::vector<float> places, normals, uvs;
  for (const std::array<float, 8>& c : corners.list()) {
    places.insert(places.end(), c.begin(), c.begin() + 3);
    normals.insert(normals.end(), c.begin() + 3, c.begin() + 6);
    uvs.insert(uvs.end(), c.begin() + 6, c.end());
  }
  const std::size_t at = numbers.add(places, 3, true), towards = numbers.add(normals, 3, false),
                    texture = numbers.add(uvs, 2, false);
  return {{"attributes", {{"POSITION", at}, {"NORMAL", towards}, {"TEXCOORD_0", texture}}},
          {"indices", numbers.add(indices)}};
}

}  // namespace

void writeGlb(const std::string& path, const std::vector<LookedPiece>& pieces) {
  Json file = {{"asset", {{"version", "2.0"}, {"generator", "drubble"}}}, {"scene", 0}};
  Json root = {{"name", "pieces"}, {"children", Json::array()}};
  if (!pieces.empty() && pieces[0].up_is_z)
    root["rotation"] = {-0.70710678118654752, 0, 0, 0.70710678118654752};
  Json nodes = Json::array(), meshes = Json::array(), materials = Json::array();
  Distinct<std::string> names;
  Numbers numbers;
  for (const LookedPiece& p : pieces) {
    Json primitives = Json::array();
    for (std::uint32_t m = 0; m < p.look.names.size(); ++m) {
      if (std::count(p.look.materials.begin(), p.look.materials.end(), m) == 0) continue;
      Json primitive = primitiveOf(p, m, numbers);
      primitive["material"] = names.add(p.look.names[m]);
      primitives.push_back(std::move(primitive));
    }
    root["children"].push_back(nodes.size() + 1);
    nodes.push_back({{"name", p.name}, {"mesh", meshes.size()}});
    meshes.push_back({{"name", p.name}, {"primitives", primitives}});
  }
  for (const std::string& name : names.list()) materials.push_back({{"name", name}});
  nodes.insert(nodes.begin(), root);
  file["scenes"] = {{{"nodes", {0}}}};
  file["nodes"] = nodes;
  file["meshes"] = meshes;
  file["materials"] = materials;
  file["accessors"] = numbers.accessors;
  file["bufferViews"] = numbers.views;
  numbers.bytes.fill('\0');
  file["buffers"] = {{{"byteLength", numbers.bytes.size()}}};
  std::string text = file.dump();
  while (text.size() % 4 != 0) text += ' ';
  Bytes head;
  for (const std::uint32_t x :
       {0x46546c67u, 2u, u32(12 + 8 + text.size() + 8 + numbers.bytes.size()), u32(text.size()), 0x4e4f534au})
    head.add(x);
  Bytes between;
  between.add(u32(numbers.bytes.size()));
  between.add(0x004e4942u);
  store(path, head.bytes() + text, between.bytes() + numbers.bytes.bytes());
}

}  // namespace drubble::files
