// SPDX-License-Identifier: Apache-2.0
// Four doubles side by side, as lanes.h has eight floats: the same bits in every instruction set, and those
// of plain doubles.
#pragma once
#include "core/base/lanes.h"

namespace drubble::DRUBBLE_LANES {

#if DRUBBLE_LANES_KIND == 3

struct d4 {
  __m256d v;
  d4() = default;
  DRUBBLE_INLINE d4(__m256d x) : v(x) {}
  DRUBBLE_INLINE d4(double x) : v(_mm256_set1_pd(x)) {}
};
DRUBBLE_INLINE d4 operator+(d4 a, d4 b) { return _mm256_add_pd(a.v, b.v); }
DRUBBLE_INLINE d4 operator-(d4 a, d4 b) { return _mm256_sub_pd(a.v, b.v); }
DRUBBLE_INLINE d4 operator*(d4 a, d4 b) { return _mm256_mul_pd(a.v, b.v); }
DRUBBLE_INLINE d4 operator/(d4 a, d4 b) { return _mm256_div_pd(a.v, b.v); }
DRUBBLE_INLINE d4 operator-(d4 a) { return _mm256_xor_pd(a.v, _mm256_set1_pd(-0.0)); }
DRUBBLE_INLINE d4 root(d4 a) { return _mm256_sqrt_pd(a.v); }
DRUBBLE_INLINE d4 load4(const double* p) { return _mm256_load_pd(p); }
DRUBBLE_INLINE void store4(double* p, d4 a) { _mm256_store_pd(p, a.v); }

#elif DRUBBLE_LANES_KIND == 2

struct d4 {
  __m128d lo, hi;
  d4() = default;
  DRUBBLE_INLINE d4(__m128d l, __m128d h) : lo(l), hi(h) {}
  DRUBBLE_INLINE d4(double x) : lo(_mm_set1_pd(x)), hi(_mm_set1_pd(x)) {}
};
DRUBBLE_INLINE d4 operator+(d4 a, d4 b) { return {_mm_add_pd(a.lo, b.lo), _mm_add_pd(a.hi, b.hi)}; }
DRUBBLE_INLINE d4 operator-(d4 a, d4 b) { return {_mm_sub_pd(a.lo, b.lo), _mm_sub_pd(a.hi, b.hi)}; }
DRUBBLE_INLINE d4 operator*(d4 a, d4 b) { return {_mm_mul_pd(a.lo, b.lo), _mm_mul_pd(a.hi, b.hi)}; }
DRUBBLE_INLINE d4 operator/(d4 a, d4 b) { return {_mm_div_pd(a.lo, b.lo), _mm_div_pd(a.hi, b.hi)}; }
DRUBBLE_INLINE d4 operator-(d4 a) {
  return {_mm_xor_pd(a.lo, _mm_set1_pd(-0.0)), _mm_xor_pd(a.hi, _mm_set1_pd(-0.0))};
}
DRUBBLE_INLINE d4 root(d4 a) { return {_mm_sqrt_pd(a.lo), _mm_sqrt_pd(a.hi)}; }
DRUBBLE_INLINE d4 load4(const double* p) { return {_mm_load_pd(p), _mm_load_pd(p + 2)}; }
DRUBBLE_INLINE void store4(double* p, d4 a) {
  _mm_store_pd(p, a.lo);
  _mm_store_pd(p + 2, a.hi);
}

#else

struct d4 {
  double v[4];
  d4() = default;
  DRUBBLE_INLINE d4(double x) : v{x, x, x, x} {}
};
#define DRUBBLE_EACH(expression)                   \
  d4 r;                                            \
  for (int i = 0; i < 4; ++i) r.v[i] = expression; \
  return r
DRUBBLE_INLINE d4 operator+(d4 a, d4 b) { DRUBBLE_EACH(a.v[i] + b.v[i]); }
DRUBBLE_INLINE d4 operator-(d4 a, d4 b) { DRUBBLE_EACH(a.v[i] - b.v[i]); }
DRUBBLE_INLINE d4 operator*(d4 a, d4 b) { DRUBBLE_EACH(a.v[i] * b.v[i]); }
DRUBBLE_INLINE d4 operator/(d4 a, d4 b) { DRUBBLE_EACH(a.v[i] / b.v[i]); }
DRUBBLE_INLINE d4 operator-(d4 a) { DRUBBLE_EACH(-a.v[i]); }
DRUBBLE_INLINE d4 root(d4 a) { DRUBBLE_EACH(__builtin_sqrt(a.v[i])); }
DRUBBLE_INLINE d4 load4(const double* p) { DRUBBLE_EACH(p[i]); }
#undef DRUBBLE_EACH
DRUBBLE_INLINE void store4(double* p, d4 a) {
  for (int i = 0; i < 4; ++i) p[i] = a.v[i];
}

#endif

}  // namespace drubble::DRUBBLE_LANES
