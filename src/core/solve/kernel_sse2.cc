// SPDX-License-Identifier: Apache-2.0
#define DRUBBLE_LANES sse2
#include "core/solve/kernel_code.h"

namespace drubble::solve {

const Kernel kSse2Kernel = sse2::kKernel;

}  // namespace drubble::solve
