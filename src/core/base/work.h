// SPDX-License-Identifier: Apache-2.0
// What the work of a substep is told apart into, for whoever measures its time: core has no clock.
#pragma once
#include <array>
#include <cstddef>

namespace drubble {

enum class Work {
  Nearness,  // boxes, and which of them overlap
  Pairs,     // pair tests
  Impacts,   // sudden hits
  Prepare,   // colours, islands, blocks
  Passes,    // sweeps over the contacts
  Motion,    // places, turns and velocities
  Guard,     // what passed through another
  Bonds,     // what they bear, which go
  Sleep,     // who sleeps, who wakes
  Other,
};
inline constexpr std::size_t kWorks = 10;
inline constexpr std::array<const char*, kWorks> kWorkNames = {
    "nearness", "pairs", "impacts", "prepare", "passes", "motion", "guard", "bonds", "sleep", "other"};

class WorkListener {
 public:
  virtual ~WorkListener() = default;
  // From now on the work is of that stage. Called on the thread that advances the world.
  virtual void entering(Work) {}
};

}  // namespace drubble
