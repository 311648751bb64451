// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include "core/base/random.h"
#include "files/setup/read_parts.h"

namespace drubble::files {

namespace {

using act::ForceKind;
using act::ForceUnit;

const std::map<std::string, ForceKind> kForceKinds = {
    {"wind", ForceKind::Wind},       {"turbulence", ForceKind::Turbulence},
    {"drag", ForceKind::Drag},       {"blast", ForceKind::Blast},
    {"front", ForceKind::Front},     {"vortex", ForceKind::Vortex},
    {"attract", ForceKind::Attract}, {"push", ForceKind::Push},
    {"gravity", ForceKind::Gravity}};
const std::map<std::string, ForceUnit> kUnits = {{"acceleration", ForceUnit::Acceleration},
                                                 {"force", ForceUnit::Force},
                                                 {"impulse", ForceUnit::Impulse},
                                                 {"air", ForceUnit::Air}};

template <class Value>
std::set<std::string> namesOf(const std::map<std::string, Value>& all) {
  std::set<std::string> out;
  for (const auto& [name, unused] : all) out.insert(name);
  return out;
}

const char* usualUnit(ForceKind k) {
  return k == ForceKind::Wind || k == ForceKind::Turbulence ? "air"
         : k == ForceKind::Blast                            ? "impulse"
                                                            : "acceleration";
}

Vec3 direction(Table& t, const char* key, const Vec3& fallback) {
  const Vec3 v = t.vector(key, fallback);
  if (v.norm() > 1e-9) return v.normalized();
  t.complain(key, fmt::format("'{}' is [0, 0, 0]: give it a direction", key));
  return fallback;
}

void readPlace(Table& t, act::Force& f) {
  const bool needs = f.kind == ForceKind::Blast || f.kind == ForceKind::Attract ||
                     f.kind == ForceKind::Vortex || f.kind == ForceKind::Front;
  if (needs && !t.has("at")) t.complain("kind", "this force needs at = [x, y, z]: where it comes from");
  f.at = t.lengths("at", Vec3::Zero());
  f.radius = t.length("radius", 0, kNotNegative);
  const std::string falloff = t.choice("falloff", "none", {"none", "linear", "smooth"});
  f.falloff = falloff == "linear"   ? act::Falloff::Linear
              : falloff == "smooth" ? act::Falloff::Smooth
                                    : act::Falloff::None;
  if (f.falloff != act::Falloff::None && !(f.radius > 0))
    t.complain("falloff", "a falloff needs a radius at which nothing is left");
  if (!t.has("box")) return;
  const std::vector<double> six = t.numbers("box", 6);
  const double unit = t.document().unit;
  if (six.size() == 6) f.box = Box{unit * vec3(six[0], six[1], six[2]), unit * vec3(six[3], six[4], six[5])};
}

void readDirection(Table& t, const Setup& s, act::Force& f) {
  const bool needs = f.kind == ForceKind::Wind || f.kind == ForceKind::Push || f.kind == ForceKind::Front;
  if (needs && !t.has("direction")) t.complain("kind", "this force needs direction = [x, y, z]: which way");
  const bool falls = f.kind == ForceKind::Gravity;
  f.direction = direction(t, "direction", falls ? Vec3(-s.up()) : s.up());
  f.push = t.has("push") ? direction(t, "push", f.direction) : f.direction;
}

void readOwn(Table& t, const Setup& s, act::Force& f) {
  switch (f.kind) {
    case ForceKind::Wind:
      f.gusts = t.number("gusts", 0, {0, 1});
      f.gust_time = t.number("gust_time", 1, kPositive);
      break;
    case ForceKind::Turbulence:
      f.size = t.length("size", s.unit, kPositive);
      f.change = t.number("change", 1, kNotNegative);
      f.octaves = t.integer("octaves", 2, {1, 8});
      break;
    case ForceKind::Front:
      f.speed = t.length("speed", 0, kPositive);
      f.width = t.length("width", s.unit, kPositive);
      if (!t.has("speed")) t.complain("kind", "a front needs speed: how fast it passes");
      break;
    case ForceKind::Drag:
      f.linear = t.number("linear", 0, kNotNegative);
      f.quadratic = t.number("quadratic", 0, kNotNegative) / t.document().unit;
      f.spin = t.number("spin", 0, kNotNegative);
      if (!(f.linear > 0) && !(f.quadratic > 0) && !(f.spin > 0))
        t.complain("kind", "this drag slows nothing: give linear (1/s), quadratic (1/length) or spin (1/s)");
      break;
    default:
      break;
  }
}

}  // namespace

void readForce(Table& t, const Setup& s, ForceSetup& x) {
  act::Force& f = x.force;
  x.where = t.where();
  x.name = f.name = t.text("name", "");
  x.enabled = t.flag("enabled", true);
  if (x.name.empty()) t.complain("name", "every force needs a name");
  if (!t.has("kind"))
    t.complain(
        "name",
        "every force needs a kind: wind, turbulence, drag, blast, front, vortex, attract, push or gravity");
  const auto kind = kForceKinds.find(t.choice("kind", "gravity", namesOf(kForceKinds)));
  if (kind != kForceKinds.end()) f.kind = kind->second;
  x.who = readSelector(t, "who", false);
  if (!x.who.given()) x.who.patterns = {"**"}, x.who.where = x.where;
  if (f.kind != ForceKind::Drag && f.kind != ForceKind::Gravity) {
    const auto as = kUnits.find(t.choice("as", usualUnit(f.kind), namesOf(kUnits)));
    if (as != kUnits.end()) f.as = as->second;
  }
  const bool drags = f.kind == ForceKind::Drag;
  if (!drags && !t.has("strength")) t.complain("name", "every force needs a strength, in the unit of 'as'");
  const double unit = f.as == ForceUnit::Air ? t.document().unit : 1;
  f.strength = t.keyable("strength", drags ? 1 : 0, unit, {}, f.strengths);
  if (t.has("frames")) {
    const std::vector<double> two = t.numbers("frames", 2, {-1e6, 1e6});
    if (two.size() == 2) f.from = two[0], f.to = two[1];
    if (f.from >= f.to) t.complain("frames", "the first of the two frames must come before the second");
  } else if (f.as == ForceUnit::Impulse) {
    t.complain("name", "an impulse needs frames = [FIRST, LAST]: in which it is given");
  }
  readPlace(t, f);
  readDirection(t, s, f);
  readOwn(t, s, f);
  f.seed = RandomStream(t.seed("seed", s.seed), "force/" + x.name).next();
  f.wakes_held = t.flag("wake", false);
}

}  // namespace drubble::files
