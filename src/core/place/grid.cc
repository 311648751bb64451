// SPDX-License-Identifier: Apache-2.0
#include "core/place/grid.h"

#include "core/base/random.h"

namespace drubble::place {

namespace {

std::size_t pick(const std::vector<double>& weights, double unit) {
  double total = 0;
  for (const double w : weights) total += w;
  double left = unit * total;
  for (std::size_t i = 0; i < weights.size(); ++i) {
    left -= weights[i];
    if (left < 0) return i;
  }
  return weights.size() - 1;
}

}  // namespace

std::vector<Copy> grid(const GridSpec& spec) {
  const int rise = spec.up.z() > 0.5 ? 2 : 1;  // the axis that points up
  const int depth = rise == 2 ? 1 : 2;
  std::vector<Copy> out;
  const auto n = [&](int axis) { return spec.count[static_cast<std::size_t>(axis)]; };
  std::uint64_t cell = 0;
  for (int k = 0; k < n(rise); ++k) {
    for (int j = 0; j < n(depth); ++j) {
      for (int i = 0; i < n(0); ++i, ++cell) {
        RandomStream random(spec.seed, "place." + spec.name, cell);
        Copy c;
        c.prototype = pick(spec.weights, random.unit());
        Vec3 at;
        at[0] = (i - 0.5 * (n(0) - 1)) * spec.spacing[0];
        at[depth] = (j - 0.5 * (n(depth) - 1)) * spec.spacing[depth];
        at[rise] = (k + 0.5) * spec.spacing[rise];
        Vec3 turn;
        for (int a = 0; a < 3; ++a) at[a] += random.between(-spec.vary_at[a], spec.vary_at[a]);
        for (int a = 0; a < 3; ++a) turn[a] = random.between(-spec.vary_turn[a], spec.vary_turn[a]);
        c.pose = spec.base * Pose{at, turnXyz(turn)};
        out.push_back(c);
      }
    }
  }
  return out;
}

}  // namespace drubble::place
