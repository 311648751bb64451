// SPDX-License-Identifier: Apache-2.0
// Bonds in pictures: a rod from the middle of each piece to the face that it shares.
#pragma once
#include <vector>

#include "draw/stage.h"

namespace drubble::draw {

// Adds a rod for each half of a bond, by what became of it; makes the pieces seen through. `broken`: a flag a
// bond, as at the frame that is drawn; `shares`: what it bears of its strength there, below 0 where that is
// not known; empty: of none; `start`: the first frame, in whose space bonds are given.
void addBonds(Stage& stage, const std::vector<files::CachedBond>& bonds, const std::vector<char>& broken,
              const std::vector<float>& shares, const Moment& start);

// A colour for each piece of the stage, by what the bonds that hold tie together: that of its first piece by
// name; what is loose is grey.
std::vector<Rgb> clusterColours(const Stage& stage, const std::vector<files::CachedBond>& bonds,
                                const std::vector<char>& broken);

}  // namespace drubble::draw
