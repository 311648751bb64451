// SPDX-License-Identifier: Apache-2.0
#include "files/setup/kits.h"

#include <fmt/format.h>

#include "core/base/random.h"
#include "core/place/room.h"

namespace drubble::files {

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
          const Vec3& up) {
  Kit kit;
  kit.group = &group;
  kit.apart = true;
  kit.name = group.name;
  kit.where = group.where;
  kit.velocity = group.velocity;
  kit.spin = group.spin;
  Box box;
  double mass = 0;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    const world::Prototype& p = built.scene.prototypes[parts[k].index()];
    Pose pose{group.parts[k].at, turnXyz(group.parts[k].turn)};
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
  if (kit.group != nullptr)
    out_.group_copies.push_back({name, kit.name, {pose.toWorld(kit.origin), pose.turn}});
}

std::uint32_t Placer::keepBack(const Kit& kit, const std::string& name, const Pose& pose,
                               const Where& where) {
  const std::size_t first = out_.scene.pieces.size();
  add(kit, name, pose, where);
  for (std::size_t i = first; i < out_.scene.pieces.size(); ++i)
    out_.scene.pieces[i].start_state = world::Start::Unborn;
  return u32(first);
}

void Placer::place(const PlaceSetup& p, const KitSizes& kits) {
  place::GridSpec g;
  g.name = p.name;
  g.seed = p.seed;
  g.count = p.count;
  g.base = {p.at, turnXyz(p.turn)};
  g.up = s_.up();
  g.vary_at = p.vary_at;
  g.vary_turn = p.vary_turn;
  std::vector<std::vector<const Kit*>> choice;
  Vec3 largest = Vec3::Zero();
  for (const auto& c : p.copies) {
    const auto found = kits.find(c.body);
    if (found == kits.end()) continue;  // switched off
    choice.push_back(found->second);
    g.weights.push_back(c.weight);
    for (const Kit* kit : found->second) largest = largest.cwiseMax(kit->size);
  }
  if (choice.empty())
    return void(
        out_.notes.push_back(fmt::format("place '{}' copies only bodies that are switched off", p.name)));
  g.spacing = p.spacing.value_or(largest + p.gap);
  fill(p, g, choice, largest.maxCoeff());
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

// `size`: of the largest of them.
void Placer::fill(const PlaceSetup& p, const place::GridSpec& g,
                  const std::vector<std::vector<const Kit*>>& choice, double size) {
  Taken taken(out_, size);
  int skipped = 0, ordinal = 0;
  std::string blocker;
  for (const place::Copy& c : place::grid(g)) {
    const std::vector<const Kit*>& sizes = choice[c.prototype];
    RandomStream random(p.seed, "place." + p.name + ".size", static_cast<std::uint64_t>(ordinal));
    const Kit& kit = *sizes[static_cast<std::size_t>(random.unit() * static_cast<double>(sizes.size()))];
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
