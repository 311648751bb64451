// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>

#include "files/setup/read_parts.h"

namespace drubble::files {

std::vector<CopySetup> readCopies(Table& t) {
  std::vector<CopySetup> copies;
  t.table("copies", [&](Table& c) {
    for (const auto& [key, value] : c.raw()) {
      const std::string name(key.str());
      copies.push_back({name, c.number(name, 1, kNotNegative), c.document().where(key.source())});
    }
    // toml++ hands keys out by name; the order of the file is the order of the setup.
    std::stable_sort(copies.begin(), copies.end(), [](const auto& a, const auto& b) {
      return std::pair(a.where.line, a.where.column) < std::pair(b.where.line, b.where.column);
    });
  });
  double total = 0;
  for (const CopySetup& c : copies) total += c.weight;
  if (copies.empty() || total <= 0) t.complain("copies", "nothing is copied: write copies = { NAME = 1 }");
  return copies;
}

std::vector<ColourSetup> readColours(Table& t) {
  std::vector<std::pair<Where, ColourSetup>> found;
  t.table("colours", [&](Table& c) {
    for (const auto& [key, value] : c.raw()) {
      const std::string name(key.str());
      const auto colour = colourOf(name);
      if (!colour)
        c.complain(name, fmt::format("'{}' is not a colour; write it as \"#rrggbb\" = WEIGHT", name));
      found.push_back({c.document().where(key.source()),
                       {colour.value_or(std::array{0.6, 0.6, 0.6}), c.number(name, 1, kNotNegative)}});
    }
  });
  std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) {
    return std::pair(a.first.line, a.first.column) < std::pair(b.first.line, b.first.column);
  });
  std::vector<ColourSetup> out;
  double total = 0;
  for (const auto& [where, colour] : found) out.push_back(colour), total += colour.weight;
  if (!out.empty() && !(total > 0)) t.complain("colours", "no colour has any weight");
  return out;
}

namespace {

const std::map<std::string, LayoutKind> kLayouts = {{"grid", LayoutKind::Grid},
                                                    {"courses", LayoutKind::Courses},
                                                    {"stack", LayoutKind::Stack},
                                                    {"ring", LayoutKind::Ring},
                                                    {"scatter", LayoutKind::Scatter}};

void readCells(Table& t, PlaceSetup& p) {
  const std::vector<double> count = t.numbers("count", 3, {1, 1e6});
  for (std::size_t k = 0; k < count.size(); ++k) {
    p.count[k] = static_cast<int>(count[k]);
    if (p.count[k] != count[k])
      t.complain("count", fmt::format("'count' of place '{}' must be three whole numbers", p.name));
  }
  if (count.size() == 3 && count[0] * count[1] * count[2] > 1e6)
    t.complain("count", fmt::format("place '{}' makes more than a million copies", p.name));
  if (t.has("spacing")) p.spacing = t.lengths("spacing", Vec3::Ones(), kPositive);
  if (t.has("gap") && p.spacing)
    t.complain("gap", "give spacing (centre to centre) or gap (edge to edge), not both");
  p.gap = t.lengths("gap", Vec3::Zero(), kNotNegative);
  p.at = t.lengths("at", Vec3::Zero());
  p.turn = t.vector("turn", Vec3::Zero(), kDegree);
  t.table("leave_out", [&](Table& x) {
    p.leave_out = {x.integer("every", 2, {1, 1e6}), x.integer("from", 1, {1, 1e6})};
  });
  if (p.layout == LayoutKind::Courses || p.layout == LayoutKind::Ring)
    p.shift = t.number("shift", 0.5, {0, 1});
  if (p.layout == LayoutKind::Ring) {
    p.radius = t.length("radius", 0, kPositive);
    if (!t.has("radius"))
      t.complain("layout", "a ring needs a radius: of the middles of its innermost copies");
    p.arc = t.number("arc", 360, {0, 360}) * kDegree;
  }
  if (p.layout == LayoutKind::Stack) {
    if (t.has("lean")) p.lean = t.length("lean", 0, kNotNegative);
    if (t.has("twist")) p.twist = t.number("twist", 0, {0, 180}) * kDegree;
  }
}

void readScatter(Table& t, PlaceSetup& p) {
  p.scatter = t.integer("count", 0, {1, 1e6});
  if (!t.has("count")) t.complain("layout", "a scatter needs count = NUMBER: how many copies");
  p.on = t.text("on", "");
  if (const toml::node* n = t.node("on")) p.on_where = t.document().where(*n);
  p.inside = readRegion(t, "inside");
  if (p.on.empty() != p.inside.has_value())
    t.complain("layout", "a scatter needs on = NAME (the surface of a body) or inside = { … }: where to");
  p.apart = t.length("apart", 0, kNotNegative);
  p.upright = t.choice("stand", "upright", {"upright", "normal"}) == "upright";
  const double unit = t.document().unit;
  t.each("denser", [&](Table& d) {
    const std::vector<double> ball = d.numbers("sphere", 4);
    place::Denser& x = p.denser.emplace_back();
    if (ball.size() == 4) x.centre = unit * vec3(ball[0], ball[1], ball[2]), x.radius = unit * ball[3];
    if (!(x.radius > 0)) d.complain("sphere", "every row of 'denser' needs sphere = [x, y, z, radius]");
    x.times = d.number("times", 1, kNotNegative);
  });
  const toml::node* within = t.node("within");
  if (within == nullptr) return;
  const toml::array* corners = within->as_array();
  bool sound = corners != nullptr && corners->size() >= 3;
  for (std::size_t k = 0; sound && k < corners->size(); ++k) {
    const toml::array* two = corners->get(k)->as_array();
    sound = two != nullptr && two->size() == 2 && two->get(0)->is_number() && two->get(1)->is_number();
    if (sound) p.within.push_back({unit * two->get(0)->value_or(0.0), unit * two->get(1)->value_or(0.0)});
  }
  if (!sound) t.complain("within", "'within' is a polygon seen from above: [[x, z], [x, z], [x, z], …]");
}

}  // namespace

