// SPDX-License-Identifier: Apache-2.0
// One frame, done with simulating.
#pragma once
#include <string>

#include "files/cache/reader.h"

namespace drubble::files {

// Whether the path ends as one of the kinds that a frame can be written to.
bool isStillPath(const std::string& path);

// The last frame of a cache: .obj and .ply as one mesh, .usda and .glb as instances of each prototype. Throws
// Error(Output), Error(Usage).
void writeStill(CacheReader& cache, const std::string& path);

}  // namespace drubble::files
