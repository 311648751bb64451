// SPDX-License-Identifier: Apache-2.0
// Motion as a table.
#pragma once
#include "files/export/shot.h"

namespace drubble::files {

struct TableOptions {
  std::vector<std::string> channels;  // of kChannels; empty: the first three
  double thin = -1;  // in the setup's unit: keys that miss the motion by no more; below 0: all
};

// position (of the centre of mass), turn (quaternion), angles (degrees about x, then y, then z), velocity,
// spin (degrees), speed, state.
const std::vector<std::string>& tableChannels();

// CSV: piece, frame and what is asked for; in order of the pieces. Thinned: a piece's rows between which it
// goes straight, near enough (Ramer 1972, Douglas and Peucker 1973). Returns how many rows. Throws
// Error(Usage), Error(Output).
std::size_t writeTable(Shot& shot, const TableOptions& options);

}  // namespace drubble::files
