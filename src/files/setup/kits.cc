// SPDX-License-Identifier: Apache-2.0
#include "files/setup/kits.h"

#include <fmt/format.h>

#include "core/place/room.h"
#include "core/shape/hull.h"

namespace drubble::files {

namespace {

constexpr double kLean = 0.04;          // of a stack's copies: how far a level is off, at most
constexpr double kTwist = 6 * kDegree;  // and turned
constexpr std::uint64_t kTries = 60;    // draws for each that is scattered
constexpr std::array<double, 6> kLifts = {1e-4, 0.02, 0.05, 0.1, 0.2, 0.4};  // of a copy's height

}  // namespace

Kit kitOf(const BuiltScene& built, PrototypeId prototype, const Vec3& up) {
  const BodySetup& b = built.prototype_bodies[prototype.index()];
  Kit kit;
  kit.name = b.name;
  kit.where = b.where;
  kit.parts.push_back({prototype, {}, {}});
  kit.pose = {b.at, turnXyz(b.turn)};
  if (b.geometry == Geometry::Ground) kit.pose.position += b.ground * up;
  kit.pose.position -= kit.pose.turn * built.anchors[prototype.index()];
  kit.size = built.scene.prototypes[prototype.index()].shape.bounds.size();
  return kit;
}

Kit kitOf(const BuiltScene& built, const BodySetup& group, const std::vector<PrototypeId>& parts,
          const Vec3& up, double times) {
  Kit kit;
  kit.group = true;
  kit.times = times;
  kit.apart = true;
  kit.name = group.name;
  kit.where = group.where;
  kit.velocity = group.velocity;
  kit.spin = group.spin;
  Box box;
  double mass = 0;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    const world::Prototype& p = built.scene.prototypes[parts[k].index()];
    Pose pose{times * group.parts[k].at, turnXyz(group.parts[k].turn)};
    pose.position -= pose.turn * built.anchors[parts[k].index()];
    kit.parts.push_back({parts[k], pose, group.parts[k].name});
    box.add(shape::boundsAt(p.shape, pose));
    mass += p.traits.mass();
    kit.centre += p.traits.mass() * pose.position;
  }
  const Vec3 middle = box.centre();
  kit.size = box.size();
  kit.origin = -middle;
  kit.centre = mass > 0 ? Vec3(kit.centre / mass - middle) : Vec3(Vec3::Zero());
  for (Kit::Part& part : kit.parts) part.pose.position -= middle;
  Vec3 anchor = kit.origin;
  if (group.origin == Origin::Centre) anchor = kit.centre;
  if (group.origin == Origin::Base) anchor = -up * (0.5 * kit.size.dot(up));
  kit.pose = {group.at, turnXyz(group.turn)};
  kit.pose.position -= kit.pose.turn * anchor;
  return kit;
}

void Placer::add(const Kit& kit, const std::string& name, const Pose& pose, const Where& where) {
  for (const Kit::Part& part : kit.parts) {
    const BodySetup& b = out_.prototype_bodies[part.prototype.index()];
    world::Piece piece;
    piece.name = kit.apart ? name + "/" + part.name : name;
    piece.prototype = part.prototype;
    piece.role = b.role;
    piece.start = pose * part.pose;
    const Vec3 arm = piece.start.position - pose.toWorld(kit.centre);
    piece.velocity = b.velocity + kit.velocity + kit.spin.cross(arm);
    piece.spin = b.spin + kit.spin;
    piece.collide = b.collide;
    piece.start_state = b.start;
    piece.wake_above = b.wake_above;
    out_.scene.pieces.push_back(piece);
    wheres_.push_back(where);
  }
  if (kit.group)
    out_.group_copies.push_back({name, kit.name, {pose.toWorld(kit.origin), pose.turn}, kit.times});
}

std::uint32_t Placer::keepBack(const Kit& kit, const std::string& name, const Pose& pose,
                               const Where& where) {
  const std::size_t first = out_.scene.pieces.size();
  add(kit, name, pose, where);
  for (std::size_t i = first; i < out_.scene.pieces.size(); ++i)
    out_.scene.pieces[i].start_state = world::Start::Unborn;
  return u32(first);
}

