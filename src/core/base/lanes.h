// SPDX-License-Identifier: Apache-2.0
// Eight floats side by side, in the instructions of the file that includes this: it defines DRUBBLE_LANES as
// scalar, sse2 or avx2, and so names the namespace, too. Every operation is the plain IEEE one: all three
// give the same bits. Nothing here is linked from one file into another: what is compiled for AVX2 must not
// be called where there is none.
#pragma once

#define DRUBBLE_LANES_scalar 1
#define DRUBBLE_LANES_sse2 2
#define DRUBBLE_LANES_avx2 3
#define DRUBBLE_JOIN2(a, b) a##b
#define DRUBBLE_JOIN(a, b) DRUBBLE_JOIN2(a, b)
#define DRUBBLE_LANES_KIND DRUBBLE_JOIN(DRUBBLE_LANES_, DRUBBLE_LANES)

// Scalar lanes are there to compare with, not to be fast: inlined they would take minutes to compile.
#if DRUBBLE_LANES_KIND == 1
#define DRUBBLE_INLINE inline
#else
#define DRUBBLE_INLINE __attribute__((always_inline)) inline
#endif

#if DRUBBLE_LANES_KIND == 3
#include <immintrin.h>
#else
#include <emmintrin.h>
#endif

namespace drubble::DRUBBLE_LANES {

#if DRUBBLE_LANES_KIND == 3

struct f8 {
  __m256 v;
  f8() = default;
  DRUBBLE_INLINE f8(__m256 x) : v(x) {}
  DRUBBLE_INLINE f8(float x) : v(_mm256_set1_ps(x)) {}
};
struct Mask8 {
  __m256 v;
};
DRUBBLE_INLINE f8 operator+(f8 a, f8 b) { return _mm256_add_ps(a.v, b.v); }
DRUBBLE_INLINE f8 operator-(f8 a, f8 b) { return _mm256_sub_ps(a.v, b.v); }
DRUBBLE_INLINE f8 operator*(f8 a, f8 b) { return _mm256_mul_ps(a.v, b.v); }
DRUBBLE_INLINE f8 operator/(f8 a, f8 b) { return _mm256_div_ps(a.v, b.v); }
DRUBBLE_INLINE f8 least(f8 a, f8 b) { return _mm256_min_ps(b.v, a.v); }
DRUBBLE_INLINE f8 greatest(f8 a, f8 b) { return _mm256_max_ps(b.v, a.v); }
DRUBBLE_INLINE f8 root(f8 a) { return _mm256_sqrt_ps(a.v); }
DRUBBLE_INLINE Mask8 operator>(f8 a, f8 b) { return {_mm256_cmp_ps(a.v, b.v, _CMP_GT_OQ)}; }
DRUBBLE_INLINE Mask8 operator&(Mask8 a, Mask8 b) { return {_mm256_and_ps(a.v, b.v)}; }
DRUBBLE_INLINE unsigned bitsOf(Mask8 m) { return static_cast<unsigned>(_mm256_movemask_ps(m.v)); }
DRUBBLE_INLINE f8 choose(Mask8 m, f8 yes, f8 no) { return _mm256_blendv_ps(no.v, yes.v, m.v); }
DRUBBLE_INLINE f8 load8(const float* p) { return _mm256_load_ps(p); }
DRUBBLE_INLINE void store8(float* p, f8 a) { _mm256_store_ps(p, a.v); }

// Four floats from each of eight places, lane by lane; and back, to places aligned to 16 bytes.
DRUBBLE_INLINE void gather4(const float* const p[8], f8 out[4]) {
  __m256 r[4];
  for (int i = 0; i < 4; ++i)
    r[i] = _mm256_insertf128_ps(_mm256_castps128_ps256(_mm_loadu_ps(p[i])), _mm_loadu_ps(p[i + 4]), 1);
  const __m256 a = _mm256_unpacklo_ps(r[0], r[1]), b = _mm256_unpacklo_ps(r[2], r[3]),
               c = _mm256_unpackhi_ps(r[0], r[1]), d = _mm256_unpackhi_ps(r[2], r[3]);
  out[0] = _mm256_shuffle_ps(a, b, 0x44);
  out[1] = _mm256_shuffle_ps(a, b, 0xee);
  out[2] = _mm256_shuffle_ps(c, d, 0x44);
  out[3] = _mm256_shuffle_ps(c, d, 0xee);
}
DRUBBLE_INLINE void scatter4(float* const p[8], const f8 in[4]) {
  const __m256 a = _mm256_unpacklo_ps(in[0].v, in[1].v), b = _mm256_unpackhi_ps(in[0].v, in[1].v),
               c = _mm256_unpacklo_ps(in[2].v, in[3].v), d = _mm256_unpackhi_ps(in[2].v, in[3].v);
  const __m256 r[4] = {_mm256_shuffle_ps(a, c, 0x44), _mm256_shuffle_ps(a, c, 0xee),
                       _mm256_shuffle_ps(b, d, 0x44), _mm256_shuffle_ps(b, d, 0xee)};
  for (int i = 0; i < 4; ++i) {
    _mm_store_ps(p[i], _mm256_castps256_ps128(r[i]));
    _mm_store_ps(p[i + 4], _mm256_extractf128_ps(r[i], 1));
  }
}

#elif DRUBBLE_LANES_KIND == 2

struct f8 {
  __m128 lo, hi;
  f8() = default;
  DRUBBLE_INLINE f8(__m128 l, __m128 h) : lo(l), hi(h) {}
  DRUBBLE_INLINE f8(float x) : lo(_mm_set1_ps(x)), hi(_mm_set1_ps(x)) {}
};
struct Mask8 {
  __m128 lo, hi;
};
DRUBBLE_INLINE f8 operator+(f8 a, f8 b) { return {_mm_add_ps(a.lo, b.lo), _mm_add_ps(a.hi, b.hi)}; }
DRUBBLE_INLINE f8 operator-(f8 a, f8 b) { return {_mm_sub_ps(a.lo, b.lo), _mm_sub_ps(a.hi, b.hi)}; }
DRUBBLE_INLINE f8 operator*(f8 a, f8 b) { return {_mm_mul_ps(a.lo, b.lo), _mm_mul_ps(a.hi, b.hi)}; }
DRUBBLE_INLINE f8 operator/(f8 a, f8 b) { return {_mm_div_ps(a.lo, b.lo), _mm_div_ps(a.hi, b.hi)}; }
DRUBBLE_INLINE f8 least(f8 a, f8 b) { return {_mm_min_ps(b.lo, a.lo), _mm_min_ps(b.hi, a.hi)}; }
DRUBBLE_INLINE f8 greatest(f8 a, f8 b) { return {_mm_max_ps(b.lo, a.lo), _mm_max_ps(b.hi, a.hi)}; }
DRUBBLE_INLINE f8 root(f8 a) { return {_mm_sqrt_ps(a.lo), _mm_sqrt_ps(a.hi)}; }
DRUBBLE_INLINE Mask8 operator>(f8 a, f8 b) { return {_mm_cmpgt_ps(a.lo, b.lo), _mm_cmpgt_ps(a.hi, b.hi)}; }
DRUBBLE_INLINE Mask8 operator&(Mask8 a, Mask8 b) { return {_mm_and_ps(a.lo, b.lo), _mm_and_ps(a.hi, b.hi)}; }
DRUBBLE_INLINE unsigned bitsOf(Mask8 m) {
  return static_cast<unsigned>(_mm_movemask_ps(m.lo) | _mm_movemask_ps(m.hi) << 4);
}
DRUBBLE_INLINE f8 choose(Mask8 m, f8 yes, f8 no) {
  return {_mm_or_ps(_mm_and_ps(m.lo, yes.lo), _mm_andnot_ps(m.lo, no.lo)),
          _mm_or_ps(_mm_and_ps(m.hi, yes.hi), _mm_andnot_ps(m.hi, no.hi))};
}
DRUBBLE_INLINE f8 load8(const float* p) { return {_mm_load_ps(p), _mm_load_ps(p + 4)}; }
DRUBBLE_INLINE void store8(float* p, f8 a) {
  _mm_store_ps(p, a.lo);
  _mm_store_ps(p + 4, a.hi);
}

DRUBBLE_INLINE void turn4(__m128& a, __m128& b, __m128& c, __m128& d) {
  const __m128 e = _mm_unpacklo_ps(a, b), f = _mm_unpacklo_ps(c, d), g = _mm_unpackhi_ps(a, b),
               h = _mm_unpackhi_ps(c, d);
  a = _mm_shuffle_ps(e, f, 0x44);
  b = _mm_shuffle_ps(e, f, 0xee);
  c = _mm_shuffle_ps(g, h, 0x44);
  d = _mm_shuffle_ps(g, h, 0xee);
}
DRUBBLE_INLINE void gather4(const float* const p[8], f8 out[4]) {
  for (int i = 0; i < 4; ++i) out[i] = {_mm_loadu_ps(p[i]), _mm_loadu_ps(p[i + 4])};
  turn4(out[0].lo, out[1].lo, out[2].lo, out[3].lo);
  turn4(out[0].hi, out[1].hi, out[2].hi, out[3].hi);
}
DRUBBLE_INLINE void scatter4(float* const p[8], const f8 in[4]) {
  f8 r[4] = {in[0], in[1], in[2], in[3]};
  turn4(r[0].lo, r[1].lo, r[2].lo, r[3].lo);
  turn4(r[0].hi, r[1].hi, r[2].hi, r[3].hi);
  for (int i = 0; i < 4; ++i) {
    _mm_store_ps(p[i], r[i].lo);
    _mm_store_ps(p[i + 4], r[i].hi);
  }
}

#else

struct f8 {
  float v[8];
  f8() = default;
  DRUBBLE_INLINE f8(float x) : v{x, x, x, x, x, x, x, x} {}
};
struct Mask8 {
  bool v[8];
};
#define DRUBBLE_EACH(type, expression)             \
  type r;                                          \
  for (int i = 0; i < 8; ++i) r.v[i] = expression; \
  return r
DRUBBLE_INLINE f8 operator+(f8 a, f8 b) { DRUBBLE_EACH(f8, a.v[i] + b.v[i]); }
DRUBBLE_INLINE f8 operator-(f8 a, f8 b) { DRUBBLE_EACH(f8, a.v[i] - b.v[i]); }
DRUBBLE_INLINE f8 operator*(f8 a, f8 b) { DRUBBLE_EACH(f8, a.v[i] * b.v[i]); }
DRUBBLE_INLINE f8 operator/(f8 a, f8 b) { DRUBBLE_EACH(f8, a.v[i] / b.v[i]); }
DRUBBLE_INLINE f8 least(f8 a, f8 b) { DRUBBLE_EACH(f8, b.v[i] < a.v[i] ? b.v[i] : a.v[i]); }
DRUBBLE_INLINE f8 greatest(f8 a, f8 b) { DRUBBLE_EACH(f8, b.v[i] > a.v[i] ? b.v[i] : a.v[i]); }
DRUBBLE_INLINE f8 root(f8 a) { DRUBBLE_EACH(f8, __builtin_sqrtf(a.v[i])); }
DRUBBLE_INLINE Mask8 operator>(f8 a, f8 b) { DRUBBLE_EACH(Mask8, a.v[i] > b.v[i]); }
DRUBBLE_INLINE Mask8 operator&(Mask8 a, Mask8 b) { DRUBBLE_EACH(Mask8, a.v[i] && b.v[i]); }
DRUBBLE_INLINE unsigned bitsOf(Mask8 m) {
  unsigned bits = 0;
  for (int i = 0; i < 8; ++i) bits |= static_cast<unsigned>(m.v[i]) << i;
  return bits;
}
DRUBBLE_INLINE f8 choose(Mask8 m, f8 yes, f8 no) { DRUBBLE_EACH(f8, m.v[i] ? yes.v[i] : no.v[i]); }
DRUBBLE_INLINE f8 load8(const float* p) { DRUBBLE_EACH(f8, p[i]); }
#undef DRUBBLE_EACH
DRUBBLE_INLINE void store8(float* p, f8 a) {
  for (int i = 0; i < 8; ++i) p[i] = a.v[i];
}
DRUBBLE_INLINE void gather4(const float* const p[8], f8 out[4]) {
  for (int k = 0; k < 4; ++k)
    for (int i = 0; i < 8; ++i) out[k].v[i] = p[i][k];
}
DRUBBLE_INLINE void scatter4(float* const p[8], const f8 in[4]) {
  for (int k = 0; k < 4; ++k)
    for (int i = 0; i < 8; ++i) p[i][k] = in[k].v[i];
}

#endif

DRUBBLE_INLINE f8 operator-(f8 a) { return f8(0.0f) - a; }

struct v8 {
  f8 x, y, z;
};
DRUBBLE_INLINE v8 operator+(v8 a, v8 b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
DRUBBLE_INLINE v8 operator-(v8 a, v8 b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
DRUBBLE_INLINE v8 operator*(v8 a, f8 s) { return {a.x * s, a.y * s, a.z * s}; }
DRUBBLE_INLINE v8 scaled(v8 a, v8 b) { return {a.x * b.x, a.y * b.y, a.z * b.z}; }
DRUBBLE_INLINE f8 dot(v8 a, v8 b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
DRUBBLE_INLINE v8 cross(v8 a, v8 b) {
  return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}

// A symmetric 3x3 matrix a lane: xx, xy, xz, yy, yz, zz.
struct m8 {
  f8 xx, xy, xz, yy, yz, zz;
};
DRUBBLE_INLINE v8 operator*(const m8& m, v8 v) {
  return {m.xx * v.x + m.xy * v.y + m.xz * v.z, m.xy * v.x + m.yy * v.y + m.yz * v.z,
          m.xz * v.x + m.yz * v.y + m.zz * v.z};
}

}  // namespace drubble::DRUBBLE_LANES
