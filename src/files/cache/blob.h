// SPDX-License-Identifier: Apache-2.0
// Frames and meshes as compressed bytes.
#pragma once
#include <array>
#include <cstdint>
#include <vector>

#include "core/base/bytes.h"
#include "core/mesh/mesh.h"

namespace drubble::files {

// A piece in a frame, just as it is stored. The turn is that of the mesh's axes; the position that of the
// centre of mass.
struct PieceState {
  std::array<double, 3> position{};
  std::array<float, 4> turn{1, 0, 0, 0};  // w x y z
  std::array<float, 3> velocity{}, spin{};
  std::uint8_t flags = 0;

  friend bool operator==(const PieceState&, const PieceState&) = default;
  Pose pose() const;
};

struct Blob {
  Bytes data;             // compressed
  std::int64_t hash = 0;  // XXH3-64 of `data`, as a signed number
};

// `index`: which pieces, ascending; empty: all, in order.
Blob packFrame(const std::vector<std::uint32_t>& index, const std::vector<PieceState>& states);
void unpackFrame(const Bytes& data, std::size_t count, bool whole, std::vector<std::uint32_t>& index,
                 std::vector<PieceState>& states);

Blob packMesh(const mesh::TriangleMesh& m);
mesh::TriangleMesh unpackMesh(const Bytes& data);

// Where a mesh's vertices are, in the mesh's order.
Blob packPlaces(const std::vector<Vec3>& places);
std::vector<Vec3> unpackPlaces(const Bytes& data);

// A share for each bond, in the scene's order.
Blob packShares(const std::vector<float>& shares);
std::vector<float> unpackShares(const Bytes& data);

Blob packBytes(const Bytes& raw);
Bytes unpackBytes(const Bytes& data);

std::int64_t hashOf(const Bytes& data);

}  // namespace drubble::files
