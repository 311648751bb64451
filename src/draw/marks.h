// SPDX-License-Identifier: Apache-2.0
// Lines, rings, boxes and arrows as one mesh: what shows what has no shape of its own.
#pragma once
#include "core/mesh/mesh.h"

namespace drubble::draw {

class Marks {
 public:
  // `thin`: m, half the thickness of lines.
  explicit Marks(double thin) : thin_(thin) {}

  void line(const Vec3& a, const Vec3& b, double times = 1);
  void ring(const Vec3& at, const Vec3& axis, double radius);  // axis: unit
  void frame(const Box& b);
  void arrow(const Vec3& from, const Vec3& way);  // as long as it is
  mesh::TriangleMesh take() { return std::move(mesh_); }

 private:
  double thin_;
  mesh::TriangleMesh mesh_;
};

}  // namespace drubble::draw
