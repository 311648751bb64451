// SPDX-License-Identifier: Apache-2.0
// Islands: bodies that contacts tie together. Where one is nearly at rest, sweeps are repeated until little
// changes any more: towers, leaning stacks and heavy things on light ones need it, and it costs only where
// they are. What is in full motion is not worth it.
#pragma once
#include <vector>

#include "core/solve/block.h"

namespace drubble::solve {

struct Groups {
  std::vector<ContactBlock> lively;             // of all islands in motion together
  std::vector<std::vector<ContactBlock>> calm;  // one list an island, by its lowest body
};

// `gravity`: magnitude, m/s2. I1 an island's blocks, and whether it is calm, hang on its own bodies only.
Groups groupContacts(const BlockInput& in, double gravity);

// The blocks of each island.
std::vector<std::vector<ContactBlock>> islandBlocks(const BlockInput& in);

}  // namespace drubble::solve
