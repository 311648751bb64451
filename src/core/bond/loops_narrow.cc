// SPDX-License-Identifier: Apache-2.0
#define DRUBBLE_LOOPS kNarrowLoops
#include "core/bond/loops_code.h"