class Placer::Taken {
 public:
  Taken(const BuiltScene& built, double size) : built_(built), room_(2 * size) { takeNew(); }

  // Pieces that were added since.
  void takeNew() {
    const world::Scene& s = built_.scene;
    for (; next_ < s.pieces.size(); ++next_) {
      if (!s.pieces[next_].collide) continue;
      room_.add(s.prototypeOf(next_).shape, s.pieces[next_].start);
      in_room_.push_back(next_);
    }
  }

  // The name of a piece that the kit would overlap; empty: none.
  std::string blockerOf(const Kit& kit, const Pose& pose) const {
    for (const Kit::Part& part : kit.parts) {
      if (!built_.prototype_bodies[part.prototype.index()].collide) continue;
      const world::Prototype& proto = built_.scene.prototypes[part.prototype.index()];
      const int hit = room_.blockedBy(proto.shape, pose * part.pose, 1e-6 * proto.traits.size);
      if (hit >= 0) return built_.scene.pieces[in_room_[static_cast<std::size_t>(hit)]].name;
    }
    return {};
  }

 private:
  const BuiltScene& built_;
  place::Room room_;
  std::vector<std::size_t> in_room_;
  std::size_t next_ = 0;
};

// What is copied, by choice and size, and what of it layouts ask for.
struct Placer::Copied {
  std::vector<std::vector<const Kit*>> kits;
  std::vector<place::Choice> choices;
  Vec3 largest = Vec3::Zero();

  Copied(const PlaceSetup& p, const KitSizes& sizes, const Vec3& up) {
    for (const CopySetup& c : p.copies) {
      const auto found = sizes.find(c.body);
      if (found == sizes.end()) continue;  // switched off
      kits.push_back(found->second);
      place::Choice& choice = choices.emplace_back();
      choice.weight = c.weight;
      for (const Kit* kit : found->second) {
        choice.heights.push_back(kit->size.dot(up));
        largest = largest.cwiseMax(kit->size);
      }
    }
  }
  const Kit& of(const place::Copy& c) const { return *kits[c.choice][c.size]; }
};

void Placer::place(const PlaceSetup& p, const KitSizes& kits) {
  const Copied copied(p, kits, s_.up());
  if (copied.kits.empty())
    return void(
        out_.notes.push_back(fmt::format("place '{}' copies only bodies that are switched off", p.name)));
  if (p.layout == LayoutKind::Scatter) return scatter(p, copied);
  place::LayoutSpec g;
  g.layout = p.layout == LayoutKind::Courses ? place::Layout::Courses
             : p.layout == LayoutKind::Stack ? place::Layout::Stack
             : p.layout == LayoutKind::Ring  ? place::Layout::Ring
                                             : place::Layout::Grid;
  g.name = p.name;
  g.seed = p.seed;
  g.count = p.count;
  g.base = {p.at, turnXyz(p.turn)};
  g.up = s_.up();
  g.choices = copied.choices;
  g.spacing = p.spacing.value_or(copied.largest + p.gap);
  const Vec3 beside = copied.largest - copied.largest.cwiseProduct(g.up);
  if (g.layout == place::Layout::Stack) g.spacing += g.up.cwiseProduct(p.gap - g.spacing);
  g.lean = p.lean.value_or(kLean * beside.maxCoeff());
  g.twist = p.twist.value_or(kTwist);
  g.shift = p.shift;
  g.radius = p.radius;
  g.arc = p.arc;
  g.leave_out = p.leave_out;
  g.vary_at = p.vary_at;
  g.vary_turn = p.vary_turn;
  fill(p, g, copied);
}

