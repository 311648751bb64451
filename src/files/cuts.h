// SPDX-License-Identifier: Apache-2.0
// What cuts came to: counted and measured anew from the pieces' meshes.
#pragma once
#include <optional>

#include "files/setup/build_scene.h"
#include "files/write_pieces.h"

namespace drubble::files {

struct CutReport {
  std::string body;
  std::size_t pieces = 0, interfaces = 0, unpaired_faces = 0;  // triangles of interfaces without their like
  std::size_t open_edges = 0, flipped_edges = 0;
  double least_volume = 0, median_volume = 0, most_volume = 0;  // m3
  double volume_error = 0;    // of all pieces, and what the gap has taken, together; share of the whole
  double interface_area = 0;  // m2
  double mean_faces = 0;      // interfaces a piece
  std::optional<double> mean_faces_interior;  // of pieces without any of the skin
  std::size_t interior = 0;                   // how many those are
  struct Sliver {
    std::string into;   // the piece that it was given to
    double volume = 0;  // m3
  };
  std::vector<Sliver> slivers;
  std::size_t lost = 0;     // pieces thinner than the gap
  double gap = 0;           // m
  std::size_t islands = 0;  // groups of pieces that share faces
};
CutReport reportOn(const BuiltScene& built, const BuiltScene::CutBody& cut);

// One piece, for a list.
struct PieceRow {
  std::string name;
  double volume = 0;  // m3
  double filled = 0;  // its share of its collision shape
  std::size_t faces = 0;
  double shared = 0;  // m2
  std::size_t triangles = 0;
};
std::vector<PieceRow> rowsOf(const BuiltScene& built, const BuiltScene::CutBody& cut);

// The look of a piece of `whole`, whose look is `skin`: what was cut has the material NAME_inside and texture
// coordinates from a box about it. `unit`: metres in one of theirs.
Look lookOfPiece(const mesh::TriangleMesh& m, const std::vector<cut::Source>& sources,
                 const mesh::TriangleMesh& whole, const Look& skin, const std::string& name, double unit);

// The pieces where they were cut, in the body's mesh space and the setup's units, by name: the skin with the
// look of the body's mesh file, the inside with coordinates from a box and a material of its own.
std::vector<LookedPiece> piecesOf(const Setup& s, const BuiltScene& built, const BuiltScene::CutBody& cut);

}  // namespace drubble::files
