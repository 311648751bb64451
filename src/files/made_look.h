// SPDX-License-Identifier: Apache-2.0
// The look of a mesh of which nothing but its form is known.
#pragma once
#include "files/looks.h"

namespace drubble::files {

inline constexpr const char* kInsideName = "_inside";

// Normals smooth over edges that are blunter than some 30 degrees, sharp elsewhere and where the solid was
// cut
// (`inside`: one a triangle; empty: nowhere); texture coordinates from a box about it; the material `name`,
// and `name` with kInsideName where it was cut. Only those are named that some triangle has.
Look madeLook(const mesh::TriangleMesh& m, const std::vector<std::uint8_t>& inside, const std::string& name);

}  // namespace drubble::files
