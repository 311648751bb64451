// SPDX-License-Identifier: Apache-2.0
// USD as text.
#pragma once
#include "files/export/shot.h"

namespace drubble::files {

enum class UsdForm {
  Instances,  // a point instancer for what moves and one for what does not; few prims, all pieces in arrays
  Nodes       // a transform a piece, named and nested as pieces are
};

// Units, up axis and frame rate are the setup's; speeds are per second of the shot. `bonds`: curves between
// the middles of pieces that are bonded, until the bond breaks. Cost: the cache is read once for each array.
// Throws Error(Output).
void writeUsd(Shot& shot, UsdForm form, bool bonds);

}  // namespace drubble::files
