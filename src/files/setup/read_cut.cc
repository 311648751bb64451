// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>

#include "core/base/trig.h"
#include "files/setup/read_parts.h"

namespace drubble::files {

namespace {

constexpr int kMostPieces = 200000;
constexpr int kMostRounds = 20;

Box boxOf(const std::vector<double>& n, double unit) {
  return {unit * vec3(n[0], n[1], n[2]), unit * vec3(n[3], n[4], n[5])};
}

std::optional<Vec3> readAxis(Table& t, const std::string& key) {
  if (!t.has(key)) return {};
  const Vec3 axis = t.vector(key, Vec3::UnitY());
  if (!(axis.norm() > 0)) {
    t.complain(key, fmt::format("{} is a direction: not all of it can be 0", key));
    return {};
  }
  return axis.normalized();
}

// Where more sites are to stand: one of sphere, box, mesh and line.
void readMore(Table& m, CutSetup::More& more) {
  const double unit = m.document().unit;
  cut::More& what = more.what;
  more.where = m.where();
  int kinds = 0;
  for (const char* key : {"sphere", "box", "mesh", "line"}) kinds += m.has(key);
  if (kinds != 1)
    m.complain(
        m.has("count") ? "count" : "",
        "more stands in one of these, in the body's own space: sphere = [x, y, z, radius], box = [least "
        "corner, greatest corner], mesh = FILE, or line = [[x, y, z], ...] with a radius");
  if (m.has("sphere"))
    if (const std::vector<double> ball = m.numbers("sphere", 4); ball.size() == 4) {
      what.centre = unit * vec3(ball[0], ball[1], ball[2]);
      what.radius = unit * ball[3];
      if (!(what.radius > 0)) m.complain("sphere", "a sphere's fourth number is its radius: above 0");
    }
  if (m.has("box")) {
    what.region = cut::Region::Box;
    if (const std::vector<double> box = m.numbers("box", 6); box.size() == 6) {
      what.box = boxOf(box, unit);
      if ((what.box.high - what.box.low).minCoeff() <= 0)
        m.complain("box", "a box's second corner must lie beyond its first on every axis");
    }
  }
  if (m.has("mesh")) {
    what.region = cut::Region::Mesh;
    more.mesh = m.text("mesh", "");
    more.where = m.document().where(*m.node("mesh"));
  }
  if (m.has("line")) {
    what.region = cut::Region::Line;
    const toml::array* list = m.node("line")->as_array();
    for (std::size_t k = 0; list != nullptr && k < list->size(); ++k) {
      const toml::array* place = list->get(k)->as_array();
      Vec3 p = Vec3::Zero();
      bool whole = place != nullptr && place->size() == 3;
      for (std::size_t i = 0; whole && i < 3; ++i) {
        const std::optional<double> x = place->get(i)->value<double>();
        whole = x.has_value();
        p[static_cast<Eigen::Index>(i)] = unit * x.value_or(0);
      }
      if (!whole) m.complain("line", "a line is a list of places: [[x, y, z], [x, y, z]]");
      what.line.push_back(p);
    }
    if (what.line.size() < 2) m.complain("line", "a line goes through two places or more");
    if (m.flag("smooth", false)) what.line = cut::smoothed(what.line);
    what.radius = m.length("radius", 0, kPositive);
    if (!m.has("radius")) m.complain("line", "a line needs radius: how far from it sites may stand");
  }
  what.count = m.integer("count", 0, {1, kMostPieces});
  if (!m.has("count")) m.complain("count", "more needs count: how many pieces are added there");
}

void readGrain(Table& t, CutSetup& c) {
  c.grain = t.vector("grain", Vec3::Ones(), 1, kPositive);
  c.grain_turn = t.vector("grain_turn", Vec3::Zero(), kPi / 180);
  c.even = t.integer("even", 0, {0, kMostRounds});
}

void readScatter(Table& t, CutSetup& c) {
  c.count = t.integer("count", 0, {1, kMostPieces});
  if (!t.has("count"))
    t.complain("count", fmt::format("cut '{}' needs count: about how many pieces it makes", c.name));
  readGrain(t, c);
  t.each("more", [&](Table& m) { readMore(m, c.more.emplace_back()); });
}

void readPoints(Table& t, CutSetup& c) {
  c.file = t.text("file", "");
  if (const toml::node* n = t.node("file"); n != nullptr) c.file_where = t.document().where(*n);
  if (c.file.empty()) t.complain("file", "points need file: a CSV with columns x, y, z, or a PLY");
  readGrain(t, c);
}

void readImpact(Table& t, CutSetup& c) {
  if (t.has("at")) c.at = t.lengths("at", Vec3::Zero());
  c.across = readAxis(t, "across");
  c.impact.rays = t.integer("rays", c.impact.rays, {3, 360});
  c.impact.rings = t.integer("rings", c.impact.rings, {1, 100});
  c.impact.finer = t.number("finer", c.impact.finer, {0, 1});
  c.impact.uneven = t.number("uneven", c.impact.uneven, {0, 1});
}

void readParallel(Table& t, CutSetup& c) {
  c.parallel.count = t.integer("count", 0, {2, kMostPieces});
  if (!t.has("count"))
    t.complain("count", fmt::format("cut '{}' needs count: how many slabs it makes", c.name));
  c.across = readAxis(t, "across");
  c.parallel.tilt = t.number("tilt", 0, {0, 45}) * kPi / 180;
  c.parallel.uneven = t.number("uneven", 0, {0, 0.9});
}

void readBricks(Table& t, const Setup& s, CutSetup& c) {
  const Vec3 size = t.lengths("size", Vec3::Zero(), kNotNegative);
  c.bricks.length = size.x();
  c.bricks.height = size.y();
  c.bricks.depth = size.z();
  if (!(size.x() > 0 && size.y() > 0))
    t.complain("size", fmt::format("cut '{}' needs size = [length, height, depth] of a brick and its joint; "
                                   "depth 0 goes all the way through",
                                   c.name));
  c.bricks.up = s.up();
  c.along = readAxis(t, "along");
  if (c.along && (c.along->cross(c.bricks.up)).norm() < 1e-6)
    t.complain("along", "courses lie flat: along cannot point up");
  c.bricks.shift = t.number("shift", c.bricks.shift, {0, 1});
}

}  // namespace

void readCut(Table& t, const Setup& s, CutSetup& c) {
  c.where = t.where();
  c.of = readSelector(t, "of", true);
  c.name = t.text("name", c.of.given() ? c.of.patterns.front() : "");
  c.enabled = t.flag("enabled", true);
  c.pattern = t.choice("pattern", "scatter", {"scatter", "impact", "parallel", "bricks", "points"});
  c.seed = t.seed("seed", s.seed);
  c.slivers = t.number("slivers", c.slivers, {0, 1});
  c.gap = t.length("gap", 0, kNotNegative);
  if (t.has("within"))
    if (const std::vector<double> box = t.numbers("within", 6); box.size() == 6)
      c.within = boxOf(box, t.document().unit);
  if (t.has("inside_colour")) c.inside_colour = parseColour(t, "inside_colour");
  t.table("rough", [&](Table& r) {
    c.rough.amount = r.length("amount", 0, kNotNegative);
    c.rough.grain = r.length("grain", 5 * c.rough.amount, kPositive);
    c.rough.seed = c.seed;
    if (!r.has("amount")) r.complain("amount", "rough needs amount: how far breaks go up and down");
  });
  if (c.pattern == "scatter") readScatter(t, c);
  if (c.pattern == "impact") readImpact(t, c);
  if (c.pattern == "parallel") readParallel(t, c);
  if (c.pattern == "bricks") readBricks(t, s, c);
  if (c.pattern == "points") readPoints(t, c);
}

// A cut is of bodies that are solids of their own, or of their pieces; each is cut once.
void checkCuts(Document& doc, const Setup& s) {
  std::set<std::string> known;
  for (const BodySetup& b : s.bodies)
    if (b.geometry != Geometry::Group && b.geometry != Geometry::Ground) known.insert(b.name);
  std::map<std::string, int> line_of;
  for (const CutSetup& c : s.cuts) {
    if (!c.enabled) continue;
    const auto complain = [&](const std::string& what) {
      doc.problems.push_back({fmt::format("cut '{}': {}", c.name, what), c.of.where});
    };
    for (const std::string& of : c.of.patterns) {
      const bool pieces = std::any_of(line_of.begin(), line_of.end(),
                                      [&](const auto& cut) { return of.starts_with(cut.first + "/"); });
      if (pieces) continue;
      const auto found =
          std::find_if(s.bodies.begin(), s.bodies.end(), [&](const BodySetup& b) { return b.name == of; });
      if (found == s.bodies.end()) {
        std::string why;
        const std::string body = of.substr(0, of.find('/'));
        if (body != of && known.contains(body))
          why = fmt::format("no table above cuts '{}', so that it has no pieces", body);
        const std::string near = nearest(of, known);
        complain(!why.empty() ? why
                              : fmt::format("no body is called '{}'{}", of,
                                            near.empty() ? "" : "; did you mean '" + near + "'?"));
      } else if (!known.contains(of)) {
        complain(fmt::format(
            "'{}' is no solid that could be cut: name a body with a mesh or a box, cylinder and the like",
            of));
      } else if (found->split || found->bends) {
        complain(fmt::format("'{}' is {}: it cannot be cut", of,
                             found->bends ? "numbered meshes" : "several bodies"));
      } else if (const auto [at, fresh] = line_of.emplace(of, c.where.line); !fresh) {
        complain(
            fmt::format("'{}' is cut already, in line {}; its pieces are called '{}/*'", of, at->second, of));
      }
    }
  }
}

}  // namespace drubble::files
