// SPDX-License-Identifier: Apache-2.0
#pragma once
#include "files/check.h"

namespace drubble::files {

// Details that cannot be shown, and those that are not where what is simulated is.
void checkDetails(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out);

}  // namespace drubble::files
