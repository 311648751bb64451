// SPDX-License-Identifier: Apache-2.0
#include "files/meshes.h"

#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <fmt/format.h>

#include <algorithm>
#include <assimp/Importer.hpp>
#include <filesystem>

#include "core/base/error.h"
#include "files/obj.h"

namespace drubble::files {

namespace {

void addNode(const aiScene& scene, const aiNode& node, const aiMatrix4x4& above, const std::string& path,
             mesh::TriangleMesh& out) {
  const aiMatrix4x4 here = above * node.mTransformation;
  for (unsigned k = 0; k < node.mNumMeshes; ++k) {
    const aiMesh& m = *scene.mMeshes[node.mMeshes[k]];
    const std::uint32_t base = u32(out.vertices.size());
    for (unsigned v = 0; v < m.mNumVertices; ++v) {
      const aiVector3D p = here * m.mVertices[v];
      const Vec3 x = vec3(static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z));
      if (!x.allFinite())
        throw Error(
            ErrorKind::Input,
            fmt::format("a vertex of '{}' is not a finite number: export the mesh again", m.mName.C_Str()),
            Where{path, 0, 0, ""});
      out.vertices.push_back(x);
    }
    for (unsigned f = 0; f < m.mNumFaces; ++f) {
      const aiFace& face = m.mFaces[f];
      if (face.mNumIndices == 3)
        out.triangles.push_back({base + face.mIndices[0], base + face.mIndices[1], base + face.mIndices[2]});
    }
  }
  for (unsigned k = 0; k < node.mNumChildren; ++k) addNode(scene, *node.mChildren[k], here, path, out);
}

mesh::TriangleMesh read(const std::string& path) {
  std::string ending = std::filesystem::path(path).extension().string();
  std::transform(ending.begin(), ending.end(), ending.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  if (ending == ".obj") return readObj(path);
  const Where where{path, 0, 0, ""};
  if (ending != ".ply" && ending != ".stl" && ending != ".gltf" && ending != ".glb")
    throw Error(ErrorKind::Input,
                fmt::format("'{}' is no mesh file that can be read: use obj, ply, stl, gltf or glb", ending),
                where);
  std::error_code ignored;
  if (!std::filesystem::exists(path, ignored))
    throw Error(ErrorKind::Input, "cannot read the mesh: no such file", where);
  Assimp::Importer importer;
  const aiScene* scene = importer.ReadFile(path, aiProcess_Triangulate);
  if (scene == nullptr || scene->mRootNode == nullptr)
    throw Error(ErrorKind::Input, fmt::format("cannot read the mesh: {}", importer.GetErrorString()), where);
  mesh::TriangleMesh out;
  addNode(*scene, *scene->mRootNode, {}, path, out);
  return out;
}

}  // namespace

mesh::TriangleMesh readMesh(const std::string& path) {
  mesh::TriangleMesh out = read(path);
  if (out.triangles.empty()) throw Error(ErrorKind::Input, "the file holds no faces", Where{path, 0, 0, ""});
  return out;
}

std::vector<Vec3> readVertices(const std::string& path) { return read(path).vertices; }

}  // namespace drubble::files
