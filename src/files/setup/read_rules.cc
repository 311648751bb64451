// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include "files/setup/read_parts.h"

namespace drubble::files {

namespace {

using world::Deed;

const std::map<std::string, Deed> kDeeds = {{"wake", Deed::Wake},       {"hold", Deed::Hold},
                                            {"release", Deed::Release}, {"freeze", Deed::Freeze},
                                            {"static", Deed::Fix},      {"kinematic", Deed::Drive},
                                            {"remove", Deed::Remove},   {"break_bonds", Deed::BreakBonds}};

void readFrames(Table& w, world::RuleWhen& when) {
  if (w.has("frame")) when.from = w.number("frame", 0, {-1e6, 1e6});
  if (!w.has("frames")) return;
  if (w.has("frame")) w.complain("frames", "give frame (from then on) or frames = [first, last], not both");
  const std::vector<double> two = w.numbers("frames", 2, {-1e6, 1e6});
  if (two.size() != 2) return;
  when.from = two[0];
  when.to = two[1];
  if (when.from > when.to) w.complain("frames", "the first of the two frames must not be after the second");
}

void readWhen(Table& w, RuleSetup& r) {
  r.when_where = w.where();
  world::RuleWhen& when = r.rule.when;
  readFrames(w, when);
  const auto speed = [&](const char* key, std::optional<double>& out) {
    if (w.has(key)) out = w.length(key, 0, kNotNegative);
  };
  speed("hit_harder_than", when.hit_harder_than);
  speed("slower_than", when.slower_than);
  speed("faster_than", when.faster_than);
  if (w.has("older_than")) when.older_than = w.number("older_than", 0, kNotNegative);
  r.touched_by = readSelector(w, "touched_by", false);
  r.inside = readRegion(w, "inside");
  r.outside = readRegion(w, "outside");
  when.bond_broken = w.flag("bond_broken", false);
  when.seconds = w.number("for", 0, kNotNegative);
  if (when.seconds > 0 && when.momentary())
    w.complain("for", "a hit or a break is over at once: 'for' goes with what lasts, like slower_than");
}

void readThen(Table& t, const Setup& s, RuleSetup& r) {
  world::Rule& rule = r.rule;
  const toml::node* n = t.node("then");
  if (n == nullptr)
    return t.complain(
        "when",
        "every rule needs then: wake, hold, release, freeze, static, kinematic, remove, break_bonds, or "
        "{ set = \"strength\", to = NUMBER }");
  if (!n->is_table()) {
    std::set<std::string> allowed;
    for (const auto& [name, deed] : kDeeds) allowed.insert(name);
    const std::string word = t.choice("then", "wake", allowed);
    const auto at = kDeeds.find(word);
    if (at != kDeeds.end()) rule.then = at->second;
    return;
  }
  t.table("then", [&](Table& x) {
    const bool material = x.choice("set", "strength", {"strength", "material"}) == "material";
    rule.then = material ? Deed::Material : Deed::Strength;
    if (!x.has("set") || !x.has("to"))
      x.complain(
          "set",
          "what is done takes set = \"strength\" and to = NUMBER (times what its bonds have), or set = "
          "\"material\" and to = NAME");
    if (material)
      r.material = readMaterialName(x, s, "to");
    else
      rule.to = x.number("to", 1, kNotNegative);
  });
}

}  // namespace

void readRule(Table& t, const Setup& s, RuleSetup& r) {
  r.where = t.where();
  r.name = t.text("name", "");
  r.enabled = t.flag("enabled", true);
  if (r.name.empty()) t.complain("name", "every rule needs a name: the report calls it by that");
  r.rule.name = r.name;
  r.who = readSelector(t, "who", true);
  if (!t.has("when"))
    t.complain("who", "every rule needs when = { … }: what it waits for, like { frame = 30 }");
  t.table("when", [&](Table& w) {
    readWhen(w, r);
    if (w.raw().empty())
      w.complain("frame", "this waits for nothing: give a frame, hit_harder_than, touched_by, inside …");
  });
  readThen(t, s, r);
  r.rule.delay = t.number("delay", 0, kNotNegative);
  r.rule.again = t.flag("again", false);
}

}  // namespace drubble::files
