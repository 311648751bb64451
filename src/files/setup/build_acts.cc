// SPDX-License-Identifier: Apache-2.0
#include "files/setup/build_acts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>
#include <set>

#include "core/world/predict.h"
#include "core/world/prototypes.h"
#include "files/gltf.h"
#include "files/setup/select.h"
#include "files/setup/table.h"

namespace drubble::files {

MaterialId materialNamed(const Setup& s, const std::string& name, world::Scene& scene) {
  world::Material m;
  if (!name.empty()) {
    const auto own = s.materials.find(name);
    m = own != s.materials.end() ? own->second : materialPresets().at(name);
  }
  for (std::size_t i = 0; i < scene.materials.size(); ++i)
    if (scene.materials[i].name == m.name) return MaterialId(i);
  scene.materials.push_back(m);
  return MaterialId(scene.materials.size() - 1);
}

namespace {

class Acts {
 public:
  Acts(const Setup& s, BuiltScene& built, std::vector<Problem>& problems)
      : s_(s), built_(built), problems_(problems), selecting_(s, built, problems) {}

  void add() {
    for (const AdjustSetup& a : s_.adjusts)
      if (a.enabled) adjust(a);
    for (const MotionSetup& m : s_.motions)
      if (m.enabled) addMotion(m);
    for (const auto& [m, piece] : followers_) follow(*m, piece);
    std::sort(built_.scene.movers.begin(), built_.scene.movers.end(),
              [](const auto& a, const auto& b) { return a.piece < b.piece; });
    for (const WatchSetup& w : s_.watches)
      if (w.enabled)
        built_.scene.watches.push_back(
            {w.name, selecting_.take(w.who), regionOf(w.in, built_, problems_), w.keep_contacts});
    for (const ContactSetup& c : s_.contacts)
      if (c.enabled) addContact(c);
    if (problems_.empty()) predictReleases();
    for (world::Mover& m : built_.scene.movers)
      if (m.leader.valid()) m.release_frame = moverOf(m.leader)->release_frame;
  }

 private:
  // Pieces that share a prototype and are adjusted alike share a new one.
  void adjust(const AdjustSetup& a) {
    std::map<PrototypeId, PrototypeId> changed;
    for (const PieceId id : selecting_.take(a.who)) {
      world::Piece& p = built_.scene.pieces[id.index()];
      const bool unborn = p.start_state == world::Start::Unborn;
      if (unborn && a.role && *a.role != world::Role::Dynamic)
        problems_.push_back({fmt::format("'{}' is poured and moves by itself: it cannot become {}", p.name,
                                         world::roleName(*a.role)),
                             a.where});
      if (a.role) p.role = *a.role;
      if (a.start && !unborn) p.start_state = *a.start;
      if (a.wake_above) p.wake_above = *a.wake_above;
      if (a.velocity) p.velocity = *a.velocity;
      if (a.spin) p.spin = *a.spin;
      if (a.collide) p.collide = *a.collide;
      const world::Prototype& old = built_.scene.prototypes[p.prototype.index()];
      if (p.role == world::Role::Dynamic && !(old.traits.inverse_mass > 0)) {
        problems_.push_back(
            {fmt::format("'{}' cannot be made dynamic: it is felt as a mesh or has no mass; give its "
                         "body role = \"dynamic\" and another shape",
                         p.name),
             a.who.where});
        return;
      }
      if (p.role == world::Role::Static && !old.bends.empty()) {
        problems_.push_back(
            {fmt::format("'{}' cannot be made static: its numbered meshes change its form; keep "
                         "role = \"kinematic\", or give its body one mesh",
                         p.name),
             a.who.where});
        return;
      }
      if (!changesPrototype(a)) continue;
      const auto [at, fresh] = changed.emplace(p.prototype, PrototypeId(built_.scene.prototypes.size()));
      if (fresh) copyPrototype(p.prototype, a);
      p.prototype = at->second;
    }
  }

  static bool changesPrototype(const AdjustSetup& a) {
    return a.density || a.gravity_share || a.travel_damping || a.spin_damping || a.free_travel ||
           a.free_turn || a.material || a.show || a.colour;
  }

