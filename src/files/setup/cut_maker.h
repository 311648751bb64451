// SPDX-License-Identifier: Apache-2.0
// From a cut of the setup to pieces.
#pragma once
#include "core/cut/pieces.h"
#include "files/setup/body_maker.h"

namespace drubble::files {

// `m`: the body's mesh in its own space (m). Throws Error(Input) with the cut's place.
cut::Cut cutMesh(const mesh::TriangleMesh& m, const CutSetup& c);

// A piece of a cut mesh, felt as its hull.
MadeBody pieceOf(const BodySetup& piece, mesh::TriangleMesh m, double density);

}  // namespace drubble::files
