// SPDX-License-Identifier: Apache-2.0
#include "files/export/still.h"

#include "files/export/glb.h"
#include "files/export/sequence.h"
#include "files/export/usd.h"

namespace drubble::files {

bool isStillPath(const std::string& path) {
  for (const char* ending : {".obj", ".ply", ".usda", ".glb"})
    if (path.ends_with(ending)) return true;
  return false;
}

void writeStill(CacheReader& cache, const std::string& path) {
  ExportOptions options;
  options.path = path;
  options.first = options.last = cache.frames().back().frame;
  Shot shot(cache, options);
  if (path.ends_with(".usda")) return writeUsd(shot, UsdForm::Instances, false);
  if (path.ends_with(".glb")) return void(writeGlb(shot, GlbForm::Instances));
  writeFrames(shot, path.ends_with(".obj") ? FrameForm::ObjMesh : FrameForm::PlyMesh);
}

}  // namespace drubble::files
