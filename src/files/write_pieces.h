// SPDX-License-Identifier: Apache-2.0
// Many named pieces in one file.
#pragma once
#include <string>
#include <vector>

#include "files/looks.h"

namespace drubble::files {

struct LookedPiece {
  std::string name;
  mesh::TriangleMesh mesh;
  Look look;
  std::vector<std::uint8_t> inside;  // one a triangle: 1 where the solid was cut
  double unit = 1;                   // metres in one of the mesh's
  bool up_is_z = false;
};

// Groups by name, with texture coordinates, normals and the names of materials. In the mesh's units.
void writeObj(const std::string& path, const std::vector<LookedPiece>& pieces);

// Binary, one mesh; of each face `piece` (whose names are in the comments, in order) and `inside`.
void writePly(const std::string& path, const std::vector<LookedPiece>& pieces);

// glTF 2.0, binary: a node a piece, a primitive a material. In metres, y up.
void writeGlb(const std::string& path, const std::vector<LookedPiece>& pieces);

}  // namespace drubble::files
