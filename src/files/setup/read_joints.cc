// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include "core/base/trig.h"
#include "files/setup/read_parts.h"

namespace drubble::files {

namespace {

using solve::JointKind;

JointKind kindOf(Table& t) {
  static const std::map<std::string, JointKind> kJointKinds = {
      {"hinge", JointKind::Hinge},   {"ball", JointKind::Ball}, {"slider", JointKind::Slider},
      {"spring", JointKind::Spring}, {"rope", JointKind::Rope}, {"fixed", JointKind::Fixed}};
  std::set<std::string> names;
  for (const auto& [name, kind] : kJointKinds) names.insert(name);
  if (!t.has("kind"))
    t.complain("name",
               "a joint needs kind = \"hinge\", \"ball\", \"slider\", \"spring\", \"rope\" or \"fixed\"");
  return kJointKinds.at(t.choice("kind", "fixed", names));
}

// A limit or a motor is in degrees, or in the setup's unit.
double freeUnit(Table& t, JointKind kind) { return kind == JointKind::Slider ? t.document().unit : kDegree; }

void readLimits(Table& t, JointKind kind, solve::Joint& j) {
  if (!t.has("limits")) return;
  const std::vector<double> two = t.numbers("limits", 2);
  if (two.size() != 2) return;
  j.low = two[0] * freeUnit(t, kind);
  j.high = two[1] * freeUnit(t, kind);
  if (j.low > j.high) t.complain("limits", "the first limit must not be above the second");
  if (j.low > 0 || j.high < 0)
    t.complain("limits", "the limits must have 0 between them: a joint is at 0 as the setup starts");
}

void readMotor(Table& t, JointKind kind, world::SceneJoint& j) {
  t.table("motor", [&](Table& m) {
    j.joint.motor_speed = m.keyable("speed", 0, freeUnit(t, kind), {}, j.motor_speed);
    j.joint.motor_strength = m.number("strength", 0, kPositive);
    if (!m.has("speed") || !m.has("strength"))
      m.complain("speed", fmt::format("a motor needs speed ({} a second) and strength ({})",
                                      kind == JointKind::Slider ? "lengths" : "degrees",
                                      kind == JointKind::Slider ? "N" : "N m"));
  });
  j.joint.friction = t.number("friction", 0, kNotNegative);
}

void readEnds(Table& t, JointSetup& j) {
  const JointKind kind = j.joint.joint.kind;
  if (kind == JointKind::Spring || kind == JointKind::Rope) {
    if (!t.has("a_at") || !t.has("b_at"))
      t.complain("name", fmt::format("a {} needs a_at and b_at: where its ends are fastened",
                                     kind == JointKind::Spring ? "spring" : "rope"));
    j.a_at = t.lengths("a_at", Vec3::Zero());
    j.b_at = t.lengths("b_at", Vec3::Zero());
    return;
  }
  if (!t.has("at")) t.complain("name", "this joint needs at = [x, y, z]: where it is");
  j.at = t.lengths("at", Vec3::Zero());
  const bool needed = kind == JointKind::Hinge || kind == JointKind::Slider;
  if (!t.has("axis") && needed)
    t.complain("name", fmt::format("a {} needs axis = [x, y, z]: what it {}",
                                   kind == JointKind::Hinge ? "hinge" : "slider",
                                   kind == JointKind::Hinge ? "turns about" : "goes along"));
  j.axis = t.vector("axis", Vec3::UnitX());
  if (t.has("axis") && !(j.axis.norm() > 1e-9))
    t.complain("axis", "the axis is [0, 0, 0]: give it a direction");
}

void readOver(Table& t, JointSetup& j) {
  t.each("over", [&](Table& o) {
    JointSetup::Over& point = j.over.emplace_back();
    point.of = readSelector(o, "of", false);
    point.at = o.lengths("at", Vec3::Zero());
    if (!o.has("at")) o.complain("of", "a point that a rope runs over needs at = [x, y, z]");
  });
}

}  // namespace

void readJoint(Table& t, JointSetup& j) {
  j.where = t.where();
  j.name = t.text("name", "");
  j.enabled = t.flag("enabled", true);
  if (j.name.empty()) t.complain("name", "every joint needs a name");
  const JointKind kind = j.joint.joint.kind = kindOf(t);
  j.joint.name = j.name;
  j.a = readSelector(t, "a", true);
  j.b = readSelector(t, "b", false);
  readEnds(t, j);
  solve::Joint& p = j.joint.joint;
  if (kind == JointKind::Hinge || kind == JointKind::Slider || kind == JointKind::Ball) {
    readLimits(t, kind, p);
    readMotor(t, kind, j.joint);
  }
  if (kind == JointKind::Ball && t.has("cone")) p.cone = kDegree * t.number("cone", 180, {0, 180, true});
  if (kind == JointKind::Spring) {
    if (!t.has("stiffness")) t.complain("name", "a spring needs stiffness, in N/m");
    p.stiffness = t.keyable("stiffness", 0, 1, kNotNegative, j.joint.stiffness);
    p.damping = t.number("damping", 0, kNotNegative);
  }
  if (kind == JointKind::Rope) readOver(t, j);
  if ((kind == JointKind::Spring || kind == JointKind::Rope) && t.has("length"))
    j.length = t.keyable("length", 0, t.document().unit, kNotNegative, j.joint.length);
  if (t.has("collide")) j.collide = t.flag("collide", false);
  t.table("breaks_at", [&](Table& b) {
    if (b.has("force")) p.breaks_force = b.number("force", 0, kPositive);
    if (b.has("torque")) p.breaks_torque = b.number("torque", 0, kPositive);
    if (!b.has("force") && !b.has("torque"))
      b.complain("force", "breaks_at takes force (N), torque (N m) or both");
  });
}

}  // namespace drubble::files
