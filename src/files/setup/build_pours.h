// SPDX-License-Identifier: Apache-2.0
// Pours: their pieces, kept back, and when each is due.
#pragma once
#include "files/setup/kits.h"

namespace drubble::files {

// When births are due, ascending: spread evenly over what the rate, the frames and the pulses give.
std::vector<double> birthFrames(const PourSetup& p, const world::Scene& s);

// Adds a pour and all its pieces. `kits`: of each of its copies all sizes that there are of it.
void addPour(const PourSetup& p, const KitSizes& kits, BuiltScene& built, Placer& placer,
             std::vector<Problem>& problems);

// Of each piece that is yet to be poured, which birth is its: from 1 on; 0: it is there from the start.
std::vector<std::uint32_t> birthsOf(const world::Scene& s);

// What is yet to be poured has no place to be joined or bonded at, but to what is born with it.
void checkUnborn(const Setup& s, const BuiltScene& built, std::vector<Problem>& problems);

}  // namespace drubble::files
