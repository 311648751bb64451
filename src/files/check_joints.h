// SPDX-License-Identifier: Apache-2.0
// Looks for trouble with joints before a setup is run.
#pragma once
#include "files/check.h"

namespace drubble::files {

void checkJoints(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out);

}  // namespace drubble::files
