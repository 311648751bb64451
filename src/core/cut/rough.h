// SPDX-License-Identifier: Apache-2.0
// Uneven breaks, for pictures and what is handed on: the faces between pieces, bent in and out alike on both
// sides, so that they still fit. Rims stay where they are, and so does the skin.
#pragma once
#include <cstdint>
#include <span>
#include <vector>

#include "core/cut/pieces.h"

namespace drubble::cut {

struct Rough {
  double amount = 0;  // m, at most, to either side
  double grain = 0;   // m: how far apart hills are; triangles become as small
  std::uint64_t seed = 0;
};

struct RoughMesh {
  mesh::TriangleMesh mesh;
  std::vector<Source> sources;
};

// `m`, `sources`: a piece's. What it makes of a face depends on the face and the seed alone. Cost: about the
// area of inside faces over grain squared, times the sides of their rims.
RoughMesh roughened(const mesh::TriangleMesh& m, std::span<const Source> sources,
                    std::span<const Interface> faces, const Rough& how);

}  // namespace drubble::cut
