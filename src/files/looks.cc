// SPDX-License-Identifier: Apache-2.0
#include "files/looks.h"

#include <assimp/postprocess.h>
#include <assimp/scene.h>

#include <algorithm>
#include <assimp/Importer.hpp>
#include <map>

#include "files/meshes.h"
#include "files/obj.h"

namespace drubble::files {

namespace {

// By the same walk as readMesh, so that triangles come in the same order.
void addLooks(const aiScene& scene, const aiNode& node, const aiMatrix4x4& above, Look& out, bool& uvs,
              bool& normals) {
  const aiMatrix4x4 here = above * node.mTransformation;
  const aiMatrix3x3 turn = aiMatrix3x3(here).Inverse().Transpose();
  for (unsigned k = 0; k < node.mNumMeshes; ++k) {
    const aiMesh& m = *scene.mMeshes[node.mMeshes[k]];
    uvs = uvs && m.HasTextureCoords(0);
    normals = normals && m.HasNormals();
    for (unsigned f = 0; f < m.mNumFaces; ++f) {
      const aiFace& face = m.mFaces[f];
      if (face.mNumIndices != 3) continue;
      std::array<Vec2, 3> uv;
      std::array<Vec3, 3> normal;
      for (unsigned i = 0; i < 3; ++i) {
        const unsigned v = face.mIndices[i];
        uv[i] = uvs ? Vec2(static_cast<double>(m.mTextureCoords[0][v].x),
                           static_cast<double>(m.mTextureCoords[0][v].y))
                    : Vec2(0, 0);
        const aiVector3D n = normals ? turn * m.mNormals[v] : aiVector3D(0, 1, 0);
        normal[i] =
            vec3(static_cast<double>(n.x), static_cast<double>(n.y), static_cast<double>(n.z)).normalized();
      }
      out.uvs.push_back(uv);
      out.normals.push_back(normal);
      out.materials.push_back(m.mMaterialIndex);
    }
  }
  for (unsigned k = 0; k < node.mNumChildren; ++k)
    addLooks(scene, *node.mChildren[k], here, out, uvs, normals);
}

Look readLook(const std::string& path) {
  Assimp::Importer importer;
  const aiScene* scene = importer.ReadFile(path, aiProcess_Triangulate);
  Look out;
  if (scene == nullptr || scene->mRootNode == nullptr) return out;
  bool uvs = true, normals = true;
  addLooks(*scene, *scene->mRootNode, {}, out, uvs, normals);
  if (!uvs) out.uvs.clear();
  if (!normals) out.normals.clear();
  for (unsigned k = 0; k < scene->mNumMaterials; ++k)
    out.names.push_back(scene->mMaterials[k]->GetName().C_Str());
  return out;
}

using Places = std::array<std::array<double, 3>, 3>;

Places placesOf(const mesh::TriangleMesh& m, const mesh::Triangle& t, double factor) {
  Places out;
  for (std::size_t k = 0; k < 3; ++k) {
    const Vec3 v = m.vertices[t[k]] * factor;
    out[k] = {v.x(), v.y(), v.z()};
  }
  return out;
}

}  // namespace

LookedMesh readLookedMesh(const std::string& path) {
  if (path.ends_with(".obj") || path.ends_with(".OBJ")) return readLookedObj(path);
  return {readMesh(path), readLook(path)};
}

Vec2 boxProjected(const Vec3& place, const Vec3& normal) {
  int axis = 0;
  normal.cwiseAbs().maxCoeff(&axis);
  return {place[(axis + 1) % 3], place[(axis + 2) % 3]};
}

Look lookOn(const mesh::TriangleMesh& m, const LookedMesh& file, double factor, double unit,
            const std::string& without) {
  // Corners may have been turned round by mending: any order will do to find it.
  struct Found {
    Places sorted;
    std::uint32_t triangle;
  };
  std::vector<Found> known;
  for (std::uint32_t t = 0; t < file.mesh.triangles.size(); ++t) {
    known.push_back({placesOf(file.mesh, file.mesh.triangles[t], factor), t});
    std::sort(known.back().sorted.begin(), known.back().sorted.end());
  }
  const auto before = [](const Found& a, const Found& b) {
    return std::tie(a.sorted, a.triangle) < std::tie(b.sorted, b.triangle);
  };
  std::sort(known.begin(), known.end(), before);
  Look out;
  out.names = file.look.names;
  std::uint32_t plain = 0;
  while (plain < out.names.size() && out.names[plain] != without) ++plain;
  bool needs_plain = out.names.empty();
  for (std::size_t t = 0; t < m.triangles.size(); ++t) {
    const Places own = placesOf(m, m.triangles[t], 1);
    Places sorted = own;
    std::sort(sorted.begin(), sorted.end());
    const auto at = std::lower_bound(known.begin(), known.end(), Found{sorted, 0}, before);
    const bool found = at != known.end() && at->sorted == sorted;
    const Vec3 flat = m.normal(t);
    std::array<Vec2, 3> uv;
    std::array<Vec3, 3> normal;
    std::uint32_t material = plain;
    for (std::size_t k = 0; k < 3; ++k) {
      uv[k] = boxProjected(m.vertices[m.triangles[t][k]] / unit, flat);
      normal[k] = flat;
    }
    if (found) {
      const Places theirs = placesOf(file.mesh, file.mesh.triangles[at->triangle], factor);
      for (std::size_t k = 0; k < 3; ++k) {
        const auto corner =
            static_cast<std::size_t>(std::find(theirs.begin(), theirs.end(), own[k]) - theirs.begin());
        if (!file.look.uvs.empty()) uv[k] = file.look.uvs[at->triangle][corner];
        if (!file.look.normals.empty()) normal[k] = file.look.normals[at->triangle][corner];
      }
      if (!file.look.names.empty() && file.look.materials[at->triangle] < file.look.names.size())
        material = file.look.materials[at->triangle];
    }
    needs_plain = needs_plain || material == plain;
    out.uvs.push_back(uv);
    out.normals.push_back(normal);
    out.materials.push_back(material);
  }
  if (needs_plain && plain == out.names.size()) out.names.push_back(without);
  return out;
}

InTriangle inTriangle(const mesh::TriangleMesh& m, std::size_t triangle, const Vec3& place) {
  const auto [i, j, k] = m.triangles[triangle];
  const Vec3 &a = m.vertices[i], &b = m.vertices[j], &c = m.vertices[k];
  const Vec3 normal = (b - a).cross(c - a);
  const double whole = normal.squaredNorm();
  if (!(whole > 0)) return {{1, 0, 0}};
  const double u = clamped((c - b).cross(place - b).dot(normal) / whole, 0, 1),
               v = clamped((a - c).cross(place - c).dot(normal) / whole, 0, 1);
  return {{u, v, 1 - u - v}};
}

}  // namespace drubble::files
