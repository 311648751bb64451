// SPDX-License-Identifier: Apache-2.0
#include "files/setup/build_scene.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>
#include <set>
#include <tuple>

#include "core/base/random.h"
#include "core/base/trig.h"
#include "core/mesh/mass.h"
#include "core/world/prototypes.h"
#include "files/setup/body_maker.h"
#include "files/setup/build_acts.h"
#include "files/setup/build_bonds.h"
#include "files/setup/build_joints.h"
#include "files/setup/build_pours.h"
#include "files/setup/build_rules.h"
#include "files/setup/cut_maker.h"
#include "files/setup/kit_sizes.h"
#include "files/setup/kits.h"
#include "files/setup/select.h"
#include "files/setup/start_from.h"
#include "files/setup/table.h"

namespace drubble::files {

namespace {

// Easily told apart, muted: used in order for bodies without a colour of their own.
constexpr std::array<std::array<double, 3>, 6> kColours = {{{0.78, 0.36, 0.20},
                                                            {0.20, 0.45, 0.55},
                                                            {0.85, 0.68, 0.28},
                                                            {0.45, 0.55, 0.33},
                                                            {0.55, 0.42, 0.58},
                                                            {0.62, 0.60, 0.56}}};

class Builder {
 public:
  Builder(const Setup& s, const Building& how) : s_(s), how_(how) {}

  BuiltScene build() {
    copyWhole();
    for (const BodySetup& b : s_.bodies) {
      if (!b.enabled) continue;
      try {
        for (const BodySetup& part : maker_.split(b)) addPrototype(part);
      } catch (const Error& e) {
        for (Problem p : e.problems()) {
          const bool placed = p.where && p.where->line > 0;
          if (!placed)
            p = {fmt::format("body '{}': {}{}", b.name, p.where ? p.where->path + ": " : "", p.message),
                 b.where};
          if (b.geometry == Geometry::Mesh && !placed && b.mesh_where.line > 0) p.where = b.mesh_where;
          problems_.push_back(p);
        }
      }
    }
    for (const BodySetup& b : s_.bodies)
      if (std::error_code none;
          b.enabled && !b.detail.empty() &&
          !std::filesystem::exists(std::filesystem::path(s_.path).parent_path() / b.detail, none))
        problems_.push_back(
            {fmt::format("body '{}': no such file as its detail, '{}'", b.name, b.detail), b.detail_where});
    if (!problems_.empty()) throw Error(ErrorKind::Input, problems_);
    placeAll();
    std::unique_ptr<StartFrom> from;
    if (s_.start_from && problems_.empty()) {
      from = std::make_unique<StartFrom>(s_, *s_.start_from);
      from->leaveOut(out_);
    }
    if (problems_.empty()) addActs(s_, out_, problems_);
    if (problems_.empty()) addJoints(s_, out_, problems_);
    if (from && problems_.empty()) from->apply(Selecting(s_, out_, problems_).take(s_.start_from->who), out_);
    if (problems_.empty()) addBonds(s_, out_, problems_);
    if (from)
      std::erase_if(out_.scene.bonds, [&](const bond::Bond& b) {
        return from->brokeBond(out_.scene.pieces[b.a.index()].name, out_.scene.pieces[b.b.index()].name);
      });
    if (problems_.empty()) checkUnborn(s_, out_, problems_);
    if (problems_.empty()) addRules(s_, out_, problems_);
    if (!problems_.empty()) throw Error(ErrorKind::Input, problems_);
    return std::move(out_);
  }

 private:
  void copyWhole() {
    world::Scene& c = out_.scene;
    c.gravity = s_.gravity;
    c.up = s_.up();
    c.fps = s_.fps;
    c.time_scale = s_.time_scale;
    c.time_scales = s_.time_scales;
    c.first_frame = s_.first_frame;
    c.last_frame = s_.last_frame;
    c.solver = s_.solver;
    c.keep_inside = s_.keep_inside;
  }

  void addPrototype(BodySetup b) {
    if (!b.colour && b.geometry != Geometry::Group) b.colour = colourByTurn(b);
    const MaterialId material = materialNamed(s_, b.material, out_.scene);
    if (b.geometry == Geometry::Group) return addGroup(b, material);
    const double density = b.density.value_or(out_.scene.materials[material.index()].density);
    const bool cut = isCut(s_, b.name);
    BodySetup whole = b;
    if (cut && b.shape == "parts") whole.shape = "hull";  // its pieces come in parts
    MadeBody made = maker_.make(whole, density, out_.notes);
    if (cut) return addPieces(b, made, material);
    add(b, std::move(made), material);
  }

