// SPDX-License-Identifier: Apache-2.0
// What of pours can be told before a run.
#pragma once
#include "files/check.h"

namespace drubble::files {

// How many pieces each pour makes, and how many of them fill the containers that are watched or to be filled.
void checkPours(const BuiltScene& built, std::vector<Finding>& out);

}  // namespace drubble::files
