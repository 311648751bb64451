// SPDX-License-Identifier: Apache-2.0
// One file a frame.
#pragma once
#include "files/export/shot.h"

namespace drubble::files {

enum class FrameForm {
  PlyMesh,  // binary; all pieces that are there as one mesh; of each vertex its speed, of each face piece and
            // surface
  ObjMesh,  // a group a piece, with texture coordinates, normals and materials (in a .mtl beside it); speeds,
            // for which the format has no place, if asked for in a .ply beside it, vertex by vertex
  PlyPoints  // binary; a point a piece, with orientation, speeds, size and state
};

// Roughly, of all frames together, if all pieces are there.
std::uint64_t bytesOfFrames(const Shot& shot, FrameForm form);

// The path has a row of # for the frame's number, unless there is but one. Speeds are in the setup's unit
// (spin in rad) a second of the shot. Returns how many files were written. Throws Error(Output), and
// Error(Usage), also where there is clearly no room for all of them.
std::size_t writeFrames(Shot& shot, FrameForm form);

}  // namespace drubble::files
