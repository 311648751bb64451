// SPDX-License-Identifier: Apache-2.0
// From the setup's forces and rules to the scene's.
#pragma once
#include "files/setup/build_scene.h"

namespace drubble::files {

// In the order of the setup, once all pieces, joints and bonds are there. Problems are added, not thrown.
void addRules(const Setup& s, BuiltScene& built, std::vector<Problem>& problems);

}  // namespace drubble::files
