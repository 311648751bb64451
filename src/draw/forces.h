// SPDX-License-Identifier: Apache-2.0
// Forces in pictures, before a run.
#pragma once
#include "draw/stage.h"

namespace drubble::draw {

// Arrows over the action and about it: for each force that acts at the moment's frame its field, the longest
// arrow where that is strongest. A drag has none. Adds to the legend which colour is which, and how strong it
// is at most. Returns how many forces there are to show.
std::size_t addForces(Stage& stage, const files::BuiltScene& built, const Moment& m);

}  // namespace drubble::draw