SizeSetup readSize(Table& t) {
  SizeSetup out;
  const toml::node* n = t.node("size");
  if (n == nullptr) return out;
  out.where = t.document().where(*n);
  const toml::array* list = n->as_array();
  if (list == nullptr || list->empty() || !list->get(0)->is_array()) {
    const std::array<double, 2> both = t.range("size", 1, 1, kPositive);
    out.least.setConstant(both[0]);
    out.most.setConstant(both[1]);
    return out;
  }
  out.alike = false;
  bool sound = list->size() == 3;
  for (std::size_t k = 0; sound && k < 3; ++k) {
    const toml::array* two = list->get(k)->as_array();
    sound = two != nullptr && two->size() == 2 && two->get(0)->is_number() && two->get(1)->is_number();
    if (!sound) break;
    const auto axis = static_cast<Eigen::Index>(k);
    out.least[axis] = *two->get(0)->value<double>();
    out.most[axis] = *two->get(1)->value<double>();
    sound = out.least[axis] > 0 && out.least[axis] <= out.most[axis];
  }
  if (!sound)
    t.complain("size", "'size' is [least, greatest], or one such pair for each of x, y and z, all above 0");
  return out;
}

void readPlace(Table& t, const Setup& s, PlaceSetup& p) {
  p.where = t.where();
  p.name = t.text("name", "");
  p.enabled = t.flag("enabled", true);
  if (p.name.empty()) t.complain("name", "every place needs a name");
  p.copies = readCopies(t);
  p.colours = readColours(t);
  std::set<std::string> layouts;
  for (const auto& [name, kind] : kLayouts) layouts.insert(name);
  const auto layout = kLayouts.find(t.choice("layout", "grid", layouts));
  if (layout != kLayouts.end()) p.layout = layout->second;
  if (p.layout == LayoutKind::Scatter)
    readScatter(t, p);
  else
    readCells(t, p);
  bool turns = false;
  t.table("vary", [&](Table& v) {
    if (p.layout != LayoutKind::Scatter) p.vary_at = v.lengths("at", Vec3::Zero(), kNotNegative);
    turns = v.has("turn");
    p.vary_turn = v.vector("turn", Vec3::Zero(), kDegree, kNotNegative);
    p.size = readSize(v);
  });
  // Scattered things look any way about their own height.
  if (p.layout == LayoutKind::Scatter && !turns) p.vary_turn = kPi * s.up();
  p.no_room_is_error = t.choice("no_room", "skip", {"skip", "error"}) == "error";
  p.seed = t.seed("seed", s.seed);
}

}  // namespace drubble::files
