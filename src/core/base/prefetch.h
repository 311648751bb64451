// SPDX-License-Identifier: Apache-2.0
// Asks for memory before it is needed: loops that follow indices wait for it otherwise.
#pragma once
#include <cstddef>

namespace drubble {

// All of x. Changes nothing that can be seen; the empty instruction keeps g++ from taking that for a reason
// to leave the call out.
template <class T>
__attribute__((always_inline)) inline void prefetch(const T& x) {
  const char* const p = reinterpret_cast<const char*>(&x);
  for (std::size_t k = 0; k < sizeof(T); k += 64) __builtin_prefetch(p + k);
  __builtin_prefetch(p + sizeof(T) - 1);
  asm volatile("");
}

}  // namespace drubble