  // The body as the pieces that it is cut into, each a prototype of its own.
  void addPieces(const BodySetup& b, const MadeBody& whole, MaterialId material) {
    const world::Prototype& p = whole.prototype;
    const double density = p.traits.mass() > 0 ? p.traits.mass() / mesh::massProperties(whole.mesh).volume
                                               : out_.scene.materials[material.index()].density;
    CutPieces made = cutBody(s_, b.name, whole.mesh, how_);
    out_.notes.insert(out_.notes.end(), made.notes.begin(), made.notes.end());
    cut::Cut& cut = made.cut;
    Kit kit;
    kit.name = b.name;
    kit.where = b.where;
    kit.apart = true;
    kit.velocity = b.velocity;
    kit.spin = b.spin;
    kit.pose = {b.at, turnXyz(b.turn)};
    kit.pose.position -= kit.pose.turn * anchorOf(b, p);
    kit.size = p.shape.bounds.size();
    const auto first = u32(out_.scene.prototypes.size());
    const std::array<double, 3>& colour = *b.colour;
    std::vector<BodySetup> bodies;
    std::vector<std::vector<cut::Source>> sources;
    for (std::size_t k = 0; k < cut.pieces.size(); ++k) {
      BodySetup& piece = bodies.emplace_back(b);
      piece.name = b.name + "/" + made.numbers[k];
      piece.geometry = Geometry::Mesh;
      piece.cut = true;
      piece.whole_anchor = (anchorOf(b, p) - p.origin) / b.scale;
      piece.velocity = piece.spin = Vec3::Zero();
      piece.colour = shadeOf(colour, piece.name);
      sources.push_back(std::move(cut.pieces[k].sources));
    }
    std::vector<MadeBody> pieces(bodies.size());
    const double tolerance = b.fit * whole.mesh.bounds().size().maxCoeff();
    const PartStore store_of_parts(how_.store);
    shareOrAlone(how_.team, bodies.size(), 16, [&](std::size_t, std::size_t begin, std::size_t end) {
      for (std::size_t k = begin; k < end; ++k)
        pieces[k] = pieceOf(bodies[k], std::move(cut.pieces[k].mesh), density, tolerance, store_of_parts);
    });
    for (std::size_t k = 0; k < bodies.size(); ++k) {
      world::Prototype& made_piece = pieces[k].prototype;
      if (made.rough.amount > 0) {
        cut::RoughMesh seen = cut::roughened(pieces[k].mesh, sources[k], cut.interfaces, made.rough);
        for (Vec3& v : seen.mesh.vertices) v += made_piece.origin;
        made_piece.mesh = std::move(seen.mesh);
        for (const cut::Source& s : seen.sources) made_piece.inside.push_back(s.inside ? 1 : 0);
      } else {
        for (const cut::Source& s : sources[k]) made_piece.inside.push_back(s.inside ? 1 : 0);
      }
      made_piece.inside_colour = made.inside_colour.value_or(paler(colour));
      // The piece's origin is its centre of mass, the kit's that of the whole.
      const Vec3 offset = p.origin - pieces[k].prototype.origin;
      kit.parts.push_back({PrototypeId(first + k), {offset, Quat::Identity()}, made.numbers[k]});
      store(bodies[k], std::move(pieces[k]), material);
    }
    out_.cuts.push_back({b.name,
                         first,
                         u32(bodies.size()),
                         std::move(made.cut.slivers),
                         made.lost,
                         made.gap,
                         made.cut.taken,
                         made.rough,
                         whole.mesh,
                         std::move(cut.interfaces),
                         std::move(sources),
                         std::move(made.steps),
                         {}});
    kits_.emplace(b.name, std::move(kit));
    order_.push_back(b.name);
  }

  // The prototype that a group's part is made from.
  PrototypeId partOf(const BodySetup& group, const GroupPart& part) {
    const auto found = prototype_of_.find(part.body);
    if (found != prototype_of_.end()) {
      copied_.insert(part.body);
      return found->second;
    }
    std::string why = "no body is called";
    std::set<std::string> known;
    for (const auto& [name, unused] : prototype_of_) known.insert(name);
    for (const BodySetup& b : s_.bodies) {
      if (b.name != part.body) continue;
      why = b.enabled ? "a part must be one body and stand above it in the file, unlike"
                      : "switched off, but needed, is";
    }
    const std::string near = nearest(part.body, known);
    throw Error(ErrorKind::Input,
                fmt::format("group '{}': {} '{}'{}", group.name, why, part.body,
                            near.empty() ? "" : "; did you mean '" + near + "'?"),
                part.where);
  }

  void addGroup(const BodySetup& b, MaterialId material) {
    if (b.joined) return addJoined(b, material);
    std::vector<PrototypeId> parts;
    for (const GroupPart& part : b.parts) parts.push_back(partOf(b, part));
    kits_.emplace(b.name, kitOf(out_, b, parts, s_.up()));
    order_.push_back(b.name);
  }

