// SPDX-License-Identifier: Apache-2.0
// Eight floats side by side. Two SSE halves for now; every operation is the plain IEEE one, so that a wider
// or a scalar form gives the same bits.
#pragma once
#include <emmintrin.h>

namespace drubble {

struct alignas(32) f8 {
  __m128 lo, hi;
  f8() = default;
  f8(__m128 l, __m128 h) : lo(l), hi(h) {}
  f8(float x) : lo(_mm_set1_ps(x)), hi(_mm_set1_ps(x)) {}
};

inline f8 operator+(f8 a, f8 b) { return {_mm_add_ps(a.lo, b.lo), _mm_add_ps(a.hi, b.hi)}; }
inline f8 operator-(f8 a, f8 b) { return {_mm_sub_ps(a.lo, b.lo), _mm_sub_ps(a.hi, b.hi)}; }
inline f8 operator*(f8 a, f8 b) { return {_mm_mul_ps(a.lo, b.lo), _mm_mul_ps(a.hi, b.hi)}; }
inline f8 operator/(f8 a, f8 b) { return {_mm_div_ps(a.lo, b.lo), _mm_div_ps(a.hi, b.hi)}; }
inline f8 operator-(f8 a) { return f8(0.0f) - a; }
inline f8 least(f8 a, f8 b) { return {_mm_min_ps(b.lo, a.lo), _mm_min_ps(b.hi, a.hi)}; }
inline f8 greatest(f8 a, f8 b) { return {_mm_max_ps(b.lo, a.lo), _mm_max_ps(b.hi, a.hi)}; }
inline f8 root(f8 a) { return {_mm_sqrt_ps(a.lo), _mm_sqrt_ps(a.hi)}; }

struct Mask8 {
  __m128 lo, hi;
};
inline Mask8 operator>(f8 a, f8 b) { return {_mm_cmpgt_ps(a.lo, b.lo), _mm_cmpgt_ps(a.hi, b.hi)}; }
inline f8 choose(Mask8 m, f8 yes, f8 no) {
  return {_mm_or_ps(_mm_and_ps(m.lo, yes.lo), _mm_andnot_ps(m.lo, no.lo)),
          _mm_or_ps(_mm_and_ps(m.hi, yes.hi), _mm_andnot_ps(m.hi, no.hi))};
}

inline f8 load8(const float* p) { return {_mm_load_ps(p), _mm_load_ps(p + 4)}; }
inline void store8(float* p, f8 a) {
  _mm_store_ps(p, a.lo);
  _mm_store_ps(p + 4, a.hi);
}

struct v8 {
  f8 x, y, z;
};
inline v8 operator+(v8 a, v8 b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
inline v8 operator-(v8 a, v8 b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
inline v8 operator*(v8 a, f8 s) { return {a.x * s, a.y * s, a.z * s}; }
inline v8 scaled(v8 a, v8 b) { return {a.x * b.x, a.y * b.y, a.z * b.z}; }
inline f8 dot(v8 a, v8 b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
inline v8 cross(v8 a, v8 b) { return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x}; }

// A symmetric 3x3 matrix a lane: xx, xy, xz, yy, yz, zz.
struct m8 {
  f8 xx, xy, xz, yy, yz, zz;
};
inline v8 operator*(const m8& m, v8 v) {
  return {m.xx * v.x + m.xy * v.y + m.xz * v.z, m.xy * v.x + m.yy * v.y + m.yz * v.z,
          m.xz * v.x + m.yz * v.y + m.zz * v.z};
}

}  // namespace drubble
