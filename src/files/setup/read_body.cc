// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include "core/base/trig.h"
#include "files/numbered.h"
#include "files/setup/read_parts.h"

namespace drubble::files {

std::optional<std::array<double, 3>> colourOf(const std::string& text) {
  if (text.size() != 7 || text[0] != '#' ||
      text.find_first_not_of("0123456789abcdefABCDEF", 1) != std::string::npos)
    return {};
  std::array<double, 3> rgb{};
  for (std::size_t k = 0; k < 3; ++k) rgb[k] = std::stoi(text.substr(1 + 2 * k, 2), nullptr, 16) / 255.0;
  return rgb;
}

std::array<double, 3> parseColour(Table& t, const std::string& key) {
  const std::string s = t.text(key, "#999999");
  const auto rgb = colourOf(s);
  if (!rgb) t.complain(key, fmt::format("'{}' is not a colour; write it as \"#rrggbb\"", s));
  return rgb.value_or(std::array{0.6, 0.6, 0.6});
}

std::string readMaterialName(Table& t, const Setup& s, const std::string& key) {
  const std::string name = t.text(key, "");
  if (name.empty() || materialPresets().contains(name) || s.materials.contains(name)) return name;
  std::set<std::string> known;
  for (const auto& [k, unused] : materialPresets()) known.insert(k);
  for (const auto& [k, unused] : s.materials) known.insert(k);
  t.choice(key, "granite", known);
  return {};
}

namespace {

constexpr const char* kGeometries = "mesh, box, sphere, ellipsoid, capsule, cylinder, ground";

std::array<double, 2> readRound(Table& t, const char* key, const char* says) {
  const std::vector<double> x = t.numbers(key, 2, kPositive);
  if (x.size() != 2) {
    t.complain(key, fmt::format("'{}' needs [{}]", key, says));
    return {1, 1};
  }
  return {x[0] * t.document().unit, x[1] * t.document().unit};
}

void readGeometry(Table& t, BodySetup& b) {
  int kinds = 0;
  const auto is = [&](const char* key, Geometry g) {
    if (!t.has(key)) return false;
    ++kinds;
    b.geometry = g;
    return true;
  };
  if (is("mesh", Geometry::Mesh)) {
    b.mesh = t.text("mesh", "");
    b.mesh_where = t.document().where(*t.node("mesh"));
  }
  t.table("detail", [&](Table& d) {
    b.detail = d.text("mesh", "");
    b.detail_where = d.where();
    if (b.detail.empty()) d.complain("mesh", "a detail needs mesh = a file");
  });
  if (is("box", Geometry::Box)) b.box = t.lengths("box", Vec3::Ones(), kPositive);
  if (is("sphere", Geometry::Sphere)) b.sphere = t.length("sphere", 1, kPositive);
  if (is("ellipsoid", Geometry::Ellipsoid)) b.ellipsoid = t.lengths("ellipsoid", Vec3::Ones(), kPositive);
  if (is("capsule", Geometry::Capsule))
    b.capsule = readRound(t, "capsule", "radius, height between the centres");
  if (is("cylinder", Geometry::Cylinder)) b.cylinder = readRound(t, "cylinder", "radius, height");
  if (is("ground", Geometry::Ground)) b.ground = t.length("ground", 0);
  if (kinds == 0)
    t.complain("name", fmt::format("body '{}' has no geometry: give it one of {}", b.name, kGeometries));
  if (kinds > 1)
    t.complain("name",
               fmt::format("body '{}' has more than one geometry: keep one of {}", b.name, kGeometries));
  if (b.geometry != Geometry::Mesh) return;
  b.mend = t.flag("mend", false);
  b.split = t.flag("split", false);
  if (b.split && !b.mesh.ends_with(".obj"))
    t.complain("split", "only the groups of an OBJ file can be split");
  b.bends = isNumbered(b.mesh);
  if (t.has("mesh_from")) b.mesh_from = static_cast<int>(t.integer("mesh_from", 1, {-100000, 1000000}));
  if (b.mesh_from && !b.bends)
    t.complain("mesh_from", "this is for numbered meshes, like mesh = \"sail.####.obj\"");
  if (b.bends && (b.mend || b.split))
    t.complain("mesh", "numbered meshes cannot be mended or split: their vertices must stay the same");
  if (t.has("mesh_units")) {
    static const std::map<std::string, double> kUnits = {
        {"m", 1}, {"cm", 0.01}, {"mm", 0.001}, {"in", 0.0254}, {"ft", 0.3048}};
    b.mesh_unit = kUnits.at(t.choice("mesh_units", "m", {"m", "cm", "mm", "in", "ft"}));
  }
}

// "xz": those axes of the world are locked.
Vec3 readLock(Table& t, const std::string& key) {
  Vec3 free = Vec3::Ones();
  for (const char c : t.text(key, "")) {
    if (c < 'x' || c > 'z')
      t.complain(key,
                 fmt::format("'{}' names axes of the world to lock: any of x, y and z, like \"xz\"", key));
    else
      free[c - 'x'] = 0;
  }
  return free;
}

world::Start startOf(Table& t) {
  const std::string s = t.choice("start", "awake", {"awake", "asleep", "held"});
  return s == "held" ? world::Start::Held : s == "asleep" ? world::Start::Asleep : world::Start::Awake;
}

void readFlight(Table& t, BodySetup& b) {
  b.velocity = t.lengths("velocity", Vec3::Zero());
  b.spin = t.vector("spin", Vec3::Zero(), kDegree);
  t.table("damping", [&](Table& d) {
    b.travel_damping = d.number("travel", 0, kNotNegative);
    b.spin_damping = d.number("spin", 0, kNotNegative);
  });
  t.table("lock", [&](Table& l) {
    b.free_travel = readLock(l, "travel");
    b.free_turn = readLock(l, "turn");
  });
  b.gravity_share = t.number("gravity_share", 1);
  b.start = startOf(t);
  b.wake_above = t.length("wake_above", 0.5, kNotNegative);
}

}  // namespace

world::Role readRole(Table& t, const std::string& fallback) {
  const std::string r = t.choice("role", fallback, {"static", "kinematic", "dynamic"});
  return r == "static"      ? world::Role::Static
         : r == "kinematic" ? world::Role::Kinematic
                            : world::Role::Dynamic;
}

Origin readOrigin(Table& t) {
  const std::string origin = t.choice("origin", "mesh", {"mesh", "centre", "base"});
  return origin == "centre" ? Origin::Centre : origin == "base" ? Origin::Base : Origin::Mesh;
}

void readCommon(Table& t, const Setup& s, BodySetup& b) {
  b.origin = readOrigin(t);
  b.at = t.lengths("at", Vec3::Zero());
  b.turn = t.vector("turn", Vec3::Zero(), kDegree);
  b.scale = t.number("scale", 1, kPositive);
  b.material = readMaterialName(t, s);
  if (t.has("density")) b.density = t.number("density", 1000, kPositive);
  if (t.has("mass")) b.mass = t.number("mass", 1, kPositive);
  if (b.density && b.mass) t.complain("mass", "give density or mass, not both");
  if (t.has("centre_of_mass")) b.centre_of_mass = t.lengths("centre_of_mass", Vec3::Zero());
  b.margin = t.length("margin", 0, kNotNegative);
  readFlight(t, b);
  b.collide = t.flag("collide", true);
  b.show = t.choice("show", "solid", {"solid", "no"}) == "solid";
  if (t.has("colour")) b.colour = parseColour(t, "colour");
}

void readName(Table& t, BodySetup& b, const char* kind) {
  b.where = t.where();
  b.name = t.text("name", "");
  b.enabled = t.flag("enabled", true);
  if (b.name.empty()) t.complain("name", fmt::format("every {} needs a name", kind));
}

void readBody(Table& t, const Setup& s, BodySetup& b) {
  readName(t, b, "body");
  readGeometry(t, b);
  const bool ground = b.geometry == Geometry::Ground;
  b.role = readRole(t, ground ? "static" : "dynamic");
  if (ground && b.role != world::Role::Static)
    t.complain("role", "ground cannot move: leave the role out, or make it a box");
  b.shape = t.choice("shape", "auto",
                     {"auto", "sphere", "box", "ellipsoid", "capsule", "cylinder", "hull", "parts", "mesh"});
  if (t.has("shape")) b.shape_where = t.document().where(*t.node("shape"));
  if (b.shape == "mesh" && b.role == world::Role::Dynamic)
    t.complain("shape", fmt::format("body '{}' moves by itself, and shape 'mesh' is for static and kinematic "
                                    "bodies: use 'parts', 'hull', or another role",
                                    b.name));
  if (b.bends && (b.role != world::Role::Kinematic || (b.shape != "auto" && b.shape != "mesh")))
    t.complain("mesh", fmt::format("body '{}' changes its form with its numbered meshes: that is for role = "
                                   "\"kinematic\" and shape \"mesh\"",
                                   b.name));
  b.hull_corners = t.integer("hull_corners", 64, {4, 256});
  b.fit = t.number("fit", 0.01, {0, 0.5});
  b.most_parts = t.integer("most_parts", 24, {1, 256});
  readCommon(t, s, b);
}

void readAdjust(Table& t, const Setup& s, AdjustSetup& a) {
  a.where = t.where();
  a.name = t.text("name", "");
  a.enabled = t.flag("enabled", true);
  a.who = readSelector(t, "who", true);
  if (t.has("role")) a.role = readRole(t, "dynamic");
  if (t.has("start")) a.start = startOf(t);
  if (t.has("wake_above")) a.wake_above = t.length("wake_above", 0.5, kNotNegative);
  if (t.has("density")) a.density = t.number("density", 1000, kPositive);
  if (t.has("gravity_share")) a.gravity_share = t.number("gravity_share", 1);
  t.table("damping", [&](Table& d) {
    if (d.has("travel")) a.travel_damping = d.number("travel", 0, kNotNegative);
    if (d.has("spin")) a.spin_damping = d.number("spin", 0, kNotNegative);
  });
  if (t.has("velocity")) a.velocity = t.lengths("velocity", Vec3::Zero());
  if (t.has("spin")) a.spin = t.vector("spin", Vec3::Zero(), kDegree);
  t.table("lock", [&](Table& l) {
    if (l.has("travel")) a.free_travel = readLock(l, "travel");
    if (l.has("turn")) a.free_turn = readLock(l, "turn");
  });
  if (t.has("material")) a.material = readMaterialName(t, s);
  if (t.has("collide")) a.collide = t.flag("collide", true);
  if (t.has("show")) a.show = t.choice("show", "solid", {"solid", "no"}) == "solid";
  if (t.has("colour")) a.colour = parseColour(t, "colour");
}

}  // namespace drubble::files
