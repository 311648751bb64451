// SPDX-License-Identifier: Apache-2.0
// What acts on pieces once they are there: adjustments, keyed motion, rules for pairs.
#pragma once
#include "files/setup/build_scene.h"

namespace drubble::files {

// In the order of the setup. Problems are added, not thrown.
void addActs(const Setup& s, BuiltScene& built, std::vector<Problem>& problems);

// The material a body names, in the scene's list.
MaterialId materialNamed(const Setup& s, const std::string& name, world::Scene& scene);

}  // namespace drubble::files
