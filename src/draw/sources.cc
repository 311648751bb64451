// SPDX-License-Identifier: Apache-2.0
#include "draw/sources.h"

#include "core/base/trig.h"
#include "draw/joints.h"

namespace drubble::draw {

namespace {

constexpr double kThin = 0.0025;      // of the action's width: lines
constexpr double kLeastArrow = 0.04;  // of it
constexpr double kArrowTime = 0.25;   // s
constexpr int kArcs = 24;
constexpr Rgb kSourceColour{0.95, 0.55, 0.10};

class Marker {
 public:
  Marker(const world::Pour& p, const Pose& pose, double extent)
      : p_(p), pose_(pose), thin_(kThin * extent), least_(kLeastArrow * extent) {}

  mesh::TriangleMesh mark() {
    const place::Source& s = p_.source;
    switch (s.kind) {
      case place::SourceKind::Disc:
        ring(s.at, s.axis, s.radius);
        break;
      case place::SourceKind::Ball:
        for (int k = 0; k < 3; ++k) ring(s.at, Vec3::Unit(k), s.radius);
        break;
      case place::SourceKind::Box:
      case place::SourceKind::Surface:
      case place::SourceKind::Volume:
        frame(s.bounds());
        break;
      case place::SourceKind::Point:
        break;
    }
    const Vec3 ahead = s.direction.value_or(s.kind == place::SourceKind::Disc ? s.axis : s.down);
    arrow(s.bounds().centre(), ahead, greatest(least_, kArrowTime * s.speed[1]));
    return std::move(out_);
  }

 private:
  void line(const Vec3& a, const Vec3& b, double radius) {
    addRod(out_, pose_.toWorld(a), pose_.toWorld(b), radius);
  }

  void ring(const Vec3& at, const Vec3& axis, double radius) {
    Eigen::Index least = 0;
    axis.cwiseAbs().minCoeff(&least);
    const Vec3 u = axis.cross(Vec3::Unit(least)).normalized(), v = axis.cross(u);
    const auto point = [&](int k) {
      const SinCos a = sinCos(2 * kPi * k / kArcs);
      return Vec3(at + radius * (a.cos * u + a.sin * v));
    };
    for (int k = 0; k < kArcs; ++k) line(point(k), point(k + 1), thin_);
  }

  void frame(const Box& b) {
    for (int axis = 0; axis < 3; ++axis)
      for (int corner = 0; corner < 4; ++corner) {
        Vec3 from = b.low;
        if (corner & 1) from[(axis + 1) % 3] = b.high[(axis + 1) % 3];
        if (corner & 2) from[(axis + 2) % 3] = b.high[(axis + 2) % 3];
        Vec3 to = from;
        to[axis] = b.high[axis];
        line(from, to, thin_);
      }
  }

  void arrow(const Vec3& from, const Vec3& way, double length) {
    const Vec3 tip = from + length * way;
    line(from, tip, 1.5 * thin_);
    Eigen::Index least = 0;
    way.cwiseAbs().minCoeff(&least);
    const Vec3 u = way.cross(Vec3::Unit(least)).normalized(), v = way.cross(u);
    const double barb = drubble::least(0.3 * length, 10 * thin_);
    for (const Vec3& side : {u, Vec3(-u), v, Vec3(-v)})
      line(tip, tip - barb * way + 0.5 * barb * side, 1.5 * thin_);
  }

  const world::Pour& p_;
  Pose pose_;
  double thin_, least_;
  mesh::TriangleMesh out_;
};

}  // namespace

void addSources(Stage& stage, const files::BuiltScene& built, const Moment& start) {
  const double extent = built.scene.pours.empty() ? 0 : extentOf(stage, start);
  for (const world::Pour& p : built.scene.pours) {
    const std::string name = "source of " + p.name;
    if (!p.from.valid() && stage.still_pose < 0) stage.still_pose = static_cast<int>(start.poses.size());
    const std::uint32_t pose = p.from.valid() ? p.from.value : static_cast<std::uint32_t>(stage.still_pose);
    stage.pieces.push_back({name, u32(stage.meshes.size()), false, 1, pose});
    stage.meshes.push_back(
        {name, Marker(p, {p.from_origin, Quat::Identity()}, extent).mark(), kSourceColour});
  }
}

}  // namespace drubble::draw
