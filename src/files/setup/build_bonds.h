// SPDX-License-Identifier: Apache-2.0
// From [[bond]] tables to the scene's bonds.
#pragma once
#include "files/setup/build_scene.h"

namespace drubble::files {

// Faces that cuts left between pieces, and faces within reach. A later table's word counts for a pair. Notes
// what joins nothing.
void addBonds(const Setup& s, BuiltScene& built, std::vector<Problem>& problems);

}  // namespace drubble::files
