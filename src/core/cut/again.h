// SPDX-License-Identifier: Apache-2.0
// Pieces of pieces. What cuts a piece divides its faces in every piece that shares them, so that all faces
// still fit one to one, whichever piece was cut first; what two neighbours' cuts make of a face that they
// share is the overlay of both.
#pragma once
#include <span>
#include <vector>

#include "core/cut/pieces.h"
#include "core/cut/triangulate.h"

namespace drubble::cut {

// A solid in pieces that may be cut again. Pieces keep their numbers; parts get new ones.
class Assembly {
 public:
  // One piece, number 0.
  explicit Assembly(const mesh::TriangleMesh& whole);

  const Piece& piece(std::uint32_t k) const { return pieces_[k]; }

  // Returns the parts' numbers; piece `k` is gone. Parts know which of the first mesh's triangles they come
  // from. Throws as cutIntoCells does. Cost: that, and the triangles of the pieces about.
  std::vector<std::uint32_t> again(std::uint32_t k, std::span<const Vec3> sites, const How& how = {},
                                   Team* team = nullptr);

  // The pieces of these numbers, in this order, which must be all that are there. Leaves nothing here.
  Cut finished(std::span<const std::uint32_t> order);

 private:
  struct Division;
  void refine(std::uint32_t k, Division& by);
  void addPlaces(const Piece& p);

  std::vector<Piece> pieces_;
  std::vector<Box> boxes_;
  std::vector<Vec3> places_;  // of nodes
  std::vector<char> gone_;
  std::vector<Vec3> normals_;    // of faces, as sources number them
  std::vector<Sliver> slivers_;  // of all cuts
};

// A triangle whose sides have more places on them, as triangles over all of them. `sides`: of each corner,
// what comes after it up to the next. None has all its corners on one side. Lines that are joined already are
// not drawn again, but where nothing else is left a place in the middle is added; those drawn are added.
std::vector<mesh::Triangle> dividedTriangle(const mesh::Triangle& corners,
                                            const std::array<std::vector<std::uint32_t>, 3>& sides,
                                            std::vector<Vec3>& places, Joined& joined);

}  // namespace drubble::cut
