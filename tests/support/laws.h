// SPDX-License-Identifier: Apache-2.0
// What the tests of laws share.
#pragma once
#include <cmath>
#include <cstdio>

#include "core/base/vec.h"

namespace drubble::test {

inline void say(const char* law, double quality, double measured, double expected) {
  std::printf("  %-56s quality %-4g measured %12.6g  law %12.6g  off %8.4f %%\n", law, quality, measured,
              expected, expected != 0 ? 100 * (measured - expected) / expected : 100 * measured);
}

// Gravity tilted by `angle`: a flat ground becomes a slope that falls towards +x.
inline Vec3 tilted(double angle) { return 9.81 * vec3(std::sin(angle), -std::cos(angle), 0); }

}  // namespace drubble::test
