// SPDX-License-Identifier: Apache-2.0
// What pictures and files show of a prototype, where that is more than the mesh that is simulated.
#pragma once
#include <optional>
#include <vector>

#include "core/base/bytes.h"
#include "files/cache/blob.h"
#include "files/looks.h"
#include "files/setup/build_scene.h"

namespace drubble::files {

// The `detail` of a body, the texture coordinates, normals and materials of its file, the uneven breaks of
// what was cut. By prototype, in body space (m); nothing where the simulated mesh says all. Throws
// Error(Input) when a file cannot be read. Cost: reading each file once, and a search for each triangle.
std::vector<std::optional<LookedMesh>> shownMeshes(const Setup& s, const BuiltScene& built);

// Of each triangle: three texture coordinates and normals as float32, and its material's number.
Blob packLook(const Look& look);
// Throws Error(Input) unless it is that of so many triangles.
Look unpackLook(const Bytes& data, std::size_t triangles, std::vector<std::string> names);

}  // namespace drubble::files
