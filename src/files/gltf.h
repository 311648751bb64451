// SPDX-License-Identifier: Apache-2.0
// Node animations of glTF files.
#pragma once
#include <string>
#include <vector>

#include "core/act/path.h"

namespace drubble::files {

// Where the node stands (world of the file, parents included) at each of its keys' times; `unit`: metres in
// one of the file's units; the file's time 0 is `first_frame`. `node` empty: the only animated one. Throws
// Error(Input) naming the nodes there are.
std::vector<act::PoseKey> readNodeMotion(const std::string& path, const std::string& node, double unit,
                                         double fps, double first_frame);

}  // namespace drubble::files
