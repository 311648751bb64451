// SPDX-License-Identifier: Apache-2.0
// What sorting contacts needs to know of each, looked up once: contacts are large, and stand far apart.
#pragma once
#include <cstdint>
#include <vector>

#include "core/solve/block.h"

namespace drubble::solve {

// Colours keep contacts that share a moving body apart. kOverflow is for what does not fit: contacts of a
// body that has more of them than there are colours.
inline constexpr int kColours = 24;
inline constexpr int kOverflow = kColours;
inline constexpr std::uint8_t kUncoloured = 0xff;  // moves nothing

struct Link {
  std::uint32_t a = 0, b = 0;         // bodies; 0: nothing moves it
  std::uint8_t colour = kUncoloured;  // greedy in the contacts' order, a 64-bit mask a body
  bool solved : 1 = false;            // it moves something
  bool extra : 1 = false;             // it needs what stands in a BlockExtra
  bool lively : 1 = false;            // its points move past each other fast, measured by size and `gravity`
  bool deep : 1 = false;              // it overlaps by far more than a load makes it
  bool pressed : 1 = false;           // light under a load of something heavy, or low in a tall stack
  bool rolling : 1 = false;           // it resists rolling
  bool two_frictions : 1 = false;     // what slides has another than what holds
  bool crowd_b : 1 = false;           // of kOverflow: it is b that has so many contacts
  bool missed = false;                // its bodies surely do not meet fast enough for a sudden impact

  std::uint32_t crowded() const { return crowd_b ? b : a; }
};

// Points of a patch from which on a face lies on a face.
inline constexpr std::size_t kFace = 3;

// Whether a contact resists rolling: a face on a face does not roll.
inline bool rolls(const Contact& c) { return c.surfaces.rolling > 0 && c.patch.count < kFace; }

// One a contact; `gravity`: magnitude, m/s2.
Links linksOf(const BlockInput& in, double gravity);

}  // namespace drubble::solve
