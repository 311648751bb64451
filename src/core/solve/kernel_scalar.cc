// SPDX-License-Identifier: Apache-2.0
#define DRUBBLE_LANES scalar
#include "core/solve/kernel_code.h"

namespace drubble::solve {

const Kernel kScalarKernel = scalar::kKernel;

}  // namespace drubble::solve
