// SPDX-License-Identifier: Apache-2.0
#include "core/solve/traits.h"

#include <cmath>

namespace drubble::solve {

double leastBounceSpeed(double size, double gravity) {
  return std::sqrt(2 * gravity * kLeastBounceHeight * size) + 1e-4 * size;
}

double restSpeed(double size, double gravity) { return 0.01 * std::sqrt(gravity * size) + 1e-3 * size; }

}  // namespace drubble::solve
