// SPDX-License-Identifier: Apache-2.0
// A convex polyhedron with polygon faces, as the pair tests want it.
#pragma once
#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "core/base/scan.h"
#include "core/base/vec.h"
#include "core/mesh/mesh.h"

namespace drubble::shape {

struct Face {
  Vec3 normal = Vec3::Zero();  // unit, outward
  double offset = 0;           // normal . x <= offset inside
  std::uint32_t first = 0;     // range in Polyhedron::loops, counter-clockwise from outside
  std::uint32_t count = 0;
};

struct Edge {
  std::uint32_t a = 0, b = 0;  // vertices
  Vec3 left = Vec3::Zero();    // normals of the two faces; left x right runs along b - a
  Vec3 right = Vec3::Zero();
  Vec3 along = Vec3::Zero();  // unit, from a to b
  double widen = 1;           // 1 / cosine of half the angle between the normals
};

// Fills what follows from the ends and normals; swaps left and right where they run the wrong way.
void finishEdge(const Vec3& a, const Vec3& b, Edge& e);

// I1 every loop has three corners or more. I2 each directed edge of a loop has exactly one opposite.
// I3 every vertex is behind every face, up to 1e-7 of the size. I4 every vertex is in three faces or more.
struct Polyhedron {
  std::vector<Vec3> vertices;
  std::vector<Face> faces;
  std::vector<std::uint32_t> loops;
  std::vector<Edge> edges;
  Vec3 centre = Vec3::Zero();  // inside
  double inner_radius = 0;     // of the sphere about `centre` that fits in
  double outer_radius = 0;

  // Made by `prepare` from the rest, for quick scans.
  std::vector<Block4> corner_blocks;         // the vertices
  std::vector<Block4> face_blocks;           // the faces' planes
  std::vector<std::uint32_t> first_face_of;  // faces_of [first_face_of[v], first_face_of[v + 1]): v's faces
  std::vector<std::uint32_t> faces_of;
  void prepare();

  // The vertex farthest along `direction`; the lowest index on a tie.
  std::uint32_t support(const Vec3& direction) const;
  // How far the farthest vertex reaches along `direction`.
  double reach(const Vec3& direction) const { return direction.dot(vertices[support(direction)]); }
};

std::string whyInvalid(const Polyhedron& p);

mesh::TriangleMesh meshOf(const Polyhedron& p);

}  // namespace drubble::shape
