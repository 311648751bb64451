// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include "files/setup/read_parts.h"

namespace drubble::files {

namespace {

constexpr int kMostPieces = 200000;

void readScatter(Table& t, CutSetup& c) {
  c.count = t.integer("count", 0, {1, kMostPieces});
  if (!t.has("count"))
    t.complain("count", fmt::format("cut '{}' needs count: about how many pieces it makes", c.name));
  c.grain = t.vector("grain", Vec3::Ones(), 1, kPositive);
  t.each("more", [&](Table& m) {
    cut::More& more = c.more.emplace_back();
    const std::vector<double> ball = m.numbers("sphere", 4);
    if (ball.size() == 4) {
      const double unit = t.document().unit;
      more.centre = unit * vec3(ball[0], ball[1], ball[2]);
      more.radius = unit * ball[3];
    }
    if (ball.size() != 4 || !(more.radius > 0))
      m.complain("sphere", "more needs sphere = [x, y, z, radius], in the body's own space");
    more.count = m.integer("count", 0, {1, kMostPieces});
    if (!m.has("count")) m.complain("count", "more needs count: how many pieces are added there");
  });
}

void readImpact(Table& t, CutSetup& c) {
  if (t.has("at")) c.at = t.lengths("at", Vec3::Zero());
  c.impact.rays = t.integer("rays", c.impact.rays, {3, 360});
  c.impact.rings = t.integer("rings", c.impact.rings, {1, 100});
  c.impact.finer = t.number("finer", c.impact.finer, {0, 1});
  c.impact.uneven = t.number("uneven", c.impact.uneven, {0, 1});
}

}  // namespace

void readCut(Table& t, const Setup& s, CutSetup& c) {
  c.where = t.where();
  c.of = t.text("of", "");
  if (const toml::node* n = t.node("of"); n != nullptr) c.of_where = t.document().where(*n);
  c.name = t.text("name", c.of);
  c.enabled = t.flag("enabled", true);
  if (c.of.empty()) t.complain("of", "every cut names a body: of = NAME");
  c.pattern = t.choice("pattern", "scatter", {"scatter", "impact"});
  c.seed = t.seed("seed", s.seed);
  c.slivers = t.number("slivers", c.slivers, {0, 1});
  if (c.pattern == "scatter")
    readScatter(t, c);
  else
    readImpact(t, c);
}

}  // namespace drubble::files
