// SPDX-License-Identifier: Apache-2.0
// From a body of the setup to a prototype: loads and mends its mesh, makes its shape, weighs it.
#pragma once
#include <map>

#include "files/setup/build_scene.h"

namespace drubble::files {

struct MadeBody {
  world::Prototype prototype;
  mesh::TriangleMesh mesh;  // as loaded and scaled, in the mesh's space
  double hull_loss = 0;     // m by which the mesh stands out of a hull of fewer corners
};

// Remembers the shapes it made: the same mesh again, only larger or smaller, has its shape scaled.
class BodyMaker {
 public:
  BodyMaker(const Setup& s, const Building& how) : s_(s), how_(how) {}

  // One body for each group of its OBJ file, called BODY/GROUP; or the body itself.
  std::vector<BodySetup> split(const BodySetup& b) const;
  // Not for groups. What was mended is told in `notes`. Throws Error(Input).
  MadeBody make(const BodySetup& b, double density, std::vector<std::string>& notes);

 private:
  struct MadeShape {
    shape::Shape shape;
    double scale = 1, lost = 0;
  };
  mesh::TriangleMesh load(const BodySetup& b, std::vector<std::string>& notes) const;
  MadeBody bending(const BodySetup& b) const;
  void requireSolid(const mesh::TriangleMesh& m) const;
  std::optional<world::Prototype> primitive(const BodySetup& b, double density) const;
  MadeShape shapeOf(const BodySetup& b, const mesh::TriangleMesh& m_body);
  world::Prototype solid(const BodySetup& b, const mesh::TriangleMesh& m, double density, double& lost);

  MadeShape inParts(const BodySetup& b, const mesh::TriangleMesh& m_body) const;

  const Setup& s_;
  const Building& how_;
  std::map<std::string, MadeShape> made_;  // by file and all that decides the shape but its scale
};

// The mass and the centre of mass that the body gives, where it gives them.
void weigh(const BodySetup& b, world::Prototype& p);

}  // namespace drubble::files
