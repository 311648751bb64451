// SPDX-License-Identifier: Apache-2.0
// Rules: for which pieces they hold.
//
// What a hit sets going by itself (it lets go, breaks bonds) is judged while the substep is only proposed:
// the hit then goes on with what is loose. All else is done when the substep is over, rule by rule in their
// order, so that a later one sees what an earlier one did.
#include <algorithm>
#include <array>

#include "core/mesh/tree.h"
#include "core/world/world.h"

namespace drubble::world {

const char* deedName(Deed d) {
  static constexpr std::array<const char*, 10> kNames = {"wake",     "hold",      "release", "freeze",
                                                         "static",   "kinematic", "remove",  "break_bonds",
                                                         "strength", "material"};
  return kNames[static_cast<std::size_t>(d)];
}

namespace {

bool contains(const std::vector<PieceId>& sorted, std::uint32_t piece) {
  return std::binary_search(sorted.begin(), sorted.end(), PieceId(piece));
}

constexpr std::size_t kNoMember = static_cast<std::size_t>(-1);

// A piece's place among those that the rule is for.
std::size_t memberOf(const Rule& r, PieceId piece) {
  const auto at = std::lower_bound(r.who.begin(), r.who.end(), piece);
  return at != r.who.end() && *at == piece ? static_cast<std::size_t>(at - r.who.begin()) : kNoMember;
}

// Judged while the substep is only proposed.
bool atOnce(const Rule& r) {
  const bool loosens = r.then == Deed::Release || r.then == Deed::BreakBonds || r.then == Deed::Strength;
  return r.when.hit_harder_than && !r.when.bond_broken && r.delay == 0 && loosens;
}

bool hitsBy(const Rule& r, const solve::Hit& h, PieceId other) {
  return h.speed > *r.when.hit_harder_than &&
         (r.when.touched_by.empty() || contains(r.when.touched_by, other.value));
}

}  // namespace

void World::takeRules() {
  for (const Rule& r : scene_.rules) {
    rule_states_.emplace_back(r.who.size());
    for (const std::optional<Region>* x : {&r.when.inside, &r.when.outside})
      if (*x) takeRegion(**x);
  }
}

// All that it waits for but hits, touches and breaks.
bool World::ruleHolds(const RuleWhen& w, std::uint32_t i, double frame) const {
  if (frame < w.from || frame > w.to) return false;
  const double speed = motion_.velocity[i].norm();
  if (w.faster_than && !(speed > *w.faster_than)) return false;
  if (w.slower_than && !(speed + motion_.spin[i].norm() * traits_[i].outer_radius < *w.slower_than))
    return false;
  if (w.older_than) {
    const double born = born_.empty() ? 0 : born_[i];
    if (!(scene_.secondsAt(frame) - born > *w.older_than)) return false;
  }
  if (w.inside && !inRegion(*w.inside, motion_.position[i])) return false;
  return !w.outside || !inRegion(*w.outside, motion_.position[i]);
}

// One entry a member: whether one of those it asks for presses on it.
std::vector<char> World::touchedMembers(const Rule& r) const {
  std::vector<char> out(r.who.size(), 0);
  const auto mark = [&](PieceId me, PieceId other) {
    const std::size_t at = memberOf(r, me);
    if (at != kNoMember && contains(r.when.touched_by, other.value)) out[at] = 1;
  };
  eachContact([&](const solve::Contact& c) {
    if (!(c.totalForce() > 0)) return;
    mark(c.a, c.b);
    mark(c.b, c.a);
  });
  return out;
}

// Whether the substep is to be proposed anew.
bool World::strikeRules(const std::vector<solve::Hit>& hits, double frame, BondJudge& judge) {
  if (hits.empty() || scene_.rules.empty()) return false;
  bool again = false;
  for (std::uint32_t k = 0; k < scene_.rules.size(); ++k) {
    const Rule& r = scene_.rules[k];
    if (!atOnce(r)) continue;
    std::vector<std::uint32_t> some;
    for (const solve::Hit& h : hits)
      for (const auto& [me, other] : {std::pair(h.a, h.b), std::pair(h.b, h.a)}) {
        const std::size_t at = memberOf(r, me);
        if (at == kNoMember || !hitsBy(r, h, other)) continue;
        RuleState& s = rule_states_[k][at];
        const std::pair key(k, me.value);
        const bool had = std::find(judge.ruled.begin(), judge.ruled.end(), key) != judge.ruled.end();
        if (s.done || had || !ruleHolds(r.when, me.value, frame)) continue;
        s.done = !r.again;
        judge.ruled.push_back(key);
        some.push_back(me.value);
      }
    if (!some.empty() && act(k, some, frame, judge.breaks)) again = true;
  }
  return again;
}

// At a substep's end: its hits are those from `first_hit` on, `broke` the pieces one of whose bonds went.
void World::followRules(std::size_t first_hit, const std::vector<char>& broke, double frame, double h) {
  for (std::uint32_t k = 0; k < scene_.rules.size(); ++k) {
    const Rule& r = scene_.rules[k];
    if (atOnce(r)) continue;
    std::vector<RuleState>& states = rule_states_[k];
    const auto waits = [](const RuleState& s) { return !s.done; };
    if (frame < r.when.from || std::none_of(states.begin(), states.end(), waits)) continue;
    std::vector<char> hit(r.when.hit_harder_than ? r.who.size() : 0, 0);
    for (std::size_t n = first_hit; !hit.empty() && n < hits_.size(); ++n)
      for (const auto& [me, other] : {std::pair(hits_[n].a, hits_[n].b), std::pair(hits_[n].b, hits_[n].a)}) {
        const std::size_t at = memberOf(r, me);
        if (at != kNoMember && hitsBy(r, hits_[n], other)) hit[at] = 1;
      }
    std::vector<char> touched;
    if (!r.when.touched_by.empty() && hit.empty()) touched = touchedMembers(r);
    std::vector<std::uint32_t> some;
    for (std::size_t n = 0; n < r.who.size(); ++n) {
      RuleState& s = states[n];
      const std::uint32_t i = r.who[n].value;
      if (s.done || !present(i)) continue;
      const bool holds = (hit.empty() || hit[n]) && (touched.empty() || touched[n]) &&
                         (!r.when.bond_broken || broke[i]) && ruleHolds(r.when, i, frame);
      const bool had = s.held >= r.when.seconds && s.holds;
      s.held = holds ? s.held + (s.holds ? h : 0) : 0;
      s.holds = holds;
      // A moment counts each time, a state when it has come to hold.
      const bool comes = holds && s.held >= r.when.seconds && (r.when.momentary() || !had);
      if (comes && s.due < 0)
        s.due = r.delay;
      else if (s.due >= 0)
        s.due = greatest(s.due - h, 0);
      if (s.due != 0) continue;
      s.due = -1;
      s.done = !r.again;
      some.push_back(i);
    }
    if (!some.empty()) act(k, some, frame, bond_breaks_);
  }
}

// Whether one that has not done its deed may yet, although nothing moves.
bool World::rulesWait() const {
  for (std::size_t k = 0; k < scene_.rules.size(); ++k) {
    const RuleWhen& w = scene_.rules[k].when;
    for (const RuleState& s : rule_states_[k])
      if (!s.done &&
          (s.due >= 0 || (s.holds && s.held < w.seconds) || w.from > frame_ ||
           (w.older_than && scene_.secondsAt(frame_) <= *w.older_than)) &&
          frame_ <= w.to)
        return true;
  }
  return false;
}

}  // namespace drubble::world
