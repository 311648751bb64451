// SPDX-License-Identifier: Apache-2.0
// Meshes from files of any known kind, by the ending of their name: obj, ply, stl, gltf, glb.
#pragma once
#include <string>

#include "core/mesh/mesh.h"

namespace drubble::files {

// Everything in the file as one mesh, nodes' transforms applied, in the file's own units. Throws Error(Input)
// with the file, and the line where there is one.
mesh::TriangleMesh readMesh(const std::string& path);

// Only its vertices: a file without faces will do.
std::vector<Vec3> readVertices(const std::string& path);

}  // namespace drubble::files
