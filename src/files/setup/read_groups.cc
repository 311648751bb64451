// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <set>

#include "core/base/trig.h"
#include "files/setup/read_parts.h"

namespace drubble::files {

namespace {

void readParts(Table& t, BodySetup& b) {
  std::set<std::string> names;
  t.each("parts", [&](Table& p) {
    GroupPart& part = b.parts.emplace_back();
    part.where = p.where();
    part.body = p.text("of", "");
    part.at = p.lengths("at", Vec3::Zero());
    part.turn = p.vector("turn", Vec3::Zero(), kDegree);
    if (part.body.empty()) p.complain("of", "every part names a body: of = NAME");
    part.name = p.text("name", part.body);
    if (b.joined) return;
    if (!names.insert(part.name).second)
      p.complain("of", fmt::format("group '{}' has two parts called '{}': give one a name of its own", b.name,
                                   part.name));
  });
  if (b.parts.empty()) t.complain("parts", fmt::format("group '{}' has no parts", b.name));
}

// An end of a group's joint is one of its parts.
void checkEnd(Document& doc, const BodySetup& b, const JointSetup& j, const Selector& end) {
  if (!end.given()) return;
  std::set<std::string> known;
  for (const GroupPart& part : b.parts) known.insert(part.name);
  if (end.patterns.size() == 1 && known.contains(end.patterns.front())) return;
  const std::string near = nearest(end.patterns.front(), known);
  doc.problems.push_back(
      {fmt::format("joint '{}' holds '{}', but group '{}' has no part of that name{}", j.name,
                   end.patterns.front(), b.name, near.empty() ? "" : "; did you mean '" + near + "'?"),
       end.where});
}

void readLoose(Table& t, BodySetup& b) {
  for (const char* key : {"role", "scale", "material", "density", "mass", "centre_of_mass", "margin", "start",
                          "wake_above", "lock", "damping", "gravity_share", "collide", "show", "colour"})
    if (t.has(key))
      t.complain(key, fmt::format("the parts of group '{}' are pieces of their own: give '{}' to their "
                                  "bodies, or make them one with joined = true",
                                  b.name, key));
  b.origin = readOrigin(t);
  b.at = t.lengths("at", Vec3::Zero());
  b.turn = t.vector("turn", Vec3::Zero(), kDegree);
  b.velocity = t.lengths("velocity", Vec3::Zero());
  b.spin = t.vector("spin", Vec3::Zero(), kDegree);
  std::set<std::string> names;
  t.each("joints", [&](Table& row) {
    JointSetup& j = b.joints.emplace_back();
    readJoint(row, j);
    checkEnd(t.document(), b, j, j.a);
    checkEnd(t.document(), b, j, j.b);
    for (const JointSetup::Over& o : j.over) checkEnd(t.document(), b, j, o.of);
    if (!names.insert(j.name).second)
      row.complain("name", fmt::format("group '{}' has two joints called '{}'", b.name, j.name));
  });
}

}  // namespace

void readGroup(Table& t, const Setup& s, BodySetup& b) {
  readName(t, b, "group");
  b.geometry = Geometry::Group;
  b.joined = t.flag("joined", false);
  readParts(t, b);
  if (!b.joined) return readLoose(t, b);
  if (t.has("joints"))
    t.complain("joints", fmt::format("the parts of group '{}' are one body: leave out either its joints or "
                                     "joined = true",
                                     b.name));
  b.role = readRole(t, "dynamic");
  readCommon(t, s, b);
}

}  // namespace drubble::files
