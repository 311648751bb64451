// SPDX-License-Identifier: Apache-2.0
#include "draw/forces.h"

#include <fmt/format.h>

#include <array>
#include <cmath>

#include "draw/camera.h"
#include "draw/marks.h"

namespace drubble::draw {

namespace {

constexpr double kThinLine = 0.0022;  // of the action's width
constexpr int kAlong = 9;             // arrows along the longest side
constexpr double kFaint = 0.03;       // of the strongest: what is weaker is not shown
constexpr std::array<Rgb, 5> kForceColours = {Rgb{0.93, 0.42, 0.08}, Rgb{0.12, 0.45, 0.75},
                                              Rgb{0.20, 0.60, 0.30}, Rgb{0.75, 0.20, 0.45},
                                              Rgb{0.45, 0.35, 0.75}};

const char* unitOf(act::ForceUnit u) {
  switch (u) {
    case act::ForceUnit::Acceleration:
      return "m/s2";
    case act::ForceUnit::Force:
      return "N";
    case act::ForceUnit::Impulse:
      return "N s";
    case act::ForceUnit::Air:
      return "m/s of air";
  }
  return "";
}

}  // namespace

std::size_t addForces(Stage& stage, const files::BuiltScene& built, const Moment& m) {
  const world::Scene& s = built.scene;
  Box about = actionBox(stage, {m});
  const double extent = about.size().norm();
  for (const act::Force& f : s.forces)
    if (f.radius > 0) about.add(Box{f.at, f.at}.grown(0.7 * f.radius));
  about = about.grown(0.05 * extent);
  const double step = about.size().maxCoeff() / kAlong, seconds = s.secondsAt(m.frame);
  if (stage.still_pose < 0) stage.still_pose = static_cast<int>(m.poses.size());
  std::size_t shown = 0;
  for (std::size_t n = 0; n < s.forces.size(); ++n) {
    const act::Force& f = s.forces[n];
    if (!f.on(m.frame) || f.kind == act::ForceKind::Drag) continue;
    const double begun = s.secondsAt(greatest(f.from, s.first_frame));
    std::vector<std::pair<Vec3, Vec3>> field;
    double most = 0;
    const Vec3 cells = (about.size() / step).array().ceil();
    for (double i = 0.5; i < cells.x(); i += 1)
      for (double j = 0.5; j < cells.y(); j += 1)
        for (double k = 0.5; k < cells.z(); k += 1) {
          const Vec3 at = about.low + step * Vec3(i, j, k);
          field.emplace_back(at, act::fieldAt(f, at, m.frame, seconds, begun));
          most = greatest(most, field.back().second.norm());
        }
    Marks marks(kThinLine * extent);
    for (const auto& [at, way] : field)
      if (way.norm() > kFaint * most) marks.arrow(at, 0.85 * step / most * way);
    if (f.box) marks.frame(*f.box);
    const Rgb colour = kForceColours[n % kForceColours.size()];
    stage.legend.emplace_back(colour, fmt::format("{}: up to {:.3g} {}", f.name, most, unitOf(f.as)));
    stage.pieces.push_back(
        {f.name, u32(stage.meshes.size()), false, 1, static_cast<std::uint32_t>(stage.still_pose)});
    stage.meshes.push_back({f.name, marks.take(), colour});
    ++shown;
  }
  return shown;
}

}  // namespace drubble::draw
