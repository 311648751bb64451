// SPDX-License-Identifier: Apache-2.0
// Numbered files: "sail.####.obj".
#pragma once
#include <string>
#include <vector>

#include "core/mesh/mesh.h"

namespace drubble::files {

// Whether the name has a run of # in it, which stands for a number.
bool isNumbered(const std::string& path);

// "shot.####.ply" at 12: "shot.0012.ply".
std::string numberedPath(const std::string& pattern, int number);

struct NumberedFile {
  int number = 0;
  std::string path;
};

// The files that fit the name, by number: at least as many digits as there are #. Throws Error(Input) when
// there is none, or one is missing in between.
std::vector<NumberedFile> numberedFiles(const std::string& pattern);

// The first mesh, welded, and where its vertices are in every one. Throws Error(Input) naming the file whose
// vertices or triangles are not those of the first.
struct MeshSequence {
  int first = 0;
  mesh::TriangleMesh mesh;
  std::vector<std::vector<Vec3>> places;
};
MeshSequence readMeshSequence(const std::string& pattern);

}  // namespace drubble::files
