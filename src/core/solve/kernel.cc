// SPDX-License-Identifier: Apache-2.0
#include "core/solve/kernel.h"

namespace drubble::solve {

bool available(Lanes lanes) { return lanes != Lanes::Avx2 || __builtin_cpu_supports("avx2") != 0; }

const Kernel& kernelOf(Lanes lanes) {
  if (lanes == Lanes::Scalar) return kScalarKernel;
  return lanes != Lanes::Sse2 && available(Lanes::Avx2) ? kAvx2Kernel : kSse2Kernel;
}

}  // namespace drubble::solve
