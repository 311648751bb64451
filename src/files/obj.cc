// SPDX-License-Identifier: Apache-2.0
#include "files/obj.h"

#include <fmt/format.h>
#include <tiny_obj_loader.h>

#include <charconv>
#include <cmath>
#include <fstream>
#include <map>
#include <set>
#include <sstream>

#include "core/base/error.h"

namespace drubble::files {

namespace {

// The loader reads what it cannot understand as zero: numbers are checked here, with their lines.
void checkVertexLines(const std::string& path, const std::string& text) {
  std::istringstream in(text);
  int number = 0;
  for (std::string line; std::getline(in, line);) {
    ++number;
    if (line.size() < 2 || line[0] != 'v' || (line[1] != ' ' && line[1] != '\t')) continue;
    std::istringstream words(line.substr(2));
    std::string word;
    for (int k = 0; k < 3; ++k) {
      double x = 0;
      const bool there = static_cast<bool>(words >> word);
      if (there && word[0] == '+') word.erase(0, 1);
      const auto [end, code] = there ? std::from_chars(word.data(), word.data() + word.size(), x)
                                     : std::from_chars_result{nullptr, std::errc::invalid_argument};
      const Where where{path, number, 1, line};
      if (code != std::errc{} || end != word.data() + word.size())
        throw Error(ErrorKind::Input, "a vertex needs three numbers: mend the mesh where it was made", where);
      if (!std::isfinite(x))
        throw Error(ErrorKind::Input,
                    fmt::format("a vertex is at '{}': write the mesh again with finite numbers", word),
                    where);
    }
  }
}

// The materials that the text uses, as a library of names: what they are like is of no matter here.
std::string materialsIn(const std::string& text) {
  std::istringstream in(text);
  std::set<std::string> names;
  std::string out;
  for (std::string line; std::getline(in, line);) {
    if (!line.starts_with("usemtl")) continue;
    std::istringstream words(line.substr(6));
    std::string name;
    if (words >> name && names.insert(name).second) out += "newmtl " + name + "\n";
  }
  return out;
}

tinyobj::ObjReader parsedObj(const std::string& path) {
  const Where whole{path, 0, 0, ""};
  std::ifstream in(path, std::ios::binary);
  std::ostringstream buffer;
  buffer << in.rdbuf();
  if (!in) throw Error(ErrorKind::Input, "cannot read the mesh: no such file, or no permission", whole);
  const std::string text = buffer.str();
  checkVertexLines(path, text);
  tinyobj::ObjReaderConfig config;
  config.triangulate = true;
  config.vertex_color = false;
  tinyobj::ObjReader reader;
  if (!reader.ParseFromString("mtllib names\n" + text, materialsIn(text), config))
    throw Error(ErrorKind::Input, "not an OBJ mesh: " + reader.Error(), whole);
  return reader;
}

std::vector<Vec3> verticesOf(const tinyobj::ObjReader& reader) {
  const auto& v = reader.GetAttrib().vertices;
  std::vector<Vec3> out;
  for (std::size_t i = 0; i + 2 < v.size(); i += 3)
    out.push_back(
        vec3(static_cast<double>(v[i]), static_cast<double>(v[i + 1]), static_cast<double>(v[i + 2])));
  return out;
}

std::vector<mesh::Triangle> trianglesOf(const tinyobj::shape_t& s, std::size_t vertices,
                                        const std::string& path) {
  std::vector<mesh::Triangle> out;
  for (std::size_t i = 0; i + 2 < s.mesh.indices.size(); i += 3) {
    mesh::Triangle t{};
    for (std::size_t k = 0; k < 3; ++k) {
      const int index = s.mesh.indices[i + k].vertex_index;
      if (index < 0 || static_cast<std::size_t>(index) >= vertices)
        throw Error(ErrorKind::Input,
                    fmt::format("a face names vertex {}, but there are {}", index + 1, vertices),
                    Where{path, 0, 0, ""});
      t[k] = static_cast<std::uint32_t>(index);
    }
    out.push_back(t);
  }
  return out;
}

}  // namespace

mesh::TriangleMesh readObj(const std::string& path) {
  const tinyobj::ObjReader reader = parsedObj(path);
  mesh::TriangleMesh m;
  m.vertices = verticesOf(reader);
  for (const auto& s : reader.GetShapes())
    for (const mesh::Triangle& t : trianglesOf(s, m.vertices.size(), path)) m.triangles.push_back(t);
  if (m.triangles.empty()) throw Error(ErrorKind::Input, "the mesh has no faces", Where{path, 0, 0, ""});
  return m;
}

LookedMesh readLookedObj(const std::string& path) {
  const tinyobj::ObjReader reader = parsedObj(path);
  const tinyobj::attrib_t& a = reader.GetAttrib();
  LookedMesh out;
  out.mesh.vertices = verticesOf(reader);
  bool uvs = true, normals = true;
  for (const tinyobj::material_t& m : reader.GetMaterials()) out.look.names.push_back(m.name);
  for (const auto& s : reader.GetShapes()) {
    const std::vector<mesh::Triangle> triangles = trianglesOf(s, out.mesh.vertices.size(), path);
    for (std::size_t t = 0; t < triangles.size(); ++t) {
      out.mesh.triangles.push_back(triangles[t]);
      std::array<Vec2, 3> uv;
      std::array<Vec3, 3> normal;
      for (std::size_t k = 0; k < 3; ++k) {
        const tinyobj::index_t& i = s.mesh.indices[3 * t + k];
        const auto at = [](const std::vector<tinyobj::real_t>& list, int index, std::size_t width,
                           std::size_t n) {
          const std::size_t place = static_cast<std::size_t>(index) * width + n;
          return index >= 0 && place < list.size() ? static_cast<double>(list[place]) : 0.0;
        };
        uvs = uvs && i.texcoord_index >= 0;
        normals = normals && i.normal_index >= 0;
        uv[k] = Vec2(at(a.texcoords, i.texcoord_index, 2, 0), at(a.texcoords, i.texcoord_index, 2, 1));
        normal[k] = vec3(at(a.normals, i.normal_index, 3, 0), at(a.normals, i.normal_index, 3, 1),
                         at(a.normals, i.normal_index, 3, 2));
      }
      out.look.uvs.push_back(uv);
      out.look.normals.push_back(normal);
      out.look.materials.push_back(static_cast<std::uint32_t>(s.mesh.material_ids[t]));
    }
  }
  if (!uvs) out.look.uvs.clear();
  if (!normals) out.look.normals.clear();
  return out;
}

std::vector<NamedMesh> readObjGroups(const std::string& path) {
  const tinyobj::ObjReader reader = parsedObj(path);
  const std::vector<Vec3> vertices = verticesOf(reader);
  std::vector<NamedMesh> out;
  for (const auto& s : reader.GetShapes()) {
    NamedMesh part{s.name, {}};
    std::map<std::uint32_t, std::uint32_t> place;
    for (mesh::Triangle t : trianglesOf(s, vertices.size(), path)) {
      for (std::uint32_t& corner : t) {
        const auto [it, fresh] = place.emplace(corner, u32(part.mesh.vertices.size()));
        if (fresh) part.mesh.vertices.push_back(vertices[corner]);
        corner = it->second;
      }
      part.mesh.triangles.push_back(t);
    }
    if (!part.mesh.triangles.empty()) out.push_back(std::move(part));
  }
  if (out.empty()) throw Error(ErrorKind::Input, "the mesh has no faces", Where{path, 0, 0, ""});
  return out;
}

void writeObj(const std::string& path, const mesh::TriangleMesh& m, const std::string& name) {
  std::ofstream out(path);
  out << "o " << name << "\n";
  for (const Vec3& v : m.vertices) out << fmt::format("v {:.9g} {:.9g} {:.9g}\n", v.x(), v.y(), v.z());
  for (const mesh::Triangle& t : m.triangles)
    out << fmt::format("f {} {} {}\n", t[0] + 1, t[1] + 1, t[2] + 1);
  if (!out.flush()) throw Error(ErrorKind::Output, "cannot write " + path);
}

}  // namespace drubble::files
