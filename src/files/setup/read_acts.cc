// SPDX-License-Identifier: Apache-2.0
// Selections, motions and pair rules.
#include <fmt/format.h>

#include <algorithm>

#include "core/base/trig.h"
#include "files/setup/read_parts.h"

namespace drubble::files {

Selector readSelector(Table& t, const std::string& key, bool needed) {
  Selector out;
  const toml::node* n = t.node(key);
  if (n == nullptr) {
    if (needed)
      t.complain("name", fmt::format("'{}' is missing: a name pattern, a list of them, or @NAME", key));
    return out;
  }
  out.where = t.document().where(*n);
  const auto add = [&](const toml::node& x) {
    const auto text = x.value_exact<std::string>();
    if (text && !text->empty())
      out.patterns.push_back(*text);
    else
      t.document().complain(x, fmt::format("'{}' takes names of pieces in quotes, like \"deck/*\"", key));
  };
  if (const toml::array* list = n->as_array())
    for (const toml::node& x : *list) add(x);
  else
    add(*n);
  return out;
}

std::optional<SelectSetup::Region> readRegion(Table& t, const std::string& key) {
  const toml::node* n = t.node(key);
  if (n == nullptr) return {};
  SelectSetup::Region r;
  r.where = t.document().where(*n);
  t.table(key, [&](Table& in) {
    const double unit = in.document().unit;
    r.body = in.text("body", "");
    if (in.has("container")) r.body = in.text("container", ""), r.container = true;
    const std::vector<double> box = in.has("box") ? in.numbers("box", 6) : std::vector<double>{};
    const std::vector<double> ball = in.has("sphere") ? in.numbers("sphere", 4) : std::vector<double>{};
    if (box.size() == 6)
      r.box = Box{unit * vec3(box[0], box[1], box[2]), unit * vec3(box[3], box[4], box[5])};
    if (ball.size() == 4) r.centre = unit * vec3(ball[0], ball[1], ball[2]), r.radius = unit * ball[3];
    if (r.body.empty() && !r.box && !(r.radius > 0))
      t.complain(
          key,
          fmt::format(
              "'{}' needs body = NAME, container = NAME, box = [six numbers] or sphere = [x, y, z, radius]",
              key));
  });
  return r;
}

void readSelections(Table& root, Setup& s) {
  root.table("select", [&](Table& all) {
    for (const auto& [key, value] : all.raw()) {
      const std::string name(key.str());
      all.table(name, [&](Table& t) {
        SelectSetup x;
        x.name = name;
        x.where = t.where();
        x.of = readSelector(t, "of", false);
        x.touching = readSelector(t, "touching", false);
        x.except = readSelector(t, "except", false);
        x.inside = readRegion(t, "inside");
        x.outside = readRegion(t, "outside");
        if (t.has("nearest")) x.nearest = t.lengths("nearest", Vec3::Zero());
        x.from = t.text("from", "");
        if (t.has("from")) x.from_where = t.document().where(*t.node("from"));
        x.outermost = t.flag("outermost", false);
        if (!x.of.given()) x.of.patterns = {"**"}, x.of.where = x.where;
        s.selections[name] = x;
      });
    }
  });
}

namespace {

void readKeys(Table& t, MotionSetup& m) {
  t.each("keys", [&](Table& k) {
    const double frame = k.number("frame", 0, {-1e6, 1e6});
    if (!k.has("frame")) k.complain("frame", "every key needs a frame");
    if (!k.has("at") && !k.has("turn")) k.complain("frame", "a key gives at, turn or both");
    if (k.has("at")) m.at.keys.push_back({frame, k.lengths("at", Vec3::Zero())});
    if (k.has("turn")) m.turn.keys.push_back({frame, k.vector("turn", Vec3::Zero(), kDegree)});
  });
  for (act::Track* track : {&m.at, &m.turn}) {
    const auto early = [](const act::Key& a, const act::Key& b) { return a.frame < b.frame; };
    std::stable_sort(track->keys.begin(), track->keys.end(), early);
    for (std::size_t i = 1; i < track->keys.size(); ++i)
      if (track->keys[i].frame == track->keys[i - 1].frame)
        t.complain("keys", fmt::format("frame {} has two keys", track->keys[i].frame));
  }
}

}  // namespace

void readMotion(Table& t, const Setup& s, MotionSetup& m) {
  m.where = t.where();
  m.name = t.text("name", "");
  m.enabled = t.flag("enabled", true);
  m.who = readSelector(t, "who", true);
  readKeys(t, m);
  m.at.ease = m.turn.ease = t.ease();
  m.from = t.text("from", "");
  m.node = t.text("node", "");
  t.table("wobble", [&](Table& w) {
    m.wobble.at = w.lengths("at", Vec3::Zero(), kNotNegative);
    m.wobble.turn = w.vector("turn", Vec3::Zero(), kDegree, kNotNegative);
    m.wobble.per_second = w.number("per_second", 1, kPositive);
    m.wobble.seed = w.seed("seed", s.seed);
  });
  t.table("release", [&](Table& r) {
    if (r.has("frame")) m.release_frame = r.number("frame", 0, {-1e6, 1e6});
    if (r.has("before_hit")) m.before_hit = r.number("before_hit", 2, kNotNegative);
    if (m.release_frame.has_value() == m.before_hit.has_value())
      r.complain("frame", "release takes frame = N, or before_hit = N frames");
  });
  m.with = t.text("with", "");
  const bool own = !m.at.keys.empty() || !m.turn.keys.empty() || !m.from.empty() || !m.wobble.at.isZero(0) ||
                   !m.wobble.turn.isZero(0);
  if (!m.with.empty()) {
    m.with_where = t.document().where(*t.node("with"));
    if (own || m.release_frame || m.before_hit)
      t.complain("with", "what goes with another piece has no keys, wobble or release of its own");
  } else if (!own) {
    t.complain("keys", "this motion moves nothing: give keys, from, a wobble, or with = NAME");
  }
}

void readBetween(Table& t, const char* needed, Selector& a, Selector& b) {
  const toml::node* n = t.node("between");
  const toml::array* two = n != nullptr ? n->as_array() : nullptr;
  if (two == nullptr || two->size() != 2) return t.complain("between", needed);
  for (std::size_t k = 0; k < 2; ++k) {
    Selector& s = k == 0 ? a : b;
    const toml::node& x = *two->get(k);
    s.where = t.document().where(x);
    if (const toml::array* list = x.as_array()) {
      for (const toml::node& y : *list) s.patterns.push_back(y.value_or(std::string()));
    } else {
      s.patterns.push_back(x.value_or(std::string()));
    }
    for (const std::string& p : s.patterns)
      if (p.empty()) t.document().complain(x, "'between' takes names of pieces in quotes");
  }
}

void readContact(Table& t, ContactSetup& c) {
  c.name = t.text("name", "");
  c.enabled = t.flag("enabled", true);
  c.rule.name = c.name;
  readBetween(t, "a contact needs between = [ONE, OTHER]: two name patterns, or lists of them", c.a, c.b);
  if (const toml::node* f = t.node("friction"); f != nullptr && f->is_table()) {
    t.table("friction", [&](Table& two_values) {
      c.rule.friction_rest = two_values.number("rest", 0.5, kNotNegative);
      c.rule.friction_slide = two_values.number("slide", *c.rule.friction_rest, kNotNegative);
    });
  } else if (f != nullptr) {
    c.rule.friction_rest = c.rule.friction_slide = t.number("friction", 0.5, kNotNegative);
  }
  if (t.has("bounce")) c.rule.bounce = t.number("bounce", 0, {0, 1});
  if (t.has("adhesion")) c.rule.adhesion = t.number("adhesion", 0, kNotNegative);
  if (t.has("collide")) c.rule.collide = t.flag("collide", true);
  if (t.has("one_way"))
    c.rule.one_way = t.choice("one_way", "a", {"a", "b"}) == "a" ? world::PairRule::OneWay::AMovesB
                                                                 : world::PairRule::OneWay::BMovesA;
}

}  // namespace drubble::files
