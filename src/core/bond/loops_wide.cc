// SPDX-License-Identifier: Apache-2.0
#define DRUBBLE_LOOPS kWideLoops
#include "core/bond/loops_code.h"
