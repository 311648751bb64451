// SPDX-License-Identifier: Apache-2.0
#include "files/setup/build_pours.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/random.h"
#include "files/setup/select.h"

namespace drubble::files {

namespace {

constexpr double kClear = 0.02;    // of the largest copy: the free distance at birth
constexpr int kCutsOfAFrame = 64;  // pulses begin and end on one of them

// Whether it pours at a shot frame.
bool flows(const PourSetup& p, double frame) {
  if (frame < p.first || frame >= p.last) return false;
  return p.every == 0 || std::fmod(frame - p.first, p.every) < p.length;
}

world::PourKit pourKitOf(const Kit& kit, const BuiltScene& built) {
  world::PourKit out;
  out.centre = kit.centre;
  for (const Kit::Part& part : kit.parts) {
    const world::Prototype& made = built.scene.prototypes[part.prototype.index()];
    out.parts.push_back(part.pose);
    // A body's own speed is given as it lies, like its mesh.
    const BodySetup& b = built.prototype_bodies[part.prototype.index()];
    const Vec3 arm = part.pose.position - kit.centre;
    out.velocity.push_back(b.velocity + kit.velocity + kit.spin.cross(arm));
    out.spin.push_back(b.spin + kit.spin);
    out.radius =
        greatest(out.radius, part.pose.position.norm() + made.shape.outer_radius + made.shape.margin);
  }
  return out;
}

// Sets the source's space, and of a body's surface or volume its mesh. Where it starts, in the world.
std::optional<Pose> placeSource(const PourSetup& p, const BuiltScene& built, world::Pour& pour,
                                std::vector<Problem>& problems) {
  if (p.moves_with.empty()) return Pose{};
  const std::vector<world::Piece>& pieces = built.scene.pieces;
  for (std::size_t i = 0; i < pieces.size(); ++i)
    if (pieces[i].name == p.moves_with) pour.from = PieceId(i);
  if (!pour.from.valid()) {
    problems.push_back(
        {fmt::format("pour '{}': no piece is called '{}'", p.name, p.moves_with), p.from_where});
    return {};
  }
  const world::Piece& piece = pieces[pour.from.index()];
  const world::Prototype& made = built.scene.prototypeOf(pour.from.index());
  const bool volume = p.source.kind == place::SourceKind::Volume;
  if (!volume && p.source.kind != place::SourceKind::Surface) {
    pour.from_origin = made.origin;
    return piece.start * Pose{made.origin, Quat::Identity()};
  }
  pour.source.mesh = made.mesh;
  if (volume && piece.collide && made.shape.kind != shape::Kind::Mesh)
    problems.push_back({fmt::format("pour '{}' fills the inside of '{}', which is solid: nothing finds room "
                                    "there; give that body collide = false",
                                    p.name, p.moves_with),
                        p.from_where});
  if (volume && !mesh::closedness(mesh::welded(made.mesh)).closed())
    problems.push_back(
        {fmt::format("pour '{}' fills the inside of '{}', whose mesh is not closed", p.name, p.moves_with),
         p.from_where});
  return piece.start;
}

}  // namespace

std::vector<double> birthFrames(const PourSetup& p, const world::Scene& s) {
  std::vector<double> cuts, grows;  // where, and by how much; of each cut of a frame
  const double step = 1.0 / kCutsOfAFrame;
  double total = 0;
  const double begin = greatest(std::floor(p.first), s.first_frame), end = std::ceil(p.last);
  for (double frame = begin; frame < end; frame += step) {
    if (!flows(p, frame + 0.5 * step)) continue;
    const double rate = p.rates.at(frame, Vec3(p.rate, 0, 0)).x();
    const double here = p.count > 0       ? 1
                        : p.per_frame > 0 ? p.per_frame * step
                                          : rate * s.seconds(frame, frame + step);
    cuts.push_back(frame);
    grows.push_back(here);
    total += here;
  }
  const double times = p.count > 0 && total > 0 ? p.count / total : 1;
  std::vector<double> out;
  double sum = 0;
  for (std::size_t k = 0; k < cuts.size(); ++k) {
    const double grown = times * grows[k];
    // The n-th is due when n and a half have come up.
    for (double n = static_cast<double>(out.size()) + 0.5; n <= sum + grown; n += 1) {
      if (out.size() >= static_cast<std::size_t>(p.limit)) return out;
      out.push_back(cuts[k] + step * clamped((n - sum) / grown, 0, 1));
    }
    sum += grown;
  }
  return out;
}

void addPour(const PourSetup& p, const KitSizes& kits, BuiltScene& built, Placer& placer,
             std::vector<Problem>& problems) {
  world::Pour pour;
  pour.name = p.name;
  pour.source = p.source;
  pour.seed = RandomStream(p.seed, "pour/" + p.name).next();
  const std::optional<Pose> space = placeSource(p, built, pour, problems);
  std::vector<const Kit*> all;
  std::vector<std::pair<std::uint32_t, std::uint32_t>> sizes_of;  // of a copy: first kit, how many
  std::vector<double> weights;
  double total = 0, largest = 0;
  for (const CopySetup& c : p.copies) {
    const auto found = kits.find(c.body);
    if (found == kits.end()) continue;  // switched off
    sizes_of.push_back({u32(all.size()), u32(found->second.size())});
    weights.push_back(c.weight);
    total += c.weight;
    all.insert(all.end(), found->second.begin(), found->second.end());
  }
  for (const Kit* kit : all) {
    pour.kits.push_back(pourKitOf(*kit, built));
    largest = greatest(largest, kit->size.maxCoeff());
    for (const Kit::Part& part : kit->parts)
      if (built.prototype_bodies[part.prototype.index()].role != world::Role::Dynamic)
        problems.push_back(
            {fmt::format("pour '{}' copies '{}', which does not move by itself", p.name, kit->name),
             p.where});
  }
  if (all.empty())
    return void(
        built.notes.push_back(fmt::format("pour '{}' copies only bodies that are switched off", p.name)));
  if (!space || !problems.empty()) return;
  pour.source.prepare();
  pour.waits = p.waits;
  pour.clear = p.clear.value_or(kClear * largest);
  pour.hand_on = p.hand_on;
  pour.collide_after = p.collide_after;
  const std::vector<double> frames = birthFrames(p, built.scene);
  const Vec3 middle = space->toWorld(pour.source.bounds().centre());
  for (std::size_t n = 0; n < frames.size(); ++n) {
    RandomStream random(pour.seed, "what", n);
    double left = random.unit() * total;
    std::size_t which = 0;
    while (which + 1 < weights.size() && left >= weights[which]) left -= weights[which++];
    const auto [first, sizes] = sizes_of[which];
    world::Birth b;
    b.frame = frames[n];
    b.kit = first + std::min(sizes - 1, static_cast<std::uint32_t>(random.unit() * sizes));
    b.life = random.between(p.life[0], p.life[1]);
    b.first = placer.keepBack(*all[b.kit], fmt::format("{}/{:04}", p.name, n + 1), {middle, Quat::Identity()},
                              p.where);
    pour.births.push_back(b);
  }
  if (p.until) {
    const auto in = regionOf(p.until->in, built, problems);
    if (in) pour.until = world::FullWhen{*in, p.until->count, p.until->share, p.until->height};
  }
  built.scene.pours.push_back(std::move(pour));
}

std::vector<std::uint32_t> birthsOf(const world::Scene& s) {
  std::vector<std::uint32_t> out(s.pieces.size(), 0);
  std::uint32_t n = 0;
  for (const world::Pour& p : s.pours)
    for (const world::Birth& b : p.births) {
      ++n;
      for (std::uint32_t i = b.first; i < b.first + p.kits[b.kit].parts.size(); ++i)
        if (s.pieces[i].start_state == world::Start::Unborn) out[i] = n;
    }
  return out;
}

void checkUnborn(const Setup& s, const BuiltScene& built, std::vector<Problem>& problems) {
  const world::Scene& scene = built.scene;
  const auto unborn = [&](PieceId p) {
    return p.valid() && scene.pieces[p.index()].start_state == world::Start::Unborn;
  };
  const auto complain = [&](const std::string& what, PieceId p) {
    problems.push_back(
        {fmt::format("{} holds '{}', which is yet to be poured: it can only be joined to what is "
                     "born with it",
                     what, scene.pieces[p.index()].name),
         Where{s.path, 0, 0, ""}});
  };
  for (const world::SceneJoint& j : scene.joints) {
    const PieceId a = j.joint.a.piece, b = j.joint.b.piece;
    if (unborn(a) != unborn(b)) complain(fmt::format("joint '{}'", j.name), unborn(a) ? a : b);
  }
  const std::vector<std::uint32_t> births = birthsOf(scene);
  for (const bond::Bond& b : scene.bonds)
    if (births[b.a.index()] != births[b.b.index()]) {
      complain(fmt::format("bond '{}'", scene.bond_tables[b.table].name), unborn(b.a) ? b.a : b.b);
      break;
    }
}

}  // namespace drubble::files
