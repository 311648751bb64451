// SPDX-License-Identifier: Apache-2.0
#include "core/base/scan.h"

namespace drubble {

std::vector<Block4> blocksOf(std::span<const Vec3> points, std::span<const double> offsets) {
  std::vector<Block4> blocks((points.size() + 3) / 4);
  for (std::size_t i = 0; i < 4 * blocks.size(); ++i) {
    const std::size_t from = i < points.size() ? i : 0;
    Block4& b = blocks[i / 4];
    b.x[i % 4] = points[from].x();
    b.y[i % 4] = points[from].y();
    b.z[i % 4] = points[from].z();
    b.offset[i % 4] = offsets.empty() ? 0 : offsets[from];
  }
  return blocks;
}

}  // namespace drubble
