// SPDX-License-Identifier: Apache-2.0
#include "files/check.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/measure/fit.h"
#include "core/measure/penetration.h"

namespace drubble::files {

namespace {

constexpr double kHollow = 0.1;    // of the outline: less is no container
constexpr double kPlugged = 0.25;  // of the hollow part
constexpr double kOverlap = 1e-3;  // of the smaller piece: below it is rounding

// Only closed meshes have an inside to plug.
measure::Fit fitOf(const BuiltScene& built, std::size_t i) {
  const world::Prototype& p = built.scene.prototypes[i];
  if (built.prototype_bodies[i].geometry != Geometry::Mesh ||
      !mesh::closedness(mesh::welded(p.mesh)).closed())
    return {};
  return measure::cavityFit(p.mesh, p.shape);
}

void checkMeshes(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out) {
  for (std::size_t i = 0; i < built.meshes.size(); ++i) {
    const BodySetup& b = built.prototype_bodies[i];
    if (b.geometry != Geometry::Mesh) continue;
    const mesh::Closedness c = mesh::closedness(built.meshes[i]);
    const auto say = [&](Severity s, const std::string& text) {
      out.push_back({s, "mesh", fmt::format("body '{}' ({}): {}", b.name, b.mesh, text), {b.name}, 0});
    };
    if (!c.closed()) {
      const Vec3 at = c.first_open / setup.unit;
      say(c.flipped_edges + c.crowded_edges > 0 ? Severity::Warning : Severity::Note,
          fmt::format("the mesh is open: {} open, {} flipped, {} crowded edges, one near [{:.4g}, {:.4g}, "
                      "{:.4g}]; fine for a static surface, not for "
                      "anything that moves",
                      c.open_edges, c.flipped_edges, c.crowded_edges, at.x(), at.y(), at.z()));
    } else if (mesh::massProperties(built.meshes[i]).volume < 0) {
      say(Severity::Warning, "the mesh is inside-out: turn its faces round");
    }
    if (c.flat_triangles > 0)
      say(Severity::Warning, fmt::format("{} triangles have no area: clean the mesh", c.flat_triangles));
  }
}

void checkPlugs(const BuiltScene& built, std::vector<Finding>& out) {
  for (std::size_t i = 0; i < built.scene.prototypes.size(); ++i) {
    const measure::Fit fit = fitOf(built, i);
    if (fit.hollow < kHollow || fit.plugged < kPlugged) continue;
    const BodySetup& b = built.prototype_bodies[i];
    const bool fixed = b.role == world::Role::Static;
    out.push_back({fixed ? Severity::Error : Severity::Warning,
                   "plugged",
                   fmt::format("body '{}': its shape fills {:.0f} % of its hollow inside ({:.0f} % of its "
                               "outline is hollow), so nothing can get in; {}",
                               b.name, 100 * fit.plugged, 100 * fit.hollow,
                               fixed ? "set shape = \"mesh\""
                                     : "a moving body needs a hull for now: fix it in place with role = "
                                       "\"static\" and shape = \"mesh\", or accept it"),
                   {b.name},
                   fit.plugged});
  }
}

void checkOverlaps(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out) {
  for (const measure::Depth& d : measure::startOverlaps(built.scene)) {
    if (d.share < kOverlap) continue;
    const std::string &a = built.scene.pieces[d.a.index()].name, &b = built.scene.pieces[d.b.index()].name;
    out.push_back({Severity::Error,
                   "overlap",
                   fmt::format("'{}' and '{}' overlap at the start by {:.4g} {} ({:.3g} % of the smaller): "
                               "move them apart, or thin one",
                               a, b, d.depth / setup.unit, setup.units, 100 * d.share),
                   {a, b},
                   d.depth});
  }
}

void checkScale(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out) {
  for (std::size_t i = 0; i < built.scene.prototypes.size(); ++i) {
    const double size = built.scene.prototypes[i].traits.size;
    if (built.prototype_bodies[i].geometry == Geometry::Ground || (size >= 1e-3 && size <= 1e3)) continue;
    out.push_back({Severity::Warning,
                   "scale",
                   fmt::format("body '{}' is {:.4g} m across: is units = \"{}\" right?",
                               built.prototype_bodies[i].name, size, setup.units),
                   {built.prototype_bodies[i].name},
                   size});
  }
}

}  // namespace

std::vector<Finding> checkScene(const Setup& setup, const BuiltScene& built) {
  std::vector<Finding> out;
  checkOverlaps(setup, built, out);
  checkPlugs(built, out);
  checkMeshes(setup, built, out);
  checkScale(setup, built, out);
  for (const std::string& n : built.notes) out.push_back({Severity::Note, "place", n, {}, 0});
  std::stable_sort(out.begin(), out.end(),
                   [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
  return out;
}

const char* roleName(world::Role r) {
  return r == world::Role::Static ? "static" : r == world::Role::Kinematic ? "kinematic" : "dynamic";
}

std::vector<ListedBody> listBodies(const BuiltScene& built) {
  std::vector<ListedBody> out;
  for (std::size_t i = 0; i < built.scene.prototypes.size(); ++i) {
    const world::Prototype& p = built.scene.prototypes[i];
    const BodySetup& b = built.prototype_bodies[i];
    ListedBody l;
    l.name = p.name;
    l.role = roleName(b.role);
    const bool box = b.shape == "box" || (b.shape == "auto" && b.geometry == Geometry::Box);
    l.shape = p.shape.kind != shape::Kind::Convex ? shape::kindName(p.shape.kind)
              : box                               ? "box"
                    : fmt::format("hull, {} corners", p.shape.convex->vertices.size());
    l.material = b.material.empty() ? "-" : b.material;
    l.copies = static_cast<std::size_t>(
        std::count_if(built.scene.pieces.begin(), built.scene.pieces.end(),
                      [&](const world::Piece& q) { return q.prototype.index() == i; }));
    l.mass = b.role == world::Role::Dynamic ? p.traits.mass() : 0;
    l.size = b.geometry == Geometry::Ground ? 0 : p.traits.size;
    const measure::Fit fit = fitOf(built, i);
    l.hollow = fit.hollow;
    l.plugged = fit.plugged;
    out.push_back(l);
  }
  return out;
}

}  // namespace drubble::files
