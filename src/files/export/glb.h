// SPDX-License-Identifier: Apache-2.0
// glTF 2.0, binary.
#pragma once
#include "files/export/shot.h"

namespace drubble::files {

enum class GlbForm {
  Nodes,     // a node a piece; one animation moves those that move
  Instances  // one time only: a node a mesh, its copies in arrays (EXT_mesh_gpu_instancing)
};

// In metres, y up, whatever the setup's are; time 0 is the first frame. What is not there has size 0. Meshes
// that change their form keep that of the first frame, for which the return value has a word. Throws
// Error(Output), Error(Usage) for instances at several times and for more than 4 GB.
std::string writeGlb(Shot& shot, GlbForm form);

}  // namespace drubble::files
