// SPDX-License-Identifier: Apache-2.0
#define DRUBBLE_LANES avx2
#include "core/solve/kernel_code.h"

namespace drubble::solve {

const Kernel kAvx2Kernel = avx2::kKernel;

}  // namespace drubble::solve
