// SPDX-License-Identifier: Apache-2.0
// How surfaces look: texture coordinates, normals and materials, which no simulation needs.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/mesh/mesh.h"

namespace drubble::files {

using Vec2 = Eigen::Vector2d;

// One entry a triangle; empty: nothing is known.
struct Look {
  std::vector<std::array<Vec2, 3>> uvs;      // of its corners
  std::vector<std::array<Vec3, 3>> normals;  // unit, of its corners
  std::vector<std::uint32_t> materials;
  std::vector<std::string> names;  // of materials
};

struct LookedMesh {
  mesh::TriangleMesh mesh;
  Look look;
};

// As readMesh, with what the file says of looks. Throws as readMesh does.
LookedMesh readLookedMesh(const std::string& path);

// The look of `m`, whose triangles are those of the file, scaled by `factor`, or some of them; which is which
// is told by places. `unit`: metres in one of the setup's. What the file does not have gets coordinates from
// a box about it, flat normals and the material `without`.
Look lookOn(const mesh::TriangleMesh& m, const LookedMesh& file, double factor, double unit,
            const std::string& without);

// Texture coordinates of a place on a face that looks along `normal`: its other two coordinates.
Vec2 boxProjected(const Vec3& place, const Vec3& normal);

// Looks of a place in a triangle from those of its corners.
struct InTriangle {
  std::array<double, 3> shares{};
  template <class T>
  T mix(const std::array<T, 3>& corners) const {
    return shares[0] * corners[0] + shares[1] * corners[1] + shares[2] * corners[2];
  }
};
InTriangle inTriangle(const mesh::TriangleMesh& m, std::size_t triangle, const Vec3& place);

}  // namespace drubble::files
