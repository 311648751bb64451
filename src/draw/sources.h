// SPDX-License-Identifier: Apache-2.0
// Where poured pieces come from, before a run.
#pragma once
#include "draw/stage.h"

namespace drubble::draw {

// Adds a mark for each of the scene's pours: the outline of its source, and an arrow for where it sends its
// pieces, as long as they go in a quarter second.
void addSources(Stage& stage, const files::BuiltScene& built, const Moment& start);

}  // namespace drubble::draw
