// SPDX-License-Identifier: Apache-2.0
// From the setup's joints to the scene's.
#pragma once
#include "files/setup/build_scene.h"

namespace drubble::files {

// In the order of the setup, once all pieces and motions are there. Problems are added, not thrown.
void addJoints(const Setup& s, BuiltScene& built, std::vector<Problem>& problems);

}  // namespace drubble::files
