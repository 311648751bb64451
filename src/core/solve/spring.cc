// SPDX-License-Identifier: Apache-2.0
#include "core/solve/spring.h"

#include <cmath>
#include <limits>

namespace drubble::solve {

namespace {

constexpr double kSag = 2e-4;       // of the size
constexpr double kSagLoad = 8;      // weights
constexpr double kRateShare = 1.6;  // rad an internal step

}  // namespace

Softness springSoftness(double rate, double dt, double damping_ratio, double mass_share) {
  const double a1 = 2 * damping_ratio + dt * rate, a2 = mass_share * dt * rate * a1, a3 = 1 / (1 + a2);
  return {rate / a1, a2 * a3, a3};
}

double springRate(double size, double gravity) {
  return gravity > 0 ? std::sqrt(kSagLoad * gravity / (kSag * size))
                     : std::numeric_limits<double>::infinity();
}

double stiffening(double weights) { return weights > 1024 ? 16 : weights > 64 ? 4 : 1; }

double mostSpringRate(double dt) { return kRateShare / dt; }

double stepsForRate(double rate) { return rate / kRateShare; }

}  // namespace drubble::solve