  void copyPrototype(PrototypeId from, const AdjustSetup& a) {
    world::Prototype p = built_.scene.prototypes[from.index()];
    BodySetup b = built_.prototype_bodies[from.index()];
    if (a.material) {
      p.material = materialNamed(s_, *a.material, built_.scene);
      b.material = *a.material;
    }
    const double density = a.density.value_or(
        a.material && !b.density && !b.mass ? built_.scene.materials[p.material.index()].density : 0);
    if (density > 0 && p.volume > 0 && p.traits.mass() > 0) world::setWeight(p, density * p.volume);
    if (a.gravity_share) p.traits.gravity_share = *a.gravity_share;
    if (a.travel_damping) p.traits.travel_damping = *a.travel_damping;
    if (a.spin_damping) p.traits.spin_damping = *a.spin_damping;
    if (a.free_travel) p.traits.free_travel = *a.free_travel;
    if (a.free_turn) p.traits.free_turn = *a.free_turn;
    if (a.show) p.show = *a.show;
    if (a.colour) p.colour = *a.colour;
    built_.scene.prototypes.push_back(std::move(p));
    built_.prototype_bodies.push_back(b);
    built_.meshes.push_back(built_.meshes[from.index()]);
    built_.anchors.push_back(built_.anchors[from.index()]);
  }

  void addMotion(const MotionSetup& m) {
    std::vector<act::PoseKey> poses;
    if (!m.from.empty()) {
      try {
        const auto path = std::filesystem::path(s_.path).parent_path() / m.from;
        poses = readNodeMotion(path.string(), m.node, s_.unit, s_.fps, s_.cached_from);
      } catch (const Error& e) {
        for (Problem p : e.problems()) problems_.push_back({p.message, m.where});
        return;
      }
    }
    for (const PieceId id : selecting_.take(m.who)) {
      const world::Piece& piece = built_.scene.pieces[id.index()];
      if (piece.role == world::Role::Static) {
        built_.ignored_motions.push_back({id, m.where});
        continue;
      }
      if (piece.role == world::Role::Dynamic && !handsOver()) {
        problems_.push_back(
            {fmt::format("'{}' has keys but is dynamic: give it role = \"kinematic\", and release "
                         "here if it is to fly on by itself",
                         piece.name),
             m.who.where});
        return;
      }
      if (m.with.empty())
        addMover(m, id, poses);
      else
        followers_.push_back({&m, id});
    }
  }

  // Whether some rule makes something kinematic; which, is looked at with the rules.
  bool handsOver() const {
    return std::any_of(s_.rules.begin(), s_.rules.end(),
                       [](const RuleSetup& r) { return r.enabled && r.rule.then == world::Deed::Drive; });
  }

  world::Mover* moverOf(PieceId piece) {
    for (world::Mover& m : built_.scene.movers)
      if (m.piece == piece) return &m;
    return nullptr;
  }

  // It goes with another, which has keys of its own.
  void follow(const MotionSetup& m, PieceId id) {
    std::vector<world::Piece>& pieces = built_.scene.pieces;
    const world::Piece& piece = pieces[id.index()];
    const auto at =
        std::find_if(pieces.begin(), pieces.end(), [&](const auto& p) { return p.name == m.with; });
    if (at == pieces.end()) {
      std::set<std::string> known;
      for (const world::Mover& x : built_.scene.movers) known.insert(pieces[x.piece.index()].name);
      const std::string near = nearest(m.with, known);
      return problems_.push_back(
          {fmt::format("'{}' is to go with '{}', but no piece is called that{}", piece.name, m.with,
                       near.empty() ? "" : "; did you mean '" + near + "'?"),
           m.with_where});
    }
    const PieceId leader(at - pieces.begin());
    const world::Mover* to = moverOf(leader);
    if (to == nullptr || to->waits || to->leader.valid())
      return problems_.push_back(
          {fmt::format("'{}' is to go with '{}', which {}", piece.name, m.with,
                       to == nullptr ? "no [[motion]] moves; what moves by itself takes a [[joint]]"
                       : to->waits   ? "moves by itself at first"
                                     : "goes with another itself: name that one"),
           m.with_where});
    if (moverOf(id) != nullptr)
      return problems_.push_back({fmt::format("'{}' has two motions: keep one", piece.name), m.where});
    world::Mover mover = *to;
    mover.piece = id;
    mover.leader = leader;
    mover.waits = piece.role == world::Role::Dynamic;
    const Pose led = built_.scene.moverPose(*to, s_.first_frame);
    mover.hold = {led.toBody(piece.start.position), (led.turn.conjugate() * piece.start.turn).normalized()};
    built_.scene.movers.push_back(std::move(mover));
  }

