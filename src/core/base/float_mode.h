// SPDX-License-Identifier: Apache-2.0
// Sets round-to-nearest with denormals kept on this thread, and puts the caller's mode back at the end. Every
// entry into core that computes motion holds one of these.
#pragma once
#include <xmmintrin.h>

namespace drubble {

class FloatMode {
 public:
  FloatMode() : saved_(_mm_getcsr()) { _mm_setcsr(0x1f80); }
  ~FloatMode() { _mm_setcsr(saved_); }
  FloatMode(const FloatMode&) = delete;
  FloatMode& operator=(const FloatMode&) = delete;

 private:
  unsigned saved_;
};

}  // namespace drubble
