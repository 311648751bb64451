// SPDX-License-Identifier: Apache-2.0
#pragma once
#include "files/export/file_out.h"
#include "files/export/shot.h"

namespace drubble::files {

// Curves between the middles of pieces, one a bond that is not broken, at each time.
void usdBonds(FileOut& out, Shot& shot);

}  // namespace drubble::files
