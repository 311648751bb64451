// SPDX-License-Identifier: Apache-2.0
// From the cuts of a setup to pieces.
#pragma once
#include "files/part_store.h"
#include "files/setup/body_maker.h"
#include "files/setup/build_scene.h"

namespace drubble::files {

struct CutPieces {
  cut::Cut cut;
  std::vector<std::string> numbers;  // of each piece, what it is called after its body: "0007" or "0007/0002"
  std::size_t lost = 0;              // thinner than the gap
  double gap = 0;                    // m
  std::optional<std::array<double, 3>> inside_colour;
  cut::Rough rough;
  std::vector<BuiltScene::CutStep> steps;
  std::vector<std::string> notes;
};

// Another mesh of the same body (closed, in the same space) cut at the same places: what of it belongs to
// each piece, by the piece's number. Throws Error(Input) for meshes that cannot be cut.
struct AlikePieces {
  cut::Cut cut;
  std::vector<std::string> numbers;  // of each of its pieces; several may belong to one
};
AlikePieces cutAlike(const mesh::TriangleMesh& m, const std::vector<BuiltScene::CutStep>& steps, Team* team);

// Whether a table cuts the body.
bool isCut(const Setup& s, const std::string& body);

// All that the setup's tables make of the body, in their order. `m`: its mesh in its own space (m). Throws
// Error(Input) with the cut's place.
CutPieces cutBody(const Setup& s, const std::string& body, const mesh::TriangleMesh& m, const Building& how);

// A little lighter or darker by name, so that pieces are told apart; and as fresh breaks are, paler than what
// has seen the weather.
std::array<double, 3> shadeOf(std::array<double, 3> colour, const std::string& name);
std::array<double, 3> paler(std::array<double, 3> colour);

// A piece of a cut mesh, felt as its hull; as convex parts where the body says so and the hull would stand
// proud by more than `tolerance` (m). Parts are looked for in the store, and kept there.
MadeBody pieceOf(const BodySetup& piece, mesh::TriangleMesh m, double density, double tolerance,
                 const PartStore& store);

}  // namespace drubble::files
