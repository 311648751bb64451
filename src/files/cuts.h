// SPDX-License-Identifier: Apache-2.0
// What cuts came to: counted and measured anew from the pieces' meshes.
#pragma once
#include "files/obj.h"
#include "files/setup/build_scene.h"

namespace drubble::files {

struct CutReport {
  std::string body;
  std::size_t pieces = 0, interfaces = 0, unpaired_faces = 0;  // triangles of interfaces without their like
  std::size_t open_edges = 0, flipped_edges = 0;
  double least_volume = 0, median_volume = 0, most_volume = 0;  // m3
  double volume_error = 0;                                      // of all pieces together, share of the whole
  double interface_area = 0;                                    // m2
  double mean_faces = 0;                                        // interfaces a piece
  std::size_t slivers_merged = 0;
  std::size_t islands = 0;  // groups of pieces that share faces
};
CutReport reportOn(const BuiltScene& built, const BuiltScene::CutBody& cut);

// The pieces where they were cut, in the body's mesh space and the setup's units, by name.
std::vector<NamedMesh> piecesOf(const BuiltScene& built, const BuiltScene::CutBody& cut, double unit);

}  // namespace drubble::files
