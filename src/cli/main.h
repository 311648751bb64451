// SPDX-License-Identifier: Apache-2.0
// The one edge at which errors become messages and exit codes.
#pragma once
#include <string>
#include <vector>

namespace drubble::cli {

int mainWith(std::vector<std::string> arguments);

}  // namespace drubble::cli
