// SPDX-License-Identifier: Apache-2.0
#include "files/obj.h"

#include <fmt/format.h>
#include <tiny_obj_loader.h>

#include <charconv>
#include <cmath>
#include <fstream>
#include <map>
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
  if (!reader.ParseFromString(text, "", config))
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

void writeObj(const std::string& path, const std::vector<NamedMesh>& meshes) {
  std::ofstream out(path);
  std::size_t first = 1;
  for (const NamedMesh& x : meshes) {
    out << "g " << x.name << "\n";
    for (const Vec3& v : x.mesh.vertices)
      out << fmt::format("v {:.17g} {:.17g} {:.17g}\n", v.x(), v.y(), v.z());
    for (const mesh::Triangle& t : x.mesh.triangles)
      out << fmt::format("f {} {} {}\n", t[0] + first, t[1] + first, t[2] + first);
    first += x.mesh.vertices.size();
  }
  if (!out.flush()) throw Error(ErrorKind::Output, "cannot write " + path);
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
