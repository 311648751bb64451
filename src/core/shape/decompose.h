// SPDX-License-Identifier: Apache-2.0
// A concave solid as convex parts that stand for it: their hulls fill it and little else.
#pragma once
#include <vector>

#include "core/base/team.h"
#include "core/mesh/mesh.h"
#include "core/shape/shape.h"

namespace drubble::shape {

struct PartsGoal {
  double tolerance = 0.01;  // m: how far a part's hull may stand proud of the solid
  int most = 32;            // parts
};

struct ConvexPart {
  std::vector<Vec3> corners;     // of its hull; the mesh's space
  std::vector<InnerFace> inner;  // where it was cut from the others
};

struct ConvexParts {
  std::vector<ConvexPart> parts;  // the largest first
  double proud = 0;               // m: the farthest that any hull stands proud of the solid, along its normal
};

// `m`: closed, outward. Parts are cut in two where that leaves the least empty room in both hulls, then
// joined again where their common hull serves as well, or where there are too many. The same for any number
// of threads. Throws Error(Input) as cutIntoCells does. Cost: some fifty hulls of a few hundred points a cut.
// Source: of the same kind as Mamou and Ghorbel, A simple and efficient approach for 3D mesh approximate
// convex decomposition (2009), by cuts instead of clusters.
ConvexParts convexParts(const mesh::TriangleMesh& m, const PartsGoal& goal, Team* team = nullptr);

}  // namespace drubble::shape
