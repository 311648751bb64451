// SPDX-License-Identifier: Apache-2.0
// For tests and benchmarks: solids cut into cells, as the stress solve wants them.
#pragma once
#include "core/bond/stress.h"
#include "core/cut/patterns.h"
#include "core/cut/pieces.h"
#include "core/mesh/mass.h"

namespace drubble::bond {

struct CutSolid {
  std::vector<Node> nodes;
  std::vector<Face> faces;
  std::vector<Beam> beams;  // name faces: not to be copied without them

  StressSolver solver() const { return {nodes, beams}; }
};

// Pieces of which any corner lies at x below `held` are fixed.
inline CutSolid cutSolid(const Vec3& size, int count, std::uint64_t seed, double density, int even = 0,
                         double held = -1e300) {
  const mesh::TriangleMesh m = mesh::boxMesh(size);
  std::vector<Vec3> sites = cut::scatter(m, {count, {}}, seed, "beam");
  if (even > 0) sites = cut::evened(m, sites, even, {});
  const cut::Cut cut = cut::cutIntoCells(m, sites);
  CutSolid out;
  for (const cut::Piece& p : cut.pieces) {
    const mesh::MassProperties mass = mesh::massProperties(p.mesh);
    Node n{mass.centre, density * mass.volume, density * mass.inertia, p.mesh.bounds().low.x() < held};
    out.nodes.push_back(n);
  }
  for (const cut::Interface& i : cut.interfaces)
    if (i.area > 0) out.faces.push_back(faceOf(i.corners, i.normal, i.centroid, i.area));
  std::size_t at = 0;
  for (const cut::Interface& i : cut.interfaces)
    if (i.area > 0) out.beams.push_back({i.a, i.b, &out.faces[at++], 1});
  return out;
}

}  // namespace drubble::bond
