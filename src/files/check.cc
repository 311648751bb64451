// SPDX-License-Identifier: Apache-2.0
#include "files/check.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/measure/fit.h"
#include "core/measure/penetration.h"
#include "core/mesh/mend.h"
#include "files/check_bonds.h"
#include "files/check_details.h"
#include "files/check_joints.h"
#include "files/check_pours.h"

namespace drubble::files {

namespace {

constexpr double kHollow = 0.1;    // of the outline: less is no container
constexpr double kPlugged = 0.25;  // of the hollow part
constexpr double kProud = 0.05;    // of the size: a gap that the eye finds
constexpr double kSlowing = 0.5;   // of the top speed: a release slower than this was eased
constexpr double kOverlap = 1e-3;  // of the smaller piece: below it is rounding
constexpr double kPressed = 0.02;  // and below this, of what lay so in a cache, it is how it rests

// Only closed meshes have an inside to plug.
measure::Fit fitOf(const BuiltScene& built, std::size_t i) {
  const world::Prototype& p = built.scene.prototypes[i];
  const bool convex = p.exact_shape && p.shape.kind == shape::Kind::Convex;
  if (built.prototype_bodies[i].geometry != Geometry::Mesh || convex ||
      !mesh::closedness(mesh::welded(p.mesh)).closed())
    return {};
  return measure::cavityFit(p.mesh, p.shape);
}

// Some piece is made from it.
bool inUse(const BuiltScene& built, std::size_t prototype) {
  return std::any_of(built.scene.pieces.begin(), built.scene.pieces.end(),
                     [&](const world::Piece& p) { return p.prototype.index() == prototype; });
}

void checkMeshes(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out) {
  for (std::size_t i = 0; i < built.meshes.size(); ++i) {
    const BodySetup& b = built.prototype_bodies[i];
    if (b.geometry != Geometry::Mesh || b.cut) continue;
    const mesh::Diagnosis d = mesh::diagnose(built.meshes[i]);
    const mesh::Closedness& c = d.edges;
    const auto say = [&](Severity s, const std::string& text) {
      out.push_back({s, "mesh", fmt::format("body '{}' ({}): {}", b.name, b.mesh, text), {b.name}, 0});
    };
    const auto place = [&](const Vec3& p) {
      const Vec3 at = p / setup.unit;
      return fmt::format("one near [{:.4g}, {:.4g}, {:.4g}]", at.x(), at.y(), at.z());
    };
    if (!c.closed())
      say(c.flipped_edges + c.crowded_edges > 0 ? Severity::Warning : Severity::Note,
          fmt::format("the mesh is open: {} open, {} flipped, {} crowded edges, {}; fine for a static "
                      "surface, not for "
                      "anything that moves by itself; mend = true tries to close it",
                      c.open_edges, c.flipped_edges, c.crowded_edges, place(c.first_open)));
    if (d.inside_out)
      say(Severity::Warning, "the mesh is inside-out: turn its faces round, or set mend = true");
    if (c.flat_triangles + d.duplicates > 0)
      say(Severity::Warning,
          fmt::format("{} triangles have no area and {} are there twice: clean the mesh, or set "
                      "mend = true",
                      c.flat_triangles, d.duplicates));
    if (d.slivers > 0)
      say(Severity::Note,
          fmt::format("{} triangles are slivers, a ten-thousandth as high as long", d.slivers));
    if (d.crossings > 0)
      say(Severity::Warning,
          fmt::format("{}{} pairs of triangles cut through each other, {}: its volume and its inside are "
                      "not what they seem; take the parts apart, or unite them",
                      d.crossings, d.crossings >= 100 ? " or more" : "", place(d.first_crossing)));
    const Box box = built.meshes[i].bounds();
    const double away = box.centre().norm(), size = box.size().norm();
    if (away > 10 * size)
      say(Severity::Warning,
          fmt::format("the mesh lies {:.4g} {} from its origin, {:.0f} times its size: set origin = "
                      "\"centre\", or move it when exporting",
                      away / setup.unit, setup.units, away / size));
  }
}

// A curved piece of a cut is no container: what its hull fills is said by how far that stands proud.
bool plugs(const BuiltScene& built, std::size_t prototype) {
  const measure::Fit f = fitOf(built, prototype);
  return !built.prototype_bodies[prototype].cut && f.hollow >= kHollow && f.plugged >= kPlugged;
}

void checkPlugs(const BuiltScene& built, std::vector<Finding>& out) {
  for (std::size_t i = 0; i < built.scene.prototypes.size(); ++i) {
    if (!plugs(built, i)) continue;
    const measure::Fit fit = fitOf(built, i);
    const BodySetup& b = built.prototype_bodies[i];
    const bool fixed = b.role != world::Role::Dynamic;
    out.push_back(
        {fixed ? Severity::Error : Severity::Warning,
         "plugged",
         fmt::format("body '{}': its shape fills {:.0f} % of its hollow inside ({:.0f} % of its "
                     "outline is hollow), so nothing can get in; {}",
                     b.name, 100 * fit.plugged, 100 * fit.hollow,
                     fixed
                         ? "set shape = \"mesh\""
                         : "set shape = \"parts\", or lead it by keys with role = \"kinematic\" and shape = "
                           "\"mesh\""),
         {b.name},
         fit.plugged});
  }
}

void checkOverlaps(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out) {
  const auto before = [&](PieceId p) {
    return std::binary_search(built.as_before.begin(), built.as_before.end(), p) ||
           built.scene.pieces[p.index()].role != world::Role::Dynamic;
  };
  for (const measure::Depth& d : measure::startOverlaps(built.scene)) {
    if (d.share < kOverlap || (d.share < kPressed && before(d.a) && before(d.b))) continue;
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

// Shapes that stand proud of their meshes, or let them stick out.
void checkFits(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out) {
  for (std::size_t i = 0; i < built.scene.prototypes.size(); ++i) {
    const world::Prototype& p = built.scene.prototypes[i];
    const BodySetup& b = built.prototype_bodies[i];
    if (p.exact_shape || b.geometry == Geometry::Group || !inUse(built, i)) continue;
    const measure::ShapeFit fit = measure::shapeFit(p.mesh, p.shape);
    const double worst = greatest(fit.outward, fit.inward);
    if (worst < kProud * p.traits.size || plugs(built, i)) continue;  // a plug is said by checkPlugs
    const bool proud = fit.outward >= fit.inward;
    const char* mend = b.shape == "parts" || (b.shape == "auto" && !b.cut) ? "raise most_parts, or lower fit"
                       : b.cut ? "cut it into smaller pieces there, or set shape = \"parts\""
                       : b.shape == "hull"
                           ? "set shape = \"parts\", or \"mesh\" if it need not move by itself"
                           : "try shape = \"auto\" or \"parts\"";
    const bool in_parts = p.shape.kind == shape::Kind::Joined;
    out.push_back(
        {Severity::Warning,
         "fit",
         fmt::format("body '{}': its {} {} by up to {:.3g} {} ({:.0f} % of its size; {:.2f} times its "
                     "volume): {}; look with draw --show both",
                     p.name, in_parts ? "shape in parts" : shape::kindName(p.shape.kind),
                     proud ? "stands proud of the mesh" : "lets the mesh stick out", worst / setup.unit,
                     setup.units, 100 * worst / p.traits.size, fit.volume_ratio, mend),
         {p.name},
         worst});
  }
}

void checkCutShapes(const BuiltScene& built, std::vector<Finding>& out) {
  for (const BuiltScene::CutBody& cut : built.cuts) {
    const BodySetup& b = built.prototype_bodies[cut.first];
    if (b.shape != "mesh") continue;
    out.push_back(
        {Severity::Warning,
         "cut",
         fmt::format("body '{}' is cut: its pieces are felt as their hulls, not as its mesh; for hollow "
                     "ones set shape = \"parts\"",
                     cut.name),
         {cut.name},
         0});
  }
}

void checkForms(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out) {
  for (const world::Prototype& p : built.scene.prototypes) {
    const int last = p.bends_from + static_cast<int>(p.bends.size()) - 1;
    if (p.bends.empty() || (p.bends_from <= setup.first_frame && last >= setup.last_frame)) continue;
    out.push_back(
        {Severity::Note,
         "forms",
         fmt::format("body '{}' changes its form in frames {} to {}, and the shot is {} to {}: beyond "
                     "them it keeps the first or the last; mesh_from moves them",
                     p.name, p.bends_from, last, setup.first_frame, setup.last_frame),
         {p.name},
         0});
  }
}

void checkMotions(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out) {
  for (const BuiltScene::IgnoredMotion& m : built.ignored_motions) {
    const std::string& name = built.scene.pieces[m.piece.index()].name;
    out.push_back({Severity::Warning,
                   "keys",
                   fmt::format("'{}' is static: its keys are ignored; give it role = \"kinematic\"", name),
                   {name},
                   0});
  }
  for (const world::Mover& m : built.scene.movers) {
    if (!m.release_frame || m.waits || m.leader.valid()) continue;
    const auto speedAt = [&](double frame) {
      const Pose a = built.scene.moverPose(m, frame - 0.05), b = built.scene.moverPose(m, frame);
      return (b.position - a.position).norm() / (0.05 * built.scene.frameSeconds(frame));
    };
    double top = 0;
    for (double f = setup.first_frame + 0.05; f <= *m.release_frame; f += 0.25)
      top = greatest(top, speedAt(f));
    const double at_release = speedAt(*m.release_frame);
    if (!(at_release < kSlowing * top)) continue;
    const std::string& name = built.scene.pieces[m.piece.index()].name;
    out.push_back(
        {Severity::Warning,
         "eased",
         fmt::format("'{}' is released at frame {} with {:.3g} {}/s, after {:.3g} before: its keys slow it "
                     "down; use ease = \"linear\", or release it earlier",
                     name, *m.release_frame, at_release / setup.unit, setup.units, top / setup.unit),
         {name},
         at_release / top});
  }
}

}  // namespace

std::vector<Finding> checkScene(const Setup& setup, const BuiltScene& built) {
  std::vector<Finding> out;
  checkOverlaps(setup, built, out);
  checkPlugs(built, out);
  checkFits(setup, built, out);
  checkCutShapes(built, out);
  checkForms(setup, built, out);
  checkMotions(setup, built, out);
  checkJoints(setup, built, out);
  checkBonds(setup, built, out);
  checkMeshes(setup, built, out);
  checkScale(setup, built, out);
  checkPours(built, out);
  checkDetails(setup, built, out);
  for (const std::string& n : built.notes)
    if (!n.starts_with("[[bond]]"))
      out.push_back({Severity::Note, "place", n, {}, 0});  // a finding of its own
  std::stable_sort(out.begin(), out.end(),
                   [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
  return out;
}

std::vector<Meeting> listMeetings(const BuiltScene& built) {
  std::vector<Meeting> out;
  const auto& materials = built.scene.materials;
  // Which materials there are among pieces that collide, and among those that move.
  std::vector<char> there(materials.size(), 0), moving(materials.size(), 0);
  for (std::size_t i = 0; i < built.scene.pieces.size(); ++i) {
    if (!built.scene.pieces[i].collide) continue;
    const std::size_t m = built.scene.prototypeOf(i).material.index();
    there[m] = 1;
    if (built.scene.pieces[i].role == world::Role::Dynamic) moving[m] = 1;
  }
  const auto named = [&](std::size_t m) { return materials[m].name.empty() ? "(none)" : materials[m].name; };
  for (std::size_t a = 0; a < materials.size(); ++a)
    for (std::size_t b = a; b < materials.size(); ++b)
      if (there[a] && there[b] && (moving[a] || moving[b]))
        out.push_back({named(a), named(b), world::combine(materials[a], materials[b])});
  return out;
}

namespace {

// The pieces of a cut body as one: the mean of their masses, the largest size.
ListedBody listCut(const BuiltScene& built, const BuiltScene::CutBody& cut) {
  ListedBody l;
  const BodySetup& b = built.prototype_bodies[cut.first];
  l.name = cut.name + "/*";
  l.role = world::roleName(b.role);
  std::uint32_t in_parts = 0;
  for (std::uint32_t i = cut.first; i < cut.first + cut.count; ++i)
    in_parts += built.scene.prototypes[i].shape.kind == shape::Kind::Joined ? 1 : 0;
  l.shape = fmt::format("{} pieces' hulls", cut.count - in_parts);
  if (in_parts > 0) l.shape += fmt::format(", {} in parts", in_parts);
  l.material = b.material.empty() ? "-" : b.material;
  for (const world::Piece& q : built.scene.pieces)
    l.copies += cut.numberOf(q.prototype.index()) < cut.count ? 1 : 0;
  for (std::uint32_t i = cut.first; i < cut.first + cut.count; ++i) {
    const solve::Traits& t = built.scene.prototypes[i].traits;
    if (b.role == world::Role::Dynamic) l.mass += t.mass() / cut.count;
    l.size = greatest(l.size, t.size);
  }
  return l;
}

}  // namespace

std::vector<ListedBody> listBodies(const BuiltScene& built) {
  std::vector<ListedBody> out;
  for (std::size_t i = 0; i < built.scene.prototypes.size(); ++i) {
    const auto cut = std::find_if(built.cuts.begin(), built.cuts.end(),
                                  [&](const BuiltScene::CutBody& c) { return c.numberOf(i) < c.count; });
    if (cut != built.cuts.end()) {
      if (i == cut->first) out.push_back(listCut(built, *cut));
      continue;
    }
    const world::Prototype& p = built.scene.prototypes[i];
    const BodySetup& b = built.prototype_bodies[i];
    ListedBody l;
    l.name = p.name;
    l.role = world::roleName(b.role);
    const bool box = b.shape == "box" || (b.shape == "auto" && b.geometry == Geometry::Box);
    l.shape = p.shape.kind == shape::Kind::Joined   ? fmt::format("{} parts", p.shape.parts->size())
              : p.shape.kind != shape::Kind::Convex ? shape::kindName(p.shape.kind)
              : box                                 ? "box"
                    : fmt::format("hull, {} corners", p.shape.convex->vertices.size());
    l.material = b.material.empty() ? "-" : b.material;
    l.copies = static_cast<std::size_t>(
        std::count_if(built.scene.pieces.begin(), built.scene.pieces.end(),
                      [&](const world::Piece& q) { return q.prototype.index() == i; }));
    l.mass = b.role == world::Role::Dynamic ? p.traits.mass() : 0;
    l.size = b.geometry == Geometry::Ground ? 0 : p.traits.size;
    const measure::Fit fit = fitOf(built, i);
    if (!p.exact_shape && b.geometry != Geometry::Ground) {
      const measure::ShapeFit gaps = measure::shapeFit(p.mesh, p.shape);
      l.outward = gaps.outward;
      l.inward = gaps.inward;
      l.volume_ratio = gaps.volume_ratio;
    }
    l.hull_loss = built.hull_losses.size() > i ? built.hull_losses[i] : 0;
    l.hollow = fit.hollow;
    l.plugged = fit.plugged;
    out.push_back(l);
  }
  return out;
}

}  // namespace drubble::files
