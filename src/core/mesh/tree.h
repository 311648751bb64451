// SPDX-License-Identifier: Apache-2.0
// A tree of boxes over the triangles of a mesh, for overlap, nearest-point and ray queries.
// Built once, deterministic: median split of triangle centres along the longest side. Thread safe to read.
#pragma once
#include <vector>

#include "core/mesh/mesh.h"

namespace drubble::mesh {

class Tree {
 public:
  Tree() = default;
  explicit Tree(const TriangleMesh& m);

  // The same tree for the same triangles with their vertices moved.
  void refit(const TriangleMesh& m);

  // Triangles whose boxes overlap `box`, ascending. Appends to `out`.
  void overlapping(const Box& box, std::vector<std::uint32_t>& out) const;

  // The nearest point of the surface to `point`. Cost about log(triangles).
  struct Nearest {
    double distance = std::numeric_limits<double>::infinity();
    Vec3 point = Vec3::Zero();
    std::uint32_t triangle = kNoTriangle;
  };
  Nearest nearest(const TriangleMesh& m, const Vec3& point) const;

  // Whether `point` lies inside the closed mesh: winding number by the solid angles' signs along three rays.
  bool inside(const TriangleMesh& m, const Vec3& point) const;

  Box bounds() const { return nodes_.empty() ? Box{} : nodes_.front().box; }

 private:
  struct Node {
    Box box;
    std::uint32_t first = 0,
                  count = 0;  // leaf: range of order_; inner: count 0 and `first` is the right child
  };
  std::uint32_t build(const std::vector<Box>& boxes, std::uint32_t first, std::uint32_t count);
  int crossings(const TriangleMesh& m, const Vec3& point, const Vec3& direction) const;

  std::vector<Node> nodes_;
  std::vector<std::uint32_t> order_;  // triangles, leaf by leaf
  std::vector<Box> boxes_;            // theirs, in that order
};

// The point of triangle abc nearest to p. Ericson, Real-Time Collision Detection (2005), 5.1.5.
// `feature`: 0 the face, 1..3 edge ab, bc, ca, 4..6 corner a, b, c.
struct TrianglePoint {
  Vec3 point = Vec3::Zero();
  int feature = 0;
};
TrianglePoint nearestOnTriangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c);

}  // namespace drubble::mesh
