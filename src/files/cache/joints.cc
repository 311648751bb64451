// SPDX-License-Identifier: Apache-2.0
#include "files/cache/joints.h"

#include <array>
#include <cmath>

namespace drubble::files {

namespace {

constexpr std::array<const char*, 6> kNames = {"hinge", "ball", "slider", "spring", "rope", "fixed"};

CachedJoint::Point pointOf(const solve::JointSide& side) {
  return {side.piece.valid() ? static_cast<int>(side.piece.value) : -1, side.at, side.frame * Vec3::UnitX()};
}

}  // namespace

const char* jointName(solve::JointKind kind) { return kNames[static_cast<std::size_t>(kind)]; }

std::vector<CachedJoint> jointsOf(const world::Scene& s) {
  std::vector<CachedJoint> out;
  for (const world::SceneJoint& j : s.joints) {
    CachedJoint c{j.name, j.joint.kind, {pointOf(j.joint.a)}, {}, j.joint.length};
    for (const solve::JointPoint& p : j.joint.over) c.points.push_back(pointOf({p.piece, p.at}));
    c.points.push_back(pointOf(j.joint.b));
    if (std::isfinite(j.joint.low) && std::isfinite(j.joint.high)) c.limits = {j.joint.low, j.joint.high};
    out.push_back(std::move(c));
  }
  return out;
}

void writeJoints(Database& db, const world::Scene& s) {
  Statement joint(db, "INSERT INTO joints VALUES (?, ?, ?, ?, ?, ?)"),
      point(db, "INSERT INTO joint_points VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)");
  const std::vector<CachedJoint> all = jointsOf(s);
  for (std::uint32_t id = 0; id < all.size(); ++id) {
    const CachedJoint& j = all[id];
    const double none = std::numeric_limits<double>::quiet_NaN();  // SQLite keeps it as NULL
    joint.bind(id).bind(j.name).bind(jointName(j.kind));
    for (std::size_t k = 0; k < 2; ++k) joint.bind(j.limits.empty() ? none : j.limits[k]);
    joint.bind(j.length).once();
    for (std::uint32_t k = 0; k < j.points.size(); ++k) {
      const CachedJoint::Point& p = j.points[k];
      point.bind(id).bind(k).bind(p.piece);
      for (const Vec3& v : {p.at, p.axis})
        for (int c = 0; c < 3; ++c) point.bind(v[c]);
      point.once();
    }
  }
}

void writeJointFrame(Database& db, const world::World& w) {
  Statement load(db, "INSERT INTO joint_loads VALUES (?, ?, ?, ?)"),
      broke(db, "INSERT INTO joint_breaks VALUES (?, ?, ?, ?, ?, ?, ?)");
  for (std::uint32_t k = 0; k < w.jointLoads().size(); ++k) {
    const solve::JointLoad& l = w.jointLoads()[k];
    if (l.force > 0 || l.torque > 0) load.bind(w.frame()).bind(k).bind(l.force).bind(l.torque).once();
  }
  for (const world::JointBreak& b : w.jointBreaks())
    broke.bind(w.frame())
        .bind(b.joint)
        .bind(b.place.x())
        .bind(b.place.y())
        .bind(b.place.z())
        .bind(b.load.force)
        .bind(b.load.torque)
        .once();
}

std::vector<CachedJoint> readJoints(Database& db) {
  std::vector<CachedJoint> out;
  Statement joint(db, "SELECT name, kind, low, high, length FROM joints ORDER BY id");
  while (joint.step()) {
    CachedJoint& j = out.emplace_back();
    j.name = joint.text(0);
    const std::string kind = joint.text(1);
    for (std::size_t k = 0; k < kNames.size(); ++k)
      if (kind == kNames[k]) j.kind = static_cast<solve::JointKind>(k);
    if (!joint.null(2)) j.limits = {joint.real(2), joint.real(3)};
    j.length = joint.real(4);
  }
  Statement point(
      db, "SELECT joint, piece, x, y, z, axis_x, axis_y, axis_z FROM joint_points ORDER BY joint, ordinal");
  while (point.step()) {
    const auto id = static_cast<std::size_t>(point.integer(0));
    if (id >= out.size()) continue;
    out[id].points.push_back({static_cast<int>(point.integer(1)),
                              vec3(point.real(2), point.real(3), point.real(4)),
                              vec3(point.real(5), point.real(6), point.real(7))});
  }
  return out;
}

std::vector<CachedJointBreak> readJointBreaks(Database& db) {
  std::vector<CachedJointBreak> out;
  Statement r(db, "SELECT frame, joint, x, y, z, force, torque FROM joint_breaks ORDER BY rowid");
  while (r.step())
    out.push_back({static_cast<int>(r.integer(0)), static_cast<std::uint32_t>(r.integer(1)),
                   vec3(r.real(2), r.real(3), r.real(4)), r.real(5), r.real(6)});
  return out;
}

std::vector<CachedJointLoad> readJointLoads(Database& db, int frame) {
  std::vector<CachedJointLoad> out;
  Statement r(db, "SELECT joint, force, torque FROM joint_loads WHERE frame = ? ORDER BY joint");
  r.bind(frame);
  while (r.step()) out.push_back({static_cast<std::uint32_t>(r.integer(0)), r.real(1), r.real(2)});
  return out;
}

}  // namespace drubble::files
