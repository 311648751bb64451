// SPDX-License-Identifier: Apache-2.0
#include "draw/sources.h"

#include "draw/joints.h"
#include "draw/marks.h"

namespace drubble::draw {

namespace {

constexpr double kThinLine = 0.0025;  // of the action's width: lines
constexpr double kLeastArrow = 0.04;  // of it
constexpr double kArrowTime = 0.25;   // s
constexpr Rgb kSourceColour{0.95, 0.55, 0.10};

// In the source's own space.
mesh::TriangleMesh markOf(const place::Source& s, double extent) {
  Marks marks(kThinLine * extent);
  switch (s.kind) {
    case place::SourceKind::Disc:
      marks.ring(s.at, s.axis, s.radius);
      break;
    case place::SourceKind::Ball:
      for (int k = 0; k < 3; ++k) marks.ring(s.at, Vec3::Unit(k), s.radius);
      break;
    case place::SourceKind::Box:
    case place::SourceKind::Surface:
    case place::SourceKind::Volume:
      marks.frame(s.bounds());
      break;
    case place::SourceKind::Point:
      break;
  }
  const Vec3 ahead = s.direction.value_or(s.kind == place::SourceKind::Disc ? s.axis : s.down);
  marks.arrow(s.bounds().centre(), greatest(kLeastArrow * extent, kArrowTime * s.speed[1]) * ahead);
  return marks.take();
}

}  // namespace

void addSources(Stage& stage, const files::BuiltScene& built, const Moment& start) {
  const double extent = built.scene.pours.empty() ? 0 : extentOf(stage, start);
  for (const world::Pour& p : built.scene.pours) {
    const std::string name = "source of " + p.name;
    if (!p.from.valid() && stage.still_pose < 0) stage.still_pose = static_cast<int>(start.poses.size());
    const std::uint32_t pose = p.from.valid() ? p.from.value : static_cast<std::uint32_t>(stage.still_pose);
    mesh::TriangleMesh mark =
        mesh::transformed(markOf(p.source, extent), Vec3::Ones(), {p.from_origin, Quat::Identity()});
    stage.pieces.push_back({name, u32(stage.meshes.size()), false, 1, pose});
    stage.meshes.push_back({name, std::move(mark), kSourceColour});
  }
}

}  // namespace drubble::draw
