// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include "files/setup/read_parts.h"

namespace drubble::files {

namespace {

void readZones(Table& t, BondSetup& b) {
  t.each("zones", [&](Table& z) {
    BondSetup::Zone& zone = b.zones.emplace_back();
    const double unit = z.document().unit;
    if (z.has("sphere")) {
      const std::vector<double> four = z.numbers("sphere", 4);
      if (four.size() == 4) {
        zone.centre = unit * Vec3(four[0], four[1], four[2]);
        zone.radius = unit * four[3];
      }
    }
    if (z.has("box")) {
      const std::vector<double> six = z.numbers("box", 6);
      if (six.size() == 6)
        zone.box = Box{unit * Vec3(six[0], six[1], six[2]), unit * Vec3(six[3], six[4], six[5])};
    }
    if (z.has("sphere") == z.has("box"))
      z.complain("sphere",
                 "a zone takes sphere = [x, y, z, radius], or box = [least corner, greatest corner]");
    if (!z.has("times"))
      z.complain("times", "a zone needs times: by how much bonds are stronger there, or weaker");
    zone.times = z.number("times", 1, kNotNegative);
  });
}

}  // namespace

bond::Strength readStrength(Table& t, const std::string& key, const bond::Strength& fallback) {
  const toml::node* n = t.node(key);
  if (n == nullptr) return fallback;
  bond::Strength s = fallback;
  if (!n->is_table()) {
    s.tension = s.compression = s.shear = t.number(key, 0, kNotNegative);
    return s;
  }
  t.table(key, [&](Table& x) {
    s.tension = x.number("tension", s.tension, kNotNegative);
    s.compression = x.number("compression", s.compression, kNotNegative);
    s.shear = x.number("shear", s.shear, kNotNegative);
  });
  return s;
}

void readBond(Table& t, const Setup& s, BondSetup& b) {
  b.where = t.where();
  b.name = t.text("name", "");
  b.enabled = t.flag("enabled", true);
  if (b.name.empty()) t.complain("name", "every [[bond]] needs a name");
  if (t.has("between"))
    readBetween(t, "between takes [ONE, OTHER]: two name patterns, or lists of them", b.a, b.b);
  else
    b.a = readSelector(t, "among", false);
  b.list = t.text("list", "");
  if (t.has("list")) b.list_where = t.document().where(*t.node("list"));
  if (t.has("between") + t.has("among") + t.has("list") != 1)
    t.complain("among",
               "a bond needs among = PIECES, between = [ONE, OTHER] or list = FILE: which pieces it holds "
               "together");
  b.reach = t.length("reach", 0, kNotNegative);
  world::BondTable& table = b.table;
  table.name = b.name;
  if (t.has("material")) b.material = readMaterialName(t, s);
  table.strength = t.keyable("strength", 1, 1, kNotNegative, table.strengths);
  table.yields = t.choice("kind", "rigid", {"rigid", "yielding"}) == "yielding";
  for (const char* key : {"stiffness", "damping", "tear"})
    if (t.has(key) && !table.yields)
      t.complain(key,
                 fmt::format("'{}' is for bonds that give before they part: add kind = \"yielding\"", key));
  b.stiffness = t.number("stiffness", 1, kPositive);
  table.damping = t.number("damping", table.damping, kNotNegative);
  table.tear = t.number("tear", table.tear, kPositive);
  b.vary = t.number("vary", 0, {0, 1});
  b.unbreakable = t.flag("unbreakable", false);
  if (t.has("force")) b.force = readStrength(t, "force", {});
  table.reach = t.length("blow_reach", 0, kNotNegative);
  table.keep_stress = t.flag("keep_stress", false);
  table.toughness = t.number("toughness", 0, kNotNegative);
  b.even = t.has("even") ? std::optional<bool>(t.flag("even", false)) : std::nullopt;
  b.seed = t.seed("seed", s.seed);
  readZones(t, b);
  t.table("clumps", [&](Table& c) {
    if (c.has("size")) {
      const std::vector<double> two = c.numbers("size", 2, {1, 1e6});
      if (two.size() == 2) b.clump_size = {static_cast<int>(two[0]), static_cast<int>(two[1])};
      if (b.clump_size[0] > b.clump_size[1])
        c.complain("size",
                   "the first of the two, the fewest pieces of a clump, must not be above the second");
    } else {
      c.complain("size", "clumps need size = [FEWEST, MOST] pieces");
    }
    b.clump_times = c.number("times", 5, kNotNegative);
  });
}

}  // namespace drubble::files
