// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <sstream>

#include "core/base/trig.h"
#include "files/setup/overrides.h"
#include "files/setup/read_parts.h"
#include "files/setup/setup.h"
#include "files/setup/table.h"

namespace drubble::files {

namespace {

constexpr const char* kTopKeys[] = {"title", "units",   "up",         "fps",         "frames",    "preroll",
                                    "seed",  "gravity", "time_scale", "keep_inside", "start_from"};

void readFriction(Table& t, world::Material& m) {
  const toml::node* n = t.node("friction");
  if (n == nullptr) return;
  if (!n->is_table()) {
    m.friction_rest = m.friction_slide = t.number("friction", m.friction_rest, kNotNegative);
    return;
  }
  t.table("friction", [&](Table& f) {
    m.friction_rest = f.number("rest", m.friction_rest, kNotNegative);
    m.friction_slide = f.number("slide", least(m.friction_slide, m.friction_rest), kNotNegative);
    if (m.friction_slide > m.friction_rest)
      f.complain("slide", "sliding friction cannot be above friction at rest");
  });
}

void readMaterials(Table& root, Setup& s) {
  root.table("material", [&](Table& all) {
    for (const auto& [key, value] : all.raw()) {
      const std::string name(key.str());
      all.table(name, [&](Table& t) {
        world::Material m{name, 1000, 0.5, 0.5, 0.2, true};
        if (const std::string like = t.text("like", ""); !like.empty()) {
          const auto& presets = materialPresets();
          if (const auto found = presets.find(like); found != presets.end()) {
            m = found->second;
            m.name = name;
          } else {
            std::set<std::string> known;
            for (const auto& [k, unused] : presets) known.insert(k);
            t.choice("like", "granite", known);
          }
        }
        m.density = t.number("density", m.density, kPositive);
        readFriction(t, m);
        m.bounce = t.number("bounce", m.bounce, {0, 1});
        m.rolling = t.number("rolling", m.rolling, kNotNegative);
        m.spinning = t.number("spinning", m.spinning, kNotNegative);
        m.strength = readStrength(t, "strength", m.strength);
        m.stiffness = t.number("stiffness", m.stiffness, kPositive);
        m.blow_time = t.number("blow_time", m.blow_time, kPositive);
        if (t.flag("enabled", true)) s.materials[name] = m;
      });
    }
  });
}

void readWatch(Table& t, WatchSetup& w) {
  w.where = t.where();
  w.name = t.text("name", "");
  w.enabled = t.flag("enabled", true);
  if (w.name.empty()) t.complain("name", "every watch needs a name");
  w.who = readSelector(t, "who", true);
  w.in = readRegion(t, "inside");
  w.keep_contacts = t.flag("keep_contacts", false);
}

void readCamera(Table& t, CameraSetup& c) {
  c.name = t.text("name", "");
  c.enabled = t.flag("enabled", true);
  if (c.name.empty()) t.complain("name", "every camera needs a name");
  if (!t.has("at") || !t.has("look")) t.complain("at", "a camera needs at and look");
  c.at = t.lengths("at", Vec3::Zero());
  c.look = t.lengths("look", Vec3::Zero());
  c.lens = t.number("lens", 35, {1, 2000});
  if (t.has("at") && c.at == c.look) t.complain("look", "the camera looks at its own place");
}

void readWhole(Table& root, Setup& s) {
  static const std::map<std::string, double> kUnits = {
      {"m", 1}, {"cm", 0.01}, {"mm", 0.001}, {"in", 0.0254}, {"ft", 0.3048}};
  s.title = root.text("title", "");
  s.units = root.choice("units", "m", {"m", "cm", "mm", "in", "ft"});
  s.unit = root.document().unit = kUnits.at(s.units);
  s.up_is_z = root.choice("up", "y", {"y", "z"}) == "z";
  s.fps = root.number("fps", 24, {1, 1000});
  const std::vector<double> frames = root.numbers("frames", 2, {-1e6, 1e6});
  if (frames.size() == 2) {
    s.first_frame = static_cast<int>(frames[0]);
    s.last_frame = static_cast<int>(frames[1]);
    if (s.last_frame < s.first_frame) root.complain("frames", "the last frame lies before the first");
    if (s.first_frame != frames[0] || s.last_frame != frames[1])
      root.complain("frames", "frames are whole numbers");
  }
  s.planned_last = std::max(s.planned_last, s.last_frame);
  s.cached_from = s.first_frame;
  s.first_frame -= root.integer("preroll", 0, {0, 1e5});
  s.seed = root.seed("seed", 0);
  s.gravity = -9.81 * s.up();
  if (const toml::node* n = root.node("gravity"); n != nullptr && n->is_array())
    s.gravity = root.vector("gravity", s.gravity);
  else
    s.gravity = -root.number("gravity", 9.81, {-1e4, 1e4}) * s.up();
  s.time_scale = root.keyable("time_scale", 1, 1, kPositive, s.time_scales);
  root.table("keep_inside", [&](Table& t) {
    const std::vector<double> b = t.numbers("box", 6);
    if (b.size() != 6)
      return t.complain("box", "keep_inside needs box = [least corner, greatest corner]: six numbers");
    Box box{s.unit * vec3(b[0], b[1], b[2]), s.unit * vec3(b[3], b[4], b[5])};
    if (!(box.low.array() < box.high.array()).all())
      t.complain("box", "the first three numbers of the box must be the least corner");
    s.keep_inside = box;
  });
  root.table("start_from", [&](Table& t) {
    StartFromSetup from;
    from.where = t.where();
    from.cache = t.text("cache", "");
    if (from.cache.empty()) t.complain("cache", "start_from needs cache = FILE: where another run was");
    if (t.has("frame")) from.frame = t.integer("frame", 1, {-1e6, 1e6});
    from.keep_motion = t.choice("motion", "still", {"keep", "still"}) == "keep";
    from.who = readSelector(t, "who", false);
    if (!from.who.given()) from.who.patterns = {"**"}, from.who.where = from.where;
    s.start_from = from;
  });
}

void readSolver(Table& root, Setup& s) {
  root.table("solver", [&](Table& t) {
    s.solver.substeps = t.integerOrAuto("substeps", 0, {1, 1000});
    s.solver.iterations = t.integerOrAuto("iterations", 0, {1, 1000});
    s.solver.look_ahead = t.numberOrAuto("look_ahead", -1, s.unit, kNotNegative);
    s.solver.quality = t.number("quality", 1, {0.25, 8});
    t.table("sleep", [&](Table& q) {
      s.solver.sleep_speed = q.numberOrAuto("speed", -1, s.unit, kNotNegative);
      s.solver.sleep_after = q.number("after", 0.4, kNotNegative);
    });
    t.text("name", "");  // a label for people
    if (!t.flag("enabled", true)) s.solver = {};
  });
}

template <class List>
void checkUnique(Document& doc, const List& list, const char* kind) {
  std::map<std::string, Where> first;
  for (const auto& x : list) {
    const auto [it, fresh] = first.emplace(x.name, x.where);
    if (fresh || x.name.empty()) continue;
    doc.problems.push_back({fmt::format("the name '{}' is used twice: another {} has it in line {}", x.name,
                                        kind, it->second.line),
                            x.where});
  }
}

std::vector<std::string> splitLines(const std::string& text) {
  std::vector<std::string> lines;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) {
    if (!line.empty() && line.back() == '\r') line.pop_back();
    lines.push_back(line);
  }
  return lines;
}

void checkCopies(Document& doc, const Setup& s) {
  std::set<std::string> known;
  for (const BodySetup& b : s.bodies) known.insert(b.name);
  const auto check = [&](const char* kind, const std::string& name, const std::vector<CopySetup>& copies) {
    for (const CopySetup& c : copies) {
      if (known.contains(c.body)) continue;
      const std::string near = nearest(c.body, known);
      doc.problems.push_back({fmt::format("{} '{}' copies '{}', but no body has that name{}", kind, name,
                                          c.body, near.empty() ? "" : "; did you mean '" + near + "'?"),
                              c.where});
    }
  };
  for (const PlaceSetup& p : s.places) check("place", p.name, p.copies);
  for (const PourSetup& p : s.pours) check("pour", p.name, p.copies);
}

}  // namespace