  void addMover(const MotionSetup& m, PieceId id, const std::vector<act::PoseKey>& poses) {
    const world::Piece& piece = built_.scene.pieces[id.index()];
    for (const world::Mover& other : built_.scene.movers)
      if (other.piece == id)
        return problems_.push_back({fmt::format("'{}' has two motions: keep one", piece.name), m.where});
    world::Mover mover;
    mover.piece = id;
    mover.anchor = built_.anchors[piece.prototype.index()];
    mover.path.rest = {piece.start.toWorld(mover.anchor), piece.start.turn};
    mover.path.rest_turn = built_.prototype_bodies[piece.prototype.index()].turn;
    mover.path.at = m.at;
    mover.path.turn = m.turn;
    mover.path.poses = poses;
    mover.path.wobble = m.wobble;
    mover.path.wobble.seed += id.value;
    mover.release_frame = m.release_frame;
    mover.waits = piece.role == world::Role::Dynamic;
    const bool released = m.release_frame || m.before_hit;
    if (released && !(built_.scene.prototypeOf(id.index()).traits.inverse_mass > 0))
      return problems_.push_back(
          {fmt::format("'{}' cannot be released: it is felt as a mesh; give it a shape that "
                       "can move, like \"hull\"",
                       piece.name),
           m.where});
    if (m.release_frame && (*m.release_frame < s_.first_frame || *m.release_frame > s_.planned_last))
      problems_.push_back({fmt::format("'{}' is released at frame {}, outside the shot's {} to {}",
                                       piece.name, *m.release_frame, s_.first_frame, s_.planned_last),
                           m.where});
    if (m.before_hit) before_hit_[id] = {*m.before_hit, m.where};
    built_.scene.movers.push_back(std::move(mover));
  }

  // What is let go at once: a piece, or all those of a cut body.
  std::string wholeOf(PieceId p) const {
    const world::Piece& piece = built_.scene.pieces[p.index()];
    return built_.prototype_bodies[piece.prototype.index()].cut ? piece.name.substr(0, piece.name.rfind('/'))
                                                                : piece.name;
  }

  // The first of its pieces that hits anything lets a cut body go.
  void predictReleases() {
    struct First {
      std::vector<world::Mover*> movers;
      std::optional<world::PredictedHit> hit;
      double frame = 0;
    };
    std::map<std::string, First> wholes;
    for (world::Mover& m : built_.scene.movers) {
      const auto wanted = before_hit_.find(m.piece);
      if (wanted == before_hit_.end()) continue;
      const std::string& name = built_.scene.pieces[m.piece.index()].name;
      if (m.waits) {
        problems_.push_back(
            {fmt::format("'{}' is only driven once a rule says so: where it will hit cannot be "
                         "told before; give release = {{ frame = N }}",
                         name),
             wanted->second.second});
        continue;
      }
      First& whole = wholes[wholeOf(m.piece)];
      whole.movers.push_back(&m);
      const std::optional<world::PredictedHit> hit = world::predictHit(built_.scene, m, s_.planned_last);
      const double frame = hit ? std::floor(hit->frame - wanted->second.first) : 0;
      if (!hit || (whole.hit && whole.hit->frame <= hit->frame)) continue;
      whole.hit = hit;
      whole.frame = greatest(frame, s_.first_frame);
    }
    for (const auto& [name, whole] : wholes) {
      if (!whole.hit) {
        problems_.push_back({fmt::format("'{}' is to be released before it hits, but its keys take it past "
                                         "everything; give release = {{ frame = N }}",
                                         name),
                             before_hit_.at(whole.movers[0]->piece).second});
        continue;
      }
      for (world::Mover* m : whole.movers) m->release_frame = whole.frame;
      built_.notes.push_back(
          fmt::format("'{}' will hit '{}' at frame {:.1f} with {:.4g} {}/s: released at frame {}", name,
                      built_.scene.pieces[whole.hit->other.index()].name, whole.hit->frame,
                      whole.hit->speed / s_.unit, s_.units, whole.frame));
    }
  }

  void addContact(const ContactSetup& c) {
    world::PairRule rule = c.rule;
    rule.a = selecting_.take(c.a);
    rule.b = selecting_.take(c.b);
    if (built_.scene.pair_rules.size() == world::kMostPairRules)
      return problems_.push_back(
          {fmt::format("more than {} [[contact]] tables", world::kMostPairRules), c.a.where});
    built_.scene.pair_rules.push_back(std::move(rule));
  }

  const Setup& s_;
  BuiltScene& built_;
  std::vector<Problem>& problems_;
  Selecting selecting_;
  std::map<PieceId, std::pair<double, Where>> before_hit_;
  std::vector<std::pair<const MotionSetup*, PieceId>> followers_;
};

}  // namespace

void addActs(const Setup& s, BuiltScene& built, std::vector<Problem>& problems) {
  Acts(s, built, problems).add();
}

}  // namespace drubble::files
