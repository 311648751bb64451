// SPDX-License-Identifier: Apache-2.0
#include "files/setup/build_scene.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "core/base/trig.h"
#include "core/place/grid.h"
#include "core/place/room.h"
#include "core/world/prototypes.h"
#include "files/setup/body_maker.h"
#include "files/setup/build_acts.h"
#include "files/setup/build_joints.h"
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
  explicit Builder(const Setup& s) : s_(s) {}

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
    if (!problems_.empty()) throw Error(ErrorKind::Input, problems_);
    addBodies();
    for (const PlaceSetup& p : s_.places)
      if (p.enabled) addPlace(p);
    checkNames();
    if (problems_.empty()) addActs(s_, out_, problems_);
    if (problems_.empty()) addJoints(s_, out_, problems_);
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

  void addPrototype(const BodySetup& b) {
    const MaterialId material = materialNamed(s_, b.material, out_.scene);
    if (b.geometry == Geometry::Group) return addGroup(b, material);
    const double density = b.density.value_or(out_.scene.materials[material.index()].density);
    add(b, maker_.make(b, density, out_.notes), material);
  }

  void addGroup(const BodySetup& b, MaterialId material) {
    std::vector<world::Prototype> parts;
    std::vector<Pose> poses;
    mesh::TriangleMesh whole;
    for (const GroupPart& part : b.parts) {
      const auto found = prototype_of_.find(part.body);
      if (found == prototype_of_.end()) {
        std::set<std::string> known;
        for (const auto& [name, unused] : prototype_of_) known.insert(name);
        const std::string near = nearest(part.body, known);
        throw Error(ErrorKind::Input,
                    fmt::format("group '{}': no body is called '{}'{}", b.name, part.body,
                                near.empty() ? "" : "; did you mean '" + near + "'?"),
                    part.where);
      }
      const world::Prototype& p = out_.scene.prototypes[found->second.index()];
      const Pose at{part.at, turnXyz(part.turn)};
      if (!p.bends.empty())
        throw Error(
            ErrorKind::Input,
            fmt::format("group '{}': part '{}' changes its form with its numbered meshes, and what is "
                        "joined keeps its form: leave it out, and let it follow the same [[motion]]",
                        b.name, part.body),
            part.where);
      parts.push_back(p);
      poses.push_back({at.position - at.turn * out_.anchors[found->second.index()], at.turn});
      mesh::append(whole, mesh::transformed(p.mesh, Vec3::Ones(), poses.back()));
      used_in_groups_.insert(part.body);
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

  void add(const BodySetup& b, MadeBody made, MaterialId material) {
    world::Prototype& p = made.prototype;
    p.material = material;
    p.colour = b.colour.value_or(b.role == world::Role::Static
                                     ? std::array{0.66, 0.62, 0.56}
                                     : kColours[out_.scene.prototypes.size() % kColours.size()]);
    p.show = b.show;
    p.shape.margin = b.margin;
    p.traits.gravity_share = b.gravity_share;
    p.traits.travel_damping = b.travel_damping;
    p.traits.spin_damping = b.spin_damping;
    p.traits.free_travel = b.free_travel;
    p.traits.free_turn = b.free_turn;
    prototype_of_[b.name] = PrototypeId(out_.scene.prototypes.size());
    out_.anchors.push_back(anchorOf(b, p));
    out_.hull_losses.push_back(made.hull_loss);
    out_.scene.prototypes.push_back(std::move(p));
    out_.prototype_bodies.push_back(b);
    out_.meshes.push_back(std::move(made.mesh));
  }

  // Where `at` and `turn` hold the body: its mesh's origin, its centre of mass, or the middle of its base;
  // body space.
  Vec3 anchorOf(const BodySetup& b, const world::Prototype& p) const {
    if (b.origin == Origin::Centre || b.geometry == Geometry::Ground) return Vec3::Zero();
    if (b.origin == Origin::Mesh) return p.origin;
    const Box box = p.mesh.bounds();
    const Vec3 up = s_.up();
    return box.centre() - up * (0.5 * box.size().dot(up));
  }

  void addPiece(const std::string& name, PrototypeId prototype, const Pose& centre, const Where& where) {
    const BodySetup& b = out_.prototype_bodies[prototype.index()];
    world::Piece piece;
    piece.name = name;
    piece.prototype = prototype;
    piece.role = b.role;
    piece.start = centre;
    piece.velocity = b.velocity;
    piece.spin = b.spin;
    piece.collide = b.collide;
    piece.start_state = b.start;
    piece.wake_above = b.wake_above;
    out_.scene.pieces.push_back(piece);
    wheres_.push_back(where);
  }

  void addBodies() {
    std::set<std::string> copied = used_in_groups_;
    for (const PlaceSetup& p : s_.places)
      for (const auto& c : p.copies) copied.insert(c.body);
    for (const auto& [name, prototype] : prototype_of_) {
      if (copied.contains(name)) continue;
      order_.push_back(prototype);
    }
    std::sort(order_.begin(), order_.end());
    for (const PrototypeId prototype : order_) {
      const BodySetup& b = out_.prototype_bodies[prototype.index()];
      Pose pose{b.at, turnXyz(b.turn)};
      if (b.geometry == Geometry::Ground) pose.position += b.ground * s_.up();
      pose.position -= pose.turn * out_.anchors[prototype.index()];
      addPiece(b.name, prototype, pose, b.where);
    }
  }

  void addPlace(const PlaceSetup& p) {
    place::GridSpec g;
    g.name = p.name;
    g.seed = p.seed;
    g.count = p.count;
    g.base = {p.at, turnXyz(p.turn)};
    g.up = s_.up();
    g.vary_at = p.vary_at;
    g.vary_turn = p.vary_turn;
    std::vector<PrototypeId> prototypes;
    Vec3 largest = Vec3::Zero();
    for (const auto& c : p.copies) {
      const auto found = prototype_of_.find(c.body);
      if (found == prototype_of_.end()) continue;  // switched off
      prototypes.push_back(found->second);
      g.weights.push_back(c.weight);
      largest = largest.cwiseMax(out_.scene.prototypes[found->second.index()].shape.bounds.size());
    }
    if (prototypes.empty())
      return void(
          out_.notes.push_back(fmt::format("place '{}' copies only bodies that are switched off", p.name)));
    g.spacing = p.spacing.value_or(largest + p.gap);
    fill(p, g, prototypes, largest.maxCoeff());
  }

  void fill(const PlaceSetup& p, const place::GridSpec& g, const std::vector<PrototypeId>& prototypes,
            double size) {
    place::Room room(2 * size);
    const auto& pieces = out_.scene.pieces;
    for (std::size_t i = 0; i < pieces.size(); ++i)
      if (pieces[i].collide) room.add(out_.scene.prototypeOf(i).shape, pieces[i].start);
    std::vector<std::size_t> in_room;
    for (std::size_t i = 0; i < pieces.size(); ++i)
      if (pieces[i].collide) in_room.push_back(i);
    int skipped = 0, ordinal = 0;
    std::string blocker;
    for (const place::Copy& c : place::grid(g)) {
      const PrototypeId prototype = prototypes[c.prototype];
      const world::Prototype& proto = out_.scene.prototypes[prototype.index()];
      const BodySetup& b = out_.prototype_bodies[prototype.index()];
      const std::string name = fmt::format("{}/{:04}", p.name, ++ordinal);
      if (b.collide) {
        if (const int hit = room.blockedBy(proto.shape, c.pose, 1e-6 * proto.traits.size); hit >= 0) {
          blocker = pieces[in_room[static_cast<std::size_t>(hit)]].name;
          if (p.no_room_is_error) {
            problems_.push_back(
                {fmt::format("'{}' finds no room: it would overlap '{}'; widen the spacing or vary less",
                             name, blocker),
                 p.where});
            return;
          }
          ++skipped;
          continue;
        }
        room.add(proto.shape, c.pose);
        in_room.push_back(pieces.size());
      }
      addPiece(name, prototype, c.pose, p.where);
    }
    if (skipped > 0)
      out_.notes.push_back(fmt::format(
          "place '{}': {} of {} copies found no room and were left out (the last would have overlapped '{}')",
          p.name, skipped, ordinal, blocker));
  }

  void checkNames() {
    std::map<std::string, std::size_t> seen;
    for (std::size_t i = 0; i < out_.scene.pieces.size(); ++i) {
      const auto [it, fresh] = seen.emplace(out_.scene.pieces[i].name, i);
      if (!fresh)
        problems_.push_back(
            {fmt::format("two pieces are called '{}': rename one of them", out_.scene.pieces[i].name),
             wheres_[i]});
    }
    if (out_.scene.pieces.empty())
      problems_.push_back(
          {"the setup makes no pieces: every body is switched off or only copied", Where{s_.path, 0, 0, ""}});
  }

  const Setup& s_;
  BuiltScene out_;
  std::map<std::string, PrototypeId> prototype_of_;
  std::vector<PrototypeId> order_;
  std::vector<Where> wheres_;  // of each piece
  std::vector<Problem> problems_;
  std::set<std::string> used_in_groups_;
  BodyMaker maker_{s_};
};

}  // namespace

BuiltScene buildScene(const Setup& s) { return Builder(s).build(); }

}  // namespace drubble::files
