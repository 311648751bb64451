// SPDX-License-Identifier: Apache-2.0
// Points or planes side by side, four to a block, to be gone through without branches. Every lane does the
// plain operations in the same order, so that a wider or a scalar form gives the same bits.
#pragma once
#include <emmintrin.h>

#include <cstdint>
#include <span>
#include <vector>

#include "core/base/vec.h"

namespace drubble {

// Four doubles as two SSE halves.
struct d4 {
  __m128d lo, hi;
};

inline d4 spread(double x) { return {_mm_set1_pd(x), _mm_set1_pd(x)}; }
inline d4 load4(const double* p) { return {_mm_load_pd(p), _mm_load_pd(p + 2)}; }
inline void store4(double* p, d4 a) {
  _mm_store_pd(p, a.lo);
  _mm_store_pd(p + 2, a.hi);
}
inline d4 operator+(d4 a, d4 b) { return {_mm_add_pd(a.lo, b.lo), _mm_add_pd(a.hi, b.hi)}; }
inline d4 operator-(d4 a, d4 b) { return {_mm_sub_pd(a.lo, b.lo), _mm_sub_pd(a.hi, b.hi)}; }
inline d4 operator*(d4 a, d4 b) { return {_mm_mul_pd(a.lo, b.lo), _mm_mul_pd(a.hi, b.hi)}; }
inline d4 operator<(d4 a, d4 b) { return {_mm_cmplt_pd(a.lo, b.lo), _mm_cmplt_pd(a.hi, b.hi)}; }
inline d4 least(d4 a, d4 b) { return {_mm_min_pd(b.lo, a.lo), _mm_min_pd(b.hi, a.hi)}; }
inline d4 greatest(d4 a, d4 b) { return {_mm_max_pd(b.lo, a.lo), _mm_max_pd(b.hi, a.hi)}; }
inline d4 choose(d4 mask, d4 yes, d4 no) {
  return {_mm_or_pd(_mm_and_pd(mask.lo, yes.lo), _mm_andnot_pd(mask.lo, no.lo)),
          _mm_or_pd(_mm_and_pd(mask.hi, yes.hi), _mm_andnot_pd(mask.hi, no.hi))};
}

// Four points, or the normals and offsets of four planes.
struct alignas(32) Block4 {
  double x[4], y[4], z[4], offset[4];
};

// The last block is filled up with the first entry. Offsets 0 when none are given.
std::vector<Block4> blocksOf(std::span<const Vec3> points, std::span<const double> offsets = {});

inline d4 along(const Block4& b, d4 x, d4 y, d4 z) {
  return x * load4(b.x) + (y * load4(b.y) + z * load4(b.z));
}

// The point that is lowest along `n`, the first of several; its height in `low`.
inline std::uint32_t lowestAlong(std::span<const Block4> blocks, const Vec3& n, double& low) {
  const d4 x = spread(n.x()), y = spread(n.y()), z = spread(n.z()), four = spread(4);
  d4 index{_mm_set_pd(1, 0), _mm_set_pd(3, 2)};
  d4 best = along(blocks[0], x, y, z), at = index;
  for (std::size_t i = 1; i < blocks.size(); ++i) {
    index = index + four;
    const d4 d = along(blocks[i], x, y, z), better = d < best;
    best = choose(better, d, best);
    at = choose(better, index, at);
  }
  alignas(32) double heights[4], places[4];
  store4(heights, best);
  store4(places, at);
  low = heights[0];
  double place = places[0];
  for (int k = 1; k < 4; ++k)
    if (heights[k] < low || (heights[k] == low && places[k] < place)) low = heights[k], place = places[k];
  return static_cast<std::uint32_t>(place);
}

// The heights of all points along `n`; of planes, how far the point `n` is in front of each. `out` holds four
// to a block.
inline void heightsAlong(std::span<const Block4> blocks, const Vec3& n, double* out) {
  const d4 x = spread(n.x()), y = spread(n.y()), z = spread(n.z());
  for (const Block4& b : blocks) {
    store4(out, along(b, x, y, z) - load4(b.offset));
    out += 4;
  }
}

// The least and the greatest height along `n`.
inline std::pair<double, double> extentAlong(std::span<const Block4> blocks, const Vec3& n) {
  const d4 x = spread(n.x()), y = spread(n.y()), z = spread(n.z());
  d4 low = along(blocks[0], x, y, z), high = low;
  for (std::size_t i = 1; i < blocks.size(); ++i) {
    const d4 d = along(blocks[i], x, y, z);
    low = least(low, d);
    high = greatest(high, d);
  }
  alignas(32) double lows[4], highs[4];
  store4(lows, low);
  store4(highs, high);
  return {least(least(lows[0], lows[1]), least(lows[2], lows[3])),
          greatest(greatest(highs[0], highs[1]), greatest(highs[2], highs[3]))};
}

}  // namespace drubble
