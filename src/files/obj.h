// SPDX-License-Identifier: Apache-2.0
// Wavefront OBJ meshes.
#pragma once
#include <string>
#include <vector>

#include "files/looks.h"

namespace drubble::files {

// All groups and objects of the file as one mesh, faces with more corners cut into triangles, in the file's
// own units. Throws Error(Input) with file and line for numbers that are not finite, indices out of range and
// a file without faces.
mesh::TriangleMesh readObj(const std::string& path);

// The same, each group or object of the file by itself, with its full name, in the order of the file.
struct NamedMesh {
  std::string name;
  mesh::TriangleMesh mesh;
};
std::vector<NamedMesh> readObjGroups(const std::string& path);

void writeObj(const std::string& path, const mesh::TriangleMesh& m, const std::string& name);

// As readObj, with what the file says of looks.
LookedMesh readLookedObj(const std::string& path);

}  // namespace drubble::files
