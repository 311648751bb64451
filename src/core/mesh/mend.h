// SPDX-License-Identifier: Apache-2.0
// What is wrong with a mesh, and mending what can be mended.
#pragma once
#include "core/mesh/mesh.h"

namespace drubble::mesh {

struct Diagnosis {
  Closedness edges;
  std::size_t slivers = 0;     // height below 1e-4 of the longest edge, but not flat
  std::size_t duplicates = 0;  // triangles with the same three corners as an earlier one
  std::size_t crossings = 0;   // pairs of triangles without a common corner that cut through each other
  Vec3 first_crossing = Vec3::Zero();
  bool inside_out = false;  // closed, with negative volume
};

// Expects a welded mesh. Cost: a tree and about n log n; crossings are no longer counted after the first
// hundred.
Diagnosis diagnose(const TriangleMesh& m);

struct Mended {
  TriangleMesh mesh;
  std::size_t welded = 0;   // vertices that were as good as at the same place
  std::size_t dropped = 0;  // flat and duplicate triangles
  std::size_t turned = 0;   // triangles turned round
  std::size_t filled = 0;   // holes closed by a fan
};

// Welds vertices within 1e-6 of the size, drops flat and duplicate triangles, closes holes of a single rim by
// a fan about its middle, and turns triangles so that each connected part is consistent and encloses a
// positive volume. Crossings and crowded edges stay.
Mended mended(const TriangleMesh& m);

}  // namespace drubble::mesh
