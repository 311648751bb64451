// SPDX-License-Identifier: Apache-2.0
// Why a frame was cut as finely as it was, in words.
#pragma once
#include <string>

namespace drubble::files {

// `asks` as world::asksName has it. Empty for no reason; else ": 'crates/0004' ...".
std::string saidAsks(const std::string& asks, const std::string& piece);

}  // namespace drubble::files