void Placer::fill(const PlaceSetup& p, const place::LayoutSpec& g, const Copied& copied) {
  Taken taken(out_, copied.largest.maxCoeff());
  int skipped = 0, ordinal = 0;
  std::string blocker;
  for (const place::Copy& c : place::layOut(g)) {
    const Kit& kit = copied.of(c);
    const std::string name = fmt::format("{}/{:04}", p.name, ++ordinal);
    if (const std::string by = taken.blockerOf(kit, c.pose); !by.empty()) {
      blocker = by;
      ++skipped;
      if (!p.no_room_is_error) continue;
      problems_.push_back(
          {fmt::format("'{}' finds no room: it would overlap '{}'; widen the spacing or vary less", name, by),
           p.where});
      return;
    }
    add(kit, name, c.pose, p.where);
    taken.takeNew();
  }
  if (skipped > 0)
    out_.notes.push_back(fmt::format(
        "place '{}': {} of {} copies found no room and were left out (the last would have overlapped '{}')",
        p.name, skipped, ordinal, blocker));
}

// The source that places are drawn from, in its space; what is wrong is told.
std::optional<Pose> Placer::spotsOf(const PlaceSetup& p, place::Source& source) {
  const bool surface = !p.on.empty();
  if (!surface && p.inside->body.empty()) {
    source.kind = p.inside->box ? place::SourceKind::Box : place::SourceKind::Ball;
    source.at = p.inside->box ? p.inside->box->centre() : p.inside->centre;
    source.radius = p.inside->radius;
    if (p.inside->box) source.size = p.inside->box->size();
    return Pose{};
  }
  const std::string& name = surface ? p.on : p.inside->body;
  const std::vector<world::Piece>& pieces = out_.scene.pieces;
  const auto at = std::find_if(pieces.begin(), pieces.end(), [&](const auto& x) { return x.name == name; });
  if (at == pieces.end()) {
    problems_.push_back(
        {fmt::format("place '{}': no piece that stands before it is called '{}'", p.name, name),
         surface ? p.on_where : p.inside->where});
    return {};
  }
  const auto index = static_cast<std::size_t>(at - pieces.begin());
  source.kind = surface ? place::SourceKind::Surface : place::SourceKind::Volume;
  source.mesh = out_.scene.prototypeOf(index).mesh;
  if (!surface && p.inside->container) source.mesh = shape::meshOf(shape::convexHull(source.mesh.vertices));
  return at->start;
}

void Placer::scatter(const PlaceSetup& p, const Copied& copied) {
  place::Source source;
  const std::optional<Pose> space = spotsOf(p, source);
  if (!space) return;
  source.prepare();
  place::ScatterSpec spec;
  spec.name = p.name;
  spec.seed = p.seed;
  spec.source = &source;
  spec.space = *space;
  spec.up = s_.up();
  spec.choices = copied.choices;
  spec.apart = p.apart;
  spec.upright = p.upright;
  spec.vary_turn = p.vary_turn;
  spec.denser = p.denser;
  spec.within = p.within;
  place::Scatter draws(spec);
  Taken taken(out_, copied.largest.maxCoeff());
  int placed = 0;
  std::uint64_t blocked = 0;
  const std::uint64_t most = kTries * static_cast<std::uint64_t>(p.scatter);
  for (std::uint64_t n = 0; placed < p.scatter && n < most; ++n) {
    std::optional<place::Copy> c = draws.draw(n);
    if (!c) continue;
    const Kit& kit = copied.of(*c);
    const place::Copy drawn = *c;
    // What stands on uneven ground is set a little higher.
    const Vec3 stands = p.upright ? s_.up() : draws.upOf(*c);
    bool free = false;
    for (const double lift : kLifts) {
      c->pose.position = drawn.pose.position + (p.on.empty() ? 0 : lift) * kit.size.dot(s_.up()) * stands;
      free = taken.blockerOf(kit, c->pose).empty();
      if (free || p.on.empty()) break;
    }
    if (!free) {
      ++blocked;
      continue;
    }
    draws.keep(drawn);
    add(kit, fmt::format("{}/{:04}", p.name, ++placed), c->pose, p.where);
    taken.takeNew();
  }
  if (placed == p.scatter) return;
  const std::string told = fmt::format(
      "place '{}': room for {} of {} copies only ({} tries, {} of them would have overlapped something)",
      p.name, placed, p.scatter, most, blocked);
  if (p.no_room_is_error)
    problems_.push_back({told + "; ask for fewer, or let them stand nearer", p.where});
  else
    out_.notes.push_back(told);
}

void Placer::checkNames() {
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

}  // namespace drubble::files
