// SPDX-License-Identifier: Apache-2.0
#include "files/setup/build_rules.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "files/setup/build_acts.h"
#include "files/setup/select.h"

namespace drubble::files {

namespace {

using world::Deed;

// What only what moves by itself, some time, can feel.
void addForces(const Setup& s, BuiltScene& built, std::vector<Problem>& problems) {
  Selecting selecting(s, built, problems);
  for (const ForceSetup& f : s.forces) {
    if (!f.enabled) continue;
    act::Force force = f.force;
    force.who = selecting.take(f.who);
    if (force.from > s.planned_last || force.to < s.first_frame)
      problems.push_back({fmt::format("force '{}' acts in frames {} to {}, outside the shot's {} to {}",
                                      f.name, force.from, force.to, s.first_frame, s.planned_last),
                          f.where});
    if (force.kind == act::ForceKind::Gravity && built.scene.gravity.norm() > 0) {
      const auto falls = [&](PieceId p) {
        return built.scene.prototypeOf(p.index()).traits.gravity_share != 0;
      };
      const auto n = std::count_if(force.who.begin(), force.who.end(), falls);
      if (n > 0)
        built.notes.push_back(fmt::format(
            "force '{}' is a gravity on top of the setup's own for {} of its pieces, like '{}': give those "
            "gravity_share = 0, or the setup gravity = 0",
            f.name, n,
            built.scene.pieces[std::find_if(force.who.begin(), force.who.end(), falls)->index()].name));
    }
    built.scene.forces.push_back(std::move(force));
  }
}

class Ruler {
 public:
  Ruler(const Setup& s, BuiltScene& built, std::vector<Problem>& problems)
      : s_(s), built_(built), problems_(problems), selecting_(s, built, problems) {}

  void add(const RuleSetup& r) {
    const std::size_t had = problems_.size();
    world::Rule rule = r.rule;
    rule.who = selecting_.take(r.who);
    if (r.touched_by.given()) rule.when.touched_by = selecting_.take(r.touched_by);
    rule.when.inside = regionOf(r.inside, built_, problems_);
    rule.when.outside = regionOf(r.outside, built_, problems_);
    if (!r.material.empty()) rule.material = materialNamed(s_, r.material, built_.scene);
    checkFrames(r);
    if (problems_.size() > had) return;
    checkPieces(r, rule);
    built_.scene.rules.push_back(std::move(rule));
  }

  // What moves by itself has keys only for a rule.
  void checkMovers() {
    for (const world::Mover& m : scene().movers)
      if (m.waits && !driven_.contains(m.piece))
        problems_.push_back(
            {fmt::format("'{}' has keys but is dynamic, and no rule makes it kinematic: give it role = "
                         "\"kinematic\"",
                         scene().pieces[m.piece.index()].name),
             Where{s_.path, 0, 0, ""}});
  }

 private:
  const world::Scene& scene() const { return built_.scene; }

  void checkFrames(const RuleSetup& r) {
    const world::RuleWhen& w = r.rule.when;
    if (w.from > s_.planned_last || w.to < s_.first_frame)
      problems_.push_back(
          {fmt::format("rule '{}' waits for frame {}, outside the shot's {} to {}", r.name,
                       w.from > s_.planned_last ? w.from : w.to, s_.first_frame, s_.planned_last),
           r.when_where});
  }

  void checkPieces(const RuleSetup& r, const world::Rule& rule) {
    const auto complain = [&](PieceId p, const char* why) {
      const char* deed = rule.then == Deed::Drive ? "drive" : world::deedName(rule.then);
      problems_.push_back(
          {fmt::format("rule '{}' cannot {} '{}': {}", r.name, deed, scene().pieces[p.index()].name, why),
           r.who.where});
    };
    if (rule.then == Deed::Release || rule.then == Deed::Freeze || rule.then == Deed::Fix ||
        rule.then == Deed::Hold)
      for (const PieceId p : rule.who) {
        const world::Prototype& made_as = scene().prototypeOf(p.index());
        if (!made_as.bends.empty())
          return complain(p, "its numbered meshes change its form, which only what its keys lead can do");
        if (rule.then == Deed::Release && !(made_as.traits.inverse_mass > 0))
          return complain(p,
                          "it is felt as a mesh or has no mass; give its body a shape that can move, "
                          "like \"hull\"");
      }
    if (rule.then == Deed::Drive)
      for (const PieceId p : rule.who) {
        const auto moves = [&](const world::Mover& m) { return m.piece == p; };
        if (std::none_of(scene().movers.begin(), scene().movers.end(), moves))
          return complain(p, "no [[motion]] says how it goes from then on");
        driven_.insert(p);
      }
    if (rule.then == Deed::BreakBonds || rule.then == Deed::Strength || rule.when.bond_broken) {
      const auto taken = [&](PieceId p) { return std::binary_search(rule.who.begin(), rule.who.end(), p); };
      if (std::none_of(scene().bonds.begin(), scene().bonds.end(),
                       [&](const bond::Bond& b) { return taken(b.a) || taken(b.b); }))
        problems_.push_back(
            {fmt::format("rule '{}' is about bonds, but none of its {} pieces has one: give them a "
                         "[[bond]]",
                         r.name, rule.who.size()),
             r.who.where});
    }
  }

  const Setup& s_;
  BuiltScene& built_;
  std::vector<Problem>& problems_;
  Selecting selecting_;
  std::set<PieceId> driven_;  // by rules
};

}  // namespace

void addRules(const Setup& s, BuiltScene& built, std::vector<Problem>& problems) {
  addForces(s, built, problems);
  Ruler ruler(s, built, problems);
  for (const RuleSetup& r : s.rules)
    if (r.enabled) ruler.add(r);
  if (problems.empty()) ruler.checkMovers();
}

}  // namespace drubble::files
