// SPDX-License-Identifier: Apache-2.0
#include "core/cut/rough.h"

#include "core/cut/pieces_check.h"

using namespace drubble;
using namespace drubble::cut;

TEST_CASE("rough breaks fit, close, and leave the skin and the rims where they are") {
  for (const Named& s : solids()) {
    INFO(s.name);
    const Cut cut = cutIntoCells(s.mesh, scattered(s.mesh, 12, 3));
    Cut rough = cut;
    const double grain = 0.05;
    double moved = 0, skin = 0, skin_before = 0;
    std::size_t triangles = 0;
    for (Piece& p : rough.pieces) {
      for (std::size_t t = 0; t < p.sources.size(); ++t)
        if (!p.sources[t].inside) ++triangles;
      RoughMesh r = roughened(p.mesh, p.sources, rough.interfaces, {0.01, grain, 7});
      for (std::size_t t = 0; t < r.sources.size(); ++t) {
        if (!r.sources[t].inside) {
          skin += volumeOf({r.mesh.vertices, {r.mesh.triangles[t]}});
          continue;
        }
        const Interface& face = rough.interfaces[r.sources[t].index];
        for (const std::uint32_t v : r.mesh.triangles[t])
          moved = std::max(moved, absolute(face.normal.dot(r.mesh.vertices[v] - face.centroid)));
      }
      for (std::size_t t = 0; t < p.sources.size(); ++t)
        if (!p.sources[t].inside) skin_before += volumeOf({p.mesh.vertices, {p.mesh.triangles[t]}});
      p.mesh = std::move(r.mesh);
      p.sources = std::move(r.sources);
      p.nodes.assign(p.mesh.vertices.size(), 0);
    }
    checkCut(s.mesh, rough);
    CHECK(skin == Approx(skin_before));
    CHECK(moved <= 0.01 + 1e-9);
    if (std::string(s.name) == "box") CHECK(moved > 0.003);
    std::size_t left = 0;
    for (const Piece& p : rough.pieces)
      for (const Source& source : p.sources) left += !source.inside;
    CHECK(left == triangles);
  }
}

TEST_CASE("without an amount nothing is made rough") {
  const mesh::TriangleMesh m = mesh::boxMesh(vec3(1, 1, 1));
  const Cut cut = cutIntoCells(m, scattered(m, 5, 3));
  const RoughMesh r = roughened(cut.pieces[0].mesh, cut.pieces[0].sources, cut.interfaces, {0, 0.1, 1});
  CHECK(r.mesh.vertices == cut.pieces[0].mesh.vertices);
  CHECK(r.mesh.triangles == cut.pieces[0].mesh.triangles);
}
