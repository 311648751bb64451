// SPDX-License-Identifier: Apache-2.0
// Ready-made prototypes: mesh, shape and mass in one. Lengths in metres, density in kg/m3.
#pragma once
#include <string>

#include "core/world/scene.h"

namespace drubble::world {

enum class ShapeChoice { Sphere, Box, Hull, Mesh };

Prototype spherePrototype(const std::string& name, double radius, double density);
Prototype boxPrototype(const std::string& name, const Vec3& full_size, double density);
Prototype ellipsoidPrototype(const std::string& name, const Vec3& half_axes, double density);
// `axis`: unit, body space.
Prototype capsulePrototype(const std::string& name, double radius, double length, const Vec3& axis,
                           double density);
Prototype cylinderPrototype(const std::string& name, double radius, double height, const Vec3& axis,
                            double density);

// A half space, solid below `up` . x = 0; static only. Its mesh is a square of `extent` for pictures.
Prototype groundPrototype(const std::string& name, const Vec3& up, double extent);

// A closed mesh felt as `choice`: mass from the mesh, body space at its centre of mass. A Sphere is the one
// about the centre of mass with the mesh's volume; a Box is the mesh's own axis-aligned box. Throws
// Error(Input) for a mesh without volume.
Prototype meshPrototype(const std::string& name, const mesh::TriangleMesh& m, ShapeChoice choice,
                        double density);

// A mesh felt triangle by triangle, open or closed; static only. Body space is the mesh's own.
Prototype surfacePrototype(const std::string& name, const mesh::TriangleMesh& m);

}  // namespace drubble::world