  void addJoined(const BodySetup& b, MaterialId material) {
    std::vector<world::Prototype> parts;
    std::vector<Pose> poses;
    mesh::TriangleMesh whole;
    for (const GroupPart& part : b.parts) {
      const PrototypeId id = partOf(b, part);
      const world::Prototype& p = out_.scene.prototypes[id.index()];
      const Pose at{part.at, turnXyz(part.turn)};
      if (!p.bends.empty())
        throw Error(
            ErrorKind::Input,
            fmt::format("group '{}': part '{}' changes its form with its numbered meshes, and what is "
                        "joined keeps its form: leave it out, and let it follow the same [[motion]]",
                        b.name, part.body),
            part.where);
      parts.push_back(p);
      poses.push_back({at.position - at.turn * out_.anchors[id.index()], at.turn});
      mesh::append(whole, mesh::transformed(p.mesh, Vec3::Ones(), poses.back()));
      if (b.role == world::Role::Dynamic && !(p.traits.inverse_mass > 0))
        throw Error(
            ErrorKind::Input,
            fmt::format("group '{}' moves by itself, but its part '{}' is felt as a mesh: give that body "
                        "role = \"dynamic\" and a shape like \"hull\"",
                        b.name, part.body),
            part.where);
    }
    MadeBody made{world::joinedPrototype(b.name, parts, poses), std::move(whole), 0};
    if (b.density && made.prototype.traits.mass() > 0)
      world::setWeight(made.prototype, *b.density * made.prototype.volume);
    weigh(b, made.prototype);
    add(b, std::move(made), b.material.empty() ? parts.front().material : material);
    if (!b.colour) out_.scene.prototypes.back().colour = parts.front().colour;
  }

  // Of what has none of its own; all its pieces and sizes have the same.
  std::array<double, 3> colourByTurn(const BodySetup& b) {
    if (b.role == world::Role::Static || b.geometry == Geometry::Ground) return {0.66, 0.62, 0.56};
    return kColours[colours_given_++ % kColours.size()];
  }

  void add(const BodySetup& b, MadeBody made, MaterialId material) {
    const PrototypeId id(out_.scene.prototypes.size());
    prototype_of_[b.name] = id;
    order_.push_back(b.name);
    store(b, std::move(made), material);
    kits_.emplace(b.name, kitOf(out_, id, s_.up()));
  }

  void store(const BodySetup& b, MadeBody made, MaterialId material) {
    world::Prototype& p = made.prototype;
    p.material = material;
    if (b.colour) p.colour = *b.colour;
    p.show = b.show;
    p.shape.margin = b.margin;
    p.traits.gravity_share = b.gravity_share;
    p.traits.travel_damping = b.travel_damping;
    p.traits.spin_damping = b.spin_damping;
    p.traits.free_travel = b.free_travel;
    p.traits.free_turn = b.free_turn;
    out_.anchors.push_back(anchorOf(b, p));
    out_.hull_losses.push_back(made.hull_loss);
    out_.scene.prototypes.push_back(std::move(p));
    out_.prototype_bodies.push_back(b);
    out_.meshes.push_back(std::move(made.mesh));
  }

  void placeAll() {
    Placer placer(s_, out_, problems_);
    const auto store_one = [&](const BodySetup& b, MadeBody made, MaterialId m) {
      store(b, std::move(made), m);
    };
    KitMaker sizes(s_, out_, maker_, kits_, store_one, problems_);
    for (const PlaceSetup& p : s_.places)
      for (const CopySetup& c : p.copies) copied_.insert(c.body);
    for (const PourSetup& p : s_.pours)
      for (const CopySetup& c : p.copies) copied_.insert(c.body);
    for (const std::string& name : order_)
      if (!copied_.contains(name)) placer.stand(kits_.at(name));
    for (const PlaceSetup& p : s_.places)
      if (p.enabled) placer.place(p, sizes.sizesOf(p.copies, p.size, p.colours));
    for (const PourSetup& p : s_.pours)
      if (p.enabled) addPour(p, sizes.sizesOf(p.copies, p.size, p.colours), out_, placer, problems_);
    placer.checkNames();
  }

  // Where `at` and `turn` hold the body: its mesh's origin, its centre of mass, or the middle of its base;
  // body space. A piece of a cut is held where its whole was.
  Vec3 anchorOf(const BodySetup& b, const world::Prototype& p) const {
    if (b.cut) return p.origin + b.scale * b.whole_anchor;
    if (b.origin == Origin::Centre || b.geometry == Geometry::Ground) return Vec3::Zero();
    if (b.origin == Origin::Mesh) return p.origin;
    const Box box = p.mesh.bounds();
    const Vec3 up = s_.up();
    return box.centre() - up * (0.5 * box.size().dot(up));
  }

  const Setup& s_;
  const Building& how_;
  BuiltScene out_;
  std::map<std::string, PrototypeId> prototype_of_;
  std::map<std::string, Kit> kits_;
  std::vector<std::string> order_;  // of the kits
  std::size_t colours_given_ = 0;
  std::vector<Problem> problems_;
  std::set<std::string> copied_;  // what is in a group, or copied by a place
  BodyMaker maker_{s_, how_};
};

}  // namespace

BuiltScene buildScene(const Setup& s, const Building& how) { return Builder(s, how).build(); }

}  // namespace drubble::files
