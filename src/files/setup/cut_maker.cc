// SPDX-License-Identifier: Apache-2.0
#include "files/setup/cut_maker.h"

#include <fmt/format.h>

#include "core/mesh/mass.h"
#include "core/world/prototypes.h"

namespace drubble::files {

namespace {

constexpr double kSameCorner = 1e-4;  // of a piece's size: corners nearer than that are one to its hull

std::vector<Vec3> sitesOf(const mesh::TriangleMesh& m, const CutSetup& c) {
  if (c.pattern == "scatter") return cut::scatter(m, {c.count, c.more}, c.seed, c.name);
  cut::Impact how = c.impact;
  how.at = c.at.value_or(m.bounds().centre());
  how.axis = cut::thinnestAxis(m);
  return cut::impact(m, how, c.seed, c.name);
}

}  // namespace

cut::Cut cutMesh(const mesh::TriangleMesh& m, const CutSetup& c) {
  try {
    return cut::cutIntoCells(m, sitesOf(m, c), {c.grain, Quat::Identity(), c.slivers});
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::Input) throw;
    throw Error(ErrorKind::Input, fmt::format("cut '{}': {}", c.name, e.what()), c.where);
  }
}

MadeBody pieceOf(const BodySetup& piece, mesh::TriangleMesh m, double density) {
  const mesh::MassProperties solid = mesh::massProperties(m);
  std::vector<Vec3> corners = world::thinned(m.vertices, kSameCorner * m.bounds().size().maxCoeff());
  for (Vec3& v : corners) v -= solid.centre;
  MadeBody made;
  shape::Shape hull = world::hullWithin(corners, piece.hull_corners, made.hull_loss);
  made.prototype = world::shapedPrototype(piece.name, m, std::move(hull), solid, density);
  made.mesh = std::move(m);
  return made;
}

}  // namespace drubble::files
