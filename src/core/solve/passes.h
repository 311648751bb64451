// SPDX-License-Identifier: Apache-2.0
// The passes over the contact blocks: what the solver spends its time in.
#pragma once
#include <vector>

#include "core/solve/block.h"

namespace drubble::solve {

enum class Pass {
  PushOut,  // overlaps are eased out, at no more than each block's push speed
  Settle,   // what speed the push-out left behind is taken away
};

// One sweep over all blocks in order; `dt` is the internal step. Rows of bodies: velocities change, places do
// not.
void sweep(std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows, double dt, Pass pass);

// Gives the bodies the impulses that the blocks start with.
void warmStart(const std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows);

}  // namespace drubble::solve
