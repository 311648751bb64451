// SPDX-License-Identifier: Apache-2.0
// Patches of neighbouring triangles that look nearly the same way become one.
#pragma once
#include "core/collide/contact.h"

namespace drubble::collide {

class Merger {
 public:
  // Forgets what was added. `same_place`: points as near as this (m) are one.
  void begin(double same_place);

  // Patches in the piece's own frame; `sub` is the triangle.
  void add(const Manifold& m);

  // Appends the merged patches in the world: mean normals, the points that span each best.
  void finish(const Pose& pose, Manifolds& out) const;

 private:
  struct Group {
    Vec3 normal;
    double deepest;
    std::uint32_t sub;
    std::vector<std::pair<Vec3, double>> members;  // normal and least gap
    std::vector<Point> points;
  };
  Group& homeOf(const Manifold& m);
  Vec3 meanNormal(const Group& g) const;
  void addPoint(Group& g, const Point& p) const;

  std::vector<Group> groups_;
  double same_place_ = 0;
};

}  // namespace drubble::collide
