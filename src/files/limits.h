// SPDX-License-Identifier: Apache-2.0
// Limits at which a run stops by itself.
#pragma once
#include <string>
#include <vector>

#include "core/measure/penetration.h"
#include "core/world/world.h"

namespace drubble::files {

// What is known of a frame when limits are looked at. `unit`: metres in one of the setup's.
struct FrameFacts {
  const world::World& world;
  const world::FrameStats& stats;
  const measure::Penetration& depth;
  double seconds = 0;  // of the run so far
  double unit = 1;
};

struct Limit {
  std::string measure;
  double most = 0;
};

// NAME=VALUE. Throws Error(Usage) that tells the names.
Limit parseLimit(const std::string& text);
// What limits can be set on, for the help.
std::string limitNames();

// Empty, or which limit is passed by what.
std::string passedLimit(const std::vector<Limit>& limits, const FrameFacts& facts);

}  // namespace drubble::files
