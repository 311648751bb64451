// SPDX-License-Identifier: Apache-2.0
// Ready-made prototypes: mesh, shape and mass in one. Lengths in metres, density in kg/m3.
#pragma once
#include <span>
#include <string>
#include <vector>

#include "core/shape/decompose.h"
#include "core/world/scene.h"

namespace drubble::world {

enum class ShapeChoice { Sphere, Box, Ellipsoid, Capsule, Cylinder, Hull, Mesh };

// The shape that stands for a mesh (body space). Sphere: about the body's origin, with the mesh's volume if
// it is closed. Box, Ellipsoid, Capsule, Cylinder: filling the mesh's axis-aligned box, along its own axes,
// as near as they can. Hull: of at most `corners` corners. Mesh: its triangles.
shape::Shape shapeFor(ShapeChoice choice, const mesh::TriangleMesh& m_body, int corners = 256);

// The hull of `points` with at most `most` corners: those farthest out are kept first, so that what is lost
// is shaved off evenly. `lost`: the greatest distance (m) by which the points stand out of it.
shape::Shape hullWithin(std::span<const Vec3> points, int most, double& lost);

// The same of corners that are 1e-4 of their size apart, at least: what cutting leaves beside each other is
// one.
shape::Shape thinnedHull(std::span<const Vec3> points, int most, double& lost);

// Convex parts as one shape, each hull with at most `most` corners; `lost` as above, of the worst.
shape::Shape partsWithin(const shape::ConvexParts& parts, int most, double& lost);

// Those of the points that are at least `apart` from the ones before them. Cost: about n log n.
std::vector<Vec3> thinned(std::span<const Vec3> points, double apart);

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

// A closed mesh felt as `choice`: mass from the mesh, body space at its centre of mass. Throws Error(Input)
// for a mesh without volume.
Prototype meshPrototype(const std::string& name, const mesh::TriangleMesh& m, ShapeChoice choice,
                        double density);

// The same, felt as `s`, which is in body space: about the mesh's centre of mass.
Prototype shapedPrototype(const std::string& name, const mesh::TriangleMesh& m, shape::Shape s,
                          const mesh::MassProperties& solid, double density);

// Several prototypes as one body: masses added up, meshes and shapes together. Poses: part's body space to
// the group's own space.
Prototype joinedPrototype(const std::string& name, const std::vector<Prototype>& parts,
                          const std::vector<Pose>& poses);

// Makes it weigh `mass` (kg), with the same distribution.
void setWeight(Prototype& p, double mass);

// Moves the body's origin, and with it the centre of mass, to `centre` (body space).
void moveCentre(Prototype& p, const Vec3& centre);

// A mesh felt triangle by triangle, open or closed; static only. Body space is the mesh's own.
Prototype surfacePrototype(const std::string& name, const mesh::TriangleMesh& m);

}  // namespace drubble::world