Setup parseSetup(const std::string& path, const std::string& text,
                 const std::vector<std::string>& overrides) {
  Setup s;
  s.path = path;
  s.text = text;
  Document doc;
  doc.path = path;
  doc.lines = splitLines(text);
  for (const char* k : kTopKeys) doc.top_keys.insert(k);
  toml::table tree;
  try {
    tree = toml::parse(text, std::string_view(path));
  } catch (const toml::parse_error& e) {
    doc.complain(e.source(), fmt::format("not TOML: {}", e.description()));
    doc.throwIfAny();
  }
  const int written_last = tree["frames"][1].value_or(s.last_frame);
  applyOverrides(tree, overrides);
  s.planned_last = written_last;
  Table root(doc, tree, "the setup");
  readWhole(root, s);
  readSolver(root, s);
  readMaterials(root, s);
  root.each("body", [&](Table& t) { readBody(t, s, s.bodies.emplace_back()); });
  root.each("group", [&](Table& t) { readGroup(t, s, s.bodies.emplace_back()); });
  root.each("cut", [&](Table& t) { readCut(t, s, s.cuts.emplace_back()); });
  readSelections(root, s);
  root.each("adjust", [&](Table& t) { readAdjust(t, s, s.adjusts.emplace_back()); });
  root.each("motion", [&](Table& t) { readMotion(t, s, s.motions.emplace_back()); });
  root.each("contact", [&](Table& t) { readContact(t, s.contacts.emplace_back()); });
  root.each("joint", [&](Table& t) { readJoint(t, s.joints.emplace_back()); });
  root.each("bond", [&](Table& t) { readBond(t, s, s.bonds.emplace_back()); });
  root.each("force", [&](Table& t) { readForce(t, s, s.forces.emplace_back()); });
  root.each("rule", [&](Table& t) { readRule(t, s, s.rules.emplace_back()); });
  root.each("watch", [&](Table& t) { readWatch(t, s.watches.emplace_back()); });
  root.each("place", [&](Table& t) { readPlace(t, s, s.places.emplace_back()); });
  root.each("pour", [&](Table& t) { readPour(t, s, s.pours.emplace_back()); });
  root.each("camera", [&](Table& t) { readCamera(t, s.cameras.emplace_back()); });
  root.finish();
  checkUnique(doc, s.bodies, "body");
  checkUnique(doc, s.cuts, "cut");
  checkUnique(doc, s.places, "place");
  checkUnique(doc, s.pours, "pour");
  checkUnique(doc, s.joints, "joint");
  checkUnique(doc, s.bonds, "bond");
  checkUnique(doc, s.forces, "force");
  checkUnique(doc, s.rules, "rule");
  checkUnique(doc, s.watches, "watch");
  checkCopies(doc, s);
  checkCuts(doc, s);
  if (s.bodies.empty() && doc.problems.empty())
    doc.problems.push_back(
        {"the setup has no [[body]]: there is nothing to simulate", Where{path, 0, 0, ""}});
  doc.throwIfAny();
  return s;
}

Setup readSetup(const std::string& path, const std::vector<std::string>& overrides) {
  std::error_code ignored;
  if (std::filesystem::is_directory(path, ignored))
    throw Error(ErrorKind::Input, "a folder, not a setup file", Where{path, 0, 0, ""});
  std::ifstream in(path, std::ios::binary);
  if (!in)
    throw Error(ErrorKind::Input, "cannot read the setup: no such file, or no permission",
                Where{path, 0, 0, ""});
  std::ostringstream text;
  text << in.rdbuf();
  if (in.bad() || (!in && !in.eof()))
    throw Error(ErrorKind::Input, "cannot read the setup: is it a folder?", Where{path, 0, 0, ""});
  return parseSetup(path, text.str(), overrides);
}

}  // namespace drubble::files
