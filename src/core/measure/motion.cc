// SPDX-License-Identifier: Apache-2.0
#include "core/measure/motion.h"

#include <algorithm>

#include "core/base/trig.h"
#include "core/measure/penetration.h"

namespace drubble::measure {

Jitter jitter(std::span<const Sample> window, std::span<const double> sizes, std::span<const char> counted) {
  Jitter out;
  std::vector<double> values;
  if (window.size() < 2) return out;
  for (std::size_t i = 0; i < sizes.size(); ++i) {
    if (!counted[i]) continue;
    double path = 0;
    for (std::size_t f = 1; f < window.size(); ++f)
      path += (window[f].position[i] - window[f - 1].position[i]).norm();
    const double net = (window.back().position[i] - window.front().position[i]).norm();
    if (net >= 0.01 * sizes[i]) continue;
    const double value = (path - net) / sizes[i];
    values.push_back(value);
    if (value > out.worst) out.worst = value, out.piece = i;
  }
  if (values.empty()) return out;
  out.p99 = percentile99(values);
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  out.median = *middle;
  return out;
}

std::optional<int> restFrame(std::span<const Sample> samples, std::span<const double> rest_speeds,
                             std::span<const char> counted) {
  std::optional<int> first;
  for (std::size_t f = samples.size(); f-- > 0;) {
    for (std::size_t i = 0; i < rest_speeds.size(); ++i)
      if (counted[i] && samples[f].speed[i] > rest_speeds[i]) return first;
    first = samples[f].frame;
  }
  return first;
}

Moved shareMoved(const Sample& first, const Sample& last, std::span<const double> sizes,
                 std::span<const char> counted) {
  double n = 0;
  Moved out;
  for (std::size_t i = 0; i < sizes.size(); ++i) {
    if (!counted[i]) continue;
    n += 1;
    out.moved += (last.position[i] - first.position[i]).norm() > 0.5 * sizes[i];
    const Quat turned = last.turn[i] * first.turn[i].conjugate();
    out.toppled += 2 * arcCosine(absolute(turned.w())) > kPi / 4;
  }
  if (n > 0) out = {out.moved / n, out.toppled / n};
  return out;
}

double drift(std::span<const double> kinetic, std::span<const double> potential, std::span<const char> driven,
             std::span<const double> work) {
  double gained = 0, peak = 0;
  double low = std::numeric_limits<double>::infinity(), high = -low;
  for (std::size_t f = 0; f < kinetic.size(); ++f) {
    peak = greatest(peak, kinetic[f]);
    low = least(low, potential[f]);
    high = greatest(high, potential[f]);
    const bool keyed = f > 0 && !driven.empty() && (driven[f] || driven[f - 1]);
    const double put_in = f < work.size() ? greatest(work[f], 0) : 0;
    if (f > 0 && !keyed)
      gained += greatest(kinetic[f] + potential[f] - kinetic[f - 1] - potential[f - 1] - put_in, 0);
  }
  const double scale = peak + (kinetic.empty() ? 0 : high - low);
  return scale > 0 ? gained / scale : 0;
}

}  // namespace drubble::measure
