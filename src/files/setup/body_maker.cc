// SPDX-License-Identifier: Apache-2.0
#include "files/setup/body_maker.h"

#include <fmt/format.h>

#include <filesystem>

#include "core/measure/fit.h"
#include "core/mesh/mend.h"
#include "core/world/prototypes.h"
#include "files/meshes.h"
#include "files/numbered.h"
#include "files/obj.h"
#include "files/part_store.h"

namespace drubble::files {

namespace {

constexpr std::size_t kManyTriangles = 5000;  // whose parts take a while

}  // namespace

// One body for each group of its OBJ file, called BODY/GROUP; or the body itself.
std::vector<BodySetup> BodyMaker::split(const BodySetup& b) const {
  if (!b.split || b.geometry != Geometry::Mesh) return {b};
  std::vector<BodySetup> out;
  std::map<std::string, int> names;
  for (NamedMesh& part : readObjGroups((std::filesystem::path(s_.path).parent_path() / b.mesh).string())) {
    BodySetup& x = out.emplace_back(b);
    const int n = ++names[part.name];
    x.name = fmt::format("{}/{}{}", b.name, part.name.empty() ? "part" : part.name,
                         n > 1 ? fmt::format("-{}", n) : "");
    x.part = std::move(part.mesh);
  }
  return out;
}

namespace {

mesh::TriangleMesh mendedMesh(const BodySetup& b, const mesh::TriangleMesh& m,
                              std::vector<std::string>& notes) {
  mesh::Mended done = mesh::mended(m);
  if (done.welded + done.dropped + done.turned + done.filled > 0)
    notes.push_back(
        fmt::format("body '{}': mended: {} vertices welded, {} triangles dropped, {} turned, {} "
                    "holes filled",
                    b.name, done.welded, done.dropped, done.turned, done.filled));
  return std::move(done.mesh);
}

}  // namespace

mesh::TriangleMesh BodyMaker::load(const BodySetup& b, std::vector<std::string>& notes) const {
  if (b.geometry == Geometry::Box) return mesh::boxMesh(b.box * b.scale);
  if (b.geometry == Geometry::Sphere) return mesh::sphereMesh(b.sphere * b.scale);
  if (b.geometry == Geometry::Ellipsoid)
    return mesh::transformed(mesh::sphereMesh(1), b.ellipsoid * b.scale, {});
  if (b.geometry == Geometry::Capsule)
    return mesh::capsuleMesh(b.capsule[0] * b.scale, b.capsule[1] * b.scale, s_.up());
  if (b.geometry == Geometry::Cylinder)
    return mesh::cylinderMesh(b.cylinder[0] * b.scale, b.cylinder[1] * b.scale, s_.up());
  const auto path = std::filesystem::path(s_.path).parent_path() / b.mesh;
  mesh::TriangleMesh m = mesh::welded(b.part ? *b.part : readMesh(path.string()));
  if (b.mend) m = mendedMesh(b, m, notes);
  const double unit = b.mesh_unit > 0 ? b.mesh_unit : s_.unit;
  const Vec3 by = unit * b.scale * b.stretch.value_or(Vec3::Ones());
  for (Vec3& v : m.vertices) v = v.cwiseProduct(by);
  return m;
}

void BodyMaker::requireSolid(const mesh::TriangleMesh& m) const {
  const mesh::Closedness c = mesh::closedness(m);
  if (!c.closed()) {
    const Vec3 at = c.first_open / s_.unit;
    throw Error(ErrorKind::Input,
                fmt::format("the mesh is not closed ({} open, {} flipped, {} crowded edges; one near "
                            "[{:.4g}, {:.4g}, {:.4g}]): "
                            "close it, try mend = true, or set role = \"static\"",
                            c.open_edges, c.flipped_edges, c.crowded_edges, at.x(), at.y(), at.z()));
  }
  const double volume = mesh::massProperties(m).volume;
  if (volume < 0)
    throw Error(ErrorKind::Input, "the mesh is inside-out: turn its faces round, or set mend = true");
  if (!(volume > 1e-12 * std::max(1e-30, m.bounds().size().prod())))
    throw Error(ErrorKind::Input, "the mesh has no volume");
}

// The prototype of a primitive that is felt as what it is.
std::optional<world::Prototype> BodyMaker::primitive(const BodySetup& b, double density) const {
  const auto is = [&](Geometry g, const char* shape) {
    return b.geometry == g && (b.shape == "auto" || b.shape == shape);
  };
  const double k = b.scale;
  if (is(Geometry::Sphere, "sphere")) return world::spherePrototype(b.name, b.sphere * k, density);
  if (is(Geometry::Box, "box")) return world::boxPrototype(b.name, b.box * k, density);
  if (is(Geometry::Ellipsoid, "ellipsoid"))
    return world::ellipsoidPrototype(b.name, b.ellipsoid * k, density);
  if (is(Geometry::Capsule, "capsule"))
    return world::capsulePrototype(b.name, b.capsule[0] * k, b.capsule[1] * k, s_.up(), density);
  if (is(Geometry::Cylinder, "cylinder"))
    return world::cylinderPrototype(b.name, b.cylinder[0] * k, b.cylinder[1] * k, s_.up(), density);
  return {};
}

BodyMaker::MadeShape BodyMaker::inParts(const BodySetup& b, const mesh::TriangleMesh& m_body) const {
  const shape::PartsGoal goal{b.fit * m_body.bounds().size().maxCoeff(), b.most_parts};
  const auto say = [&] {
    if (how_.say && m_body.triangles.size() > kManyTriangles)
      how_.say(fmt::format("making convex parts of '{}', {} triangles", b.name, m_body.triangles.size()));
  };
  MadeShape out;
  out.scale = b.scale;
  out.shape = world::partsWithin(partsOf(m_body, goal, PartStore(how_.store), how_.team, say), b.hull_corners,
                                 out.lost);
  return out;
}

BodyMaker::MadeShape BodyMaker::shapeOf(const BodySetup& b, const mesh::TriangleMesh& m_body) {
  static const std::map<std::string, world::ShapeChoice> kChoices = {
      {"sphere", world::ShapeChoice::Sphere},
      {"box", world::ShapeChoice::Box},
      {"ellipsoid", world::ShapeChoice::Ellipsoid},
      {"capsule", world::ShapeChoice::Capsule},
      {"cylinder", world::ShapeChoice::Cylinder}};
  const std::string key =
      fmt::format("{} {} {} {} {} {} {} {} {} {}", b.mesh, b.part ? b.name : "", b.mend, b.mesh_unit, b.shape,
                  b.hull_corners, b.fit, b.most_parts, b.role == world::Role::Dynamic,
                  b.stretch ? fmt::format("{} {} {}", b.stretch->x(), b.stretch->y(), b.stretch->z()) : "");
  if (const auto made = made_.find(key); b.geometry == Geometry::Mesh && made != made_.end()) {
    const double factor = b.scale / made->second.scale;
    return {shape::scaled(made->second.shape, factor), b.scale, made->second.lost * factor};
  }
  MadeShape out;
  out.scale = b.scale;
  const double tolerance = b.fit * m_body.bounds().size().maxCoeff();
  if (b.shape == "auto") {
    out.shape = measure::cheapestShape(m_body, tolerance, b.hull_corners, out.lost);
    // A hull that stands proud by more than that stands for something concave.
    if (b.role == world::Role::Dynamic && out.shape.kind == shape::Kind::Convex &&
        measure::shapeFit(m_body, out.shape).outward > tolerance + out.lost)
      out = inParts(b, m_body);
  } else if (b.shape == "parts") {
    out = inParts(b, m_body);
  } else if (b.shape == "hull") {
    out.shape = world::hullWithin(m_body.vertices, b.hull_corners, out.lost);
  } else {
    out.shape = world::shapeFor(kChoices.at(b.shape), m_body);
  }
  if (b.geometry == Geometry::Mesh) made_[key] = out;
  return out;
}

world::Prototype BodyMaker::solid(const BodySetup& b, const mesh::TriangleMesh& m, double density,
                                  double& lost) {
  if (std::optional<world::Prototype> p = primitive(b, density)) return std::move(*p);
  if (b.shape == "mesh" || (b.shape == "auto" && b.role != world::Role::Dynamic))
    return world::surfacePrototype(b.name, m);
  requireSolid(m);
  const mesh::MassProperties mass = mesh::massProperties(m);
  mesh::TriangleMesh body = m;
  for (Vec3& v : body.vertices) v -= mass.centre;
  MadeShape made = shapeOf(b, body);
  lost = made.lost;
  return world::shapedPrototype(b.name, m, std::move(made.shape), mass, density);
}

MadeBody BodyMaker::make(const BodySetup& b, double density, std::vector<std::string>& notes) {
  MadeBody out;
  if (b.geometry == Geometry::Ground) {
    out.prototype = world::groundPrototype(b.name, s_.up(), 1);
    return out;
  }
  if (b.bends) return bending(b);
  out.mesh = load(b, notes);
  if (const std::string why = mesh::whyInvalid(out.mesh); !why.empty())
    throw Error(ErrorKind::Input, "the mesh is broken: " + why);
  out.prototype = solid(b, out.mesh, density, out.hull_loss);
  weigh(b, out.prototype);
  return out;
}

MadeBody BodyMaker::bending(const BodySetup& b) const {
  MeshSequence found = readMeshSequence((std::filesystem::path(s_.path).parent_path() / b.mesh).string());
  const double factor = (b.mesh_unit > 0 ? b.mesh_unit : s_.unit) * b.scale;
  for (std::vector<Vec3>& places : found.places)
    for (Vec3& v : places) v *= factor;
  found.mesh.vertices = found.places.front();
  if (const std::string why = mesh::whyInvalid(found.mesh); !why.empty())
    throw Error(ErrorKind::Input, "the mesh is broken: " + why);
  MadeBody out;
  out.prototype = world::surfacePrototype(b.name, found.mesh);
  out.prototype.bends = std::move(found.places);
  out.prototype.bends_from = b.mesh_from.value_or(found.first);
  out.mesh = std::move(found.mesh);
  return out;
}

void weigh(const BodySetup& b, world::Prototype& p) {
  if (!(p.traits.mass() > 0)) return;
  if (b.mass) world::setWeight(p, *b.mass);
  if (b.centre_of_mass) world::moveCentre(p, p.origin + b.scale * *b.centre_of_mass);
}

}  // namespace drubble::files
