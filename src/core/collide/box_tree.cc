// SPDX-License-Identifier: Apache-2.0
#include "core/collide/box_tree.h"

#include <algorithm>

namespace drubble::collide {

namespace {

constexpr float kOutward = 3e-7f;  // of the value: more than a float's rounding

float lowFloat(double x) {
  const float f = static_cast<float>(x);
  return f - (f < 0 ? -f : f) * kOutward - 1e-35f;
}

float highFloat(double x) {
  const float f = static_cast<float>(x);
  return f + (f < 0 ? -f : f) * kOutward + 1e-35f;
}

// 21 bits, two zeros after each.
std::uint64_t spreadBits(std::uint64_t x) {
  x = (x | x << 32) & 0x1f00000000ffffull;
  x = (x | x << 16) & 0x1f0000ff0000ffull;
  x = (x | x << 8) & 0x100f00f00f00f00full;
  x = (x | x << 4) & 0x10c30c30c30c30c3ull;
  return (x | x << 2) & 0x1249249249249249ull;
}

}  // namespace

BoxTree::Node BoxTree::emptyNode() {
  Node n;
  for (int k = 0; k < 3; ++k) {
    for (int lane = 0; lane < 4; ++lane) {
      n.low[k][lane] = std::numeric_limits<float>::infinity();
      n.high[k][lane] = -std::numeric_limits<float>::infinity();
    }
  }
  return n;
}

BoxTree::Query::Query(const Box& box) {
  for (int k = 0; k < 3; ++k) {
    low[k] = _mm_set1_ps(lowFloat(box.low[k]));
    high[k] = _mm_set1_ps(highFloat(box.high[k]));
  }
}

void BoxTree::build(std::span<const Box> boxes, std::span<const std::uint32_t> which) {
  wide_.clear();
  order_.clear();
  levels_.clear();
  Box centres;
  std::vector<std::pair<std::uint64_t, std::uint32_t>> keys;
  for (const std::uint32_t i : which) {
    if (!(boxes[i].size().maxCoeff() < kWide)) {
      wide_.push_back(i);
      continue;
    }
    keys.emplace_back(0, i);
    centres.add(boxes[i].centre());
  }
  if (keys.empty()) return;
  const double cells = static_cast<double>((1 << 21) - 1), width = centres.size().maxCoeff();
  const double scale = width > 0 ? cells / width : 0;
  for (auto& [key, i] : keys) {
    const Vec3 place = (boxes[i].centre() - centres.low) * scale;
    for (int k = 0; k < 3; ++k)
      key |= spreadBits(static_cast<std::uint64_t>(clamped(place[k], 0, cells))) << k;
  }
  std::sort(keys.begin(), keys.end());
  std::vector<Node> leaves((keys.size() + 3) / 4, emptyNode());
  for (std::size_t n = 0; n < keys.size(); ++n) {
    const Box& b = boxes[keys[n].second];
    order_.push_back(keys[n].second);
    for (int k = 0; k < 3; ++k) {
      leaves[n / 4].low[k][n % 4] = lowFloat(b.low[k]);
      leaves[n / 4].high[k][n % 4] = highFloat(b.high[k]);
    }
  }
  levels_.push_back(std::move(leaves));
  while (levels_.back().size() > 1) {
    const std::vector<Node>& below = levels_.back();
    std::vector<Node> above((below.size() + 3) / 4, emptyNode());
    for (std::size_t n = 0; n < below.size(); ++n) {
      for (int k = 0; k < 3; ++k) {
        above[n / 4].low[k][n % 4] = *std::min_element(below[n].low[k], below[n].low[k] + 4);
        above[n / 4].high[k][n % 4] = *std::max_element(below[n].high[k], below[n].high[k] + 4);
      }
    }
    levels_.push_back(std::move(above));
  }
}

}  // namespace drubble::collide
