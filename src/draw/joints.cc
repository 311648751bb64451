// SPDX-License-Identifier: Apache-2.0
#include "draw/joints.h"

#include <algorithm>
#include <cmath>

#include "core/base/trig.h"
#include "draw/camera.h"

namespace drubble::draw {

namespace {

using files::CachedJoint;
using solve::JointKind;

constexpr int kSides = 8, kRopeRings = 40, kTurns = 12, kSpringRings = 12 * kTurns;
constexpr double kRopeShare = 0.0018, kSpringShare = 0.0012, kCoilShare = 0.011,
                 kMarkShare = 0.022;  // of the action
constexpr double kPieceShare = 0.1;   // of a piece: its joints' marks
constexpr Rgb kRopeColour{0.72, 0.63, 0.44}, kSpringColour{0.25, 0.32, 0.38};

bool isLine(const CachedJoint& j) { return j.kind == JointKind::Rope || j.kind == JointKind::Spring; }

// A tube of some rings; where they are is for bendLines to say.
mesh::TriangleMesh tube(int rings) {
  mesh::TriangleMesh m;
  m.vertices.assign(static_cast<std::size_t>(rings * kSides), Vec3::Zero());
  const auto at = [&](int ring, int side) {
    return static_cast<std::uint32_t>(ring * kSides + side % kSides);
  };
  for (int r = 0; r + 1 < rings; ++r)
    for (int s = 0; s < kSides; ++s) {
      m.triangles.push_back({at(r, s), at(r, s + 1), at(r + 1, s)});
      m.triangles.push_back({at(r, s + 1), at(r + 1, s + 1), at(r + 1, s)});
    }
  return m;
}

std::vector<Vec3> tubeAlong(const std::vector<Vec3>& line, double radius) {
  std::vector<Vec3> out;
  Vec3 across = Vec3::Zero();
  for (std::size_t k = 0; k < line.size(); ++k) {
    Vec3 along = line[std::min(k + 1, line.size() - 1)] - line[k > 0 ? k - 1 : 0];
    along = along.norm() > 1e-12 ? Vec3(along.normalized()) : Vec3(Vec3::UnitY());
    across -= along * along.dot(across);  // carried on, so that the tube does not twist
    across = across.norm() > 1e-6 ? Vec3(across.normalized()) : anyNormalTo(along);
    const Vec3 third = along.cross(across);
    for (int s = 0; s < kSides; ++s) {
      const SinCos a = sinCos(2 * kPi * s / kSides);
      out.push_back(line[k] + radius * (a.cos * across + a.sin * third));
    }
  }
  return out;
}

// What is longer than its ends are apart hangs in a parabola of that length.
void hang(const Vec3& from, const Vec3& to, double length, const Vec3& up, int steps,
          std::vector<Vec3>& out) {
  const double apart = (to - from).norm(), slack = greatest(length - apart, 0);
  const double sag = std::sqrt(0.375 * apart * slack + 0.25 * slack * slack);
  for (int k = 0; k <= steps; ++k) {
    const double t = static_cast<double>(k) / steps;
    out.push_back(from + t * (to - from) - 4 * sag * t * (1 - t) * up);
  }
}

std::vector<Vec3> ropeLine(const CachedJoint& j, const std::vector<Vec3>& points, const Vec3& up) {
  double apart = 0;
  for (std::size_t k = 1; k < points.size(); ++k) apart += (points[k] - points[k - 1]).norm();
  std::vector<Vec3> line;
  const auto legs = static_cast<int>(points.size()) - 1;
  for (int k = 0; k < legs; ++k) {
    const auto i = static_cast<std::size_t>(k);
    // Which leg the slack hangs in, nobody knows: the first.
    const double own = (points[i + 1] - points[i]).norm() + (k == 0 ? j.length - apart : 0);
    hang(points[i], points[i + 1], own, up, kRopeRings / legs - 1, line);
  }
  while (line.size() < static_cast<std::size_t>(kRopeRings)) line.push_back(line.back());
  return line;
}

std::vector<Vec3> springLine(const Vec3& from, const Vec3& to, double coil) {
  const Vec3 along = (to - from).norm() > 1e-12 ? Vec3((to - from).normalized()) : Vec3(Vec3::UnitY());
  const Vec3 across = anyNormalTo(along), third = along.cross(across);
  std::vector<Vec3> line;
  for (int k = 0; k < kSpringRings; ++k) {
    const double t = static_cast<double>(k) / (kSpringRings - 1), wide = least(1, 12 * least(t, 1 - t));
    const SinCos a = sinCos(2 * kPi * kTurns * t);
    line.push_back(from + t * (to - from) + wide * coil * (a.cos * across + a.sin * third));
  }
  return line;
}

}  // namespace

double extentOf(const Stage& stage, const Moment& start) { return actionBox(stage, {start}).size().norm(); }

void addRod(mesh::TriangleMesh& m, const Vec3& from, const Vec3& to, double radius) {
  mesh::TriangleMesh rod = tube(4);
  rod.vertices = tubeAlong({from, from + 1e-4 * (to - from), to - 1e-4 * (to - from), to}, radius);
  for (int s = 0; s < kSides; ++s) rod.vertices[static_cast<std::size_t>(s)] = from;
  for (int s = 0; s < kSides; ++s) rod.vertices[static_cast<std::size_t>(3 * kSides + s)] = to;
  mesh::append(m, rod);
}

namespace {

// A ball and a sector: what marks are made of.
void addBall(mesh::TriangleMesh& m, const Vec3& at, double radius) {
  std::vector<Vec3> line;
  mesh::TriangleMesh ball = tube(9);
  ball.vertices.clear();
  for (int k = 0; k < 9; ++k) {
    const SinCos up = sinCos(kPi * k / 8);
    for (int s = 0; s < kSides; ++s) {
      const SinCos a = sinCos(2 * kPi * s / kSides);
      ball.vertices.push_back(at + radius * vec3(up.sin * a.cos, up.cos, up.sin * a.sin));
    }
  }
  mesh::append(m, ball);
}

// From `low` to `high` (rad) about the axis, both sides, so that it is seen from either.
void addSector(mesh::TriangleMesh& m, const Vec3& at, const Vec3& axis, const Vec3& zero, double low,
               double high, double radius) {
  constexpr int kSteps = 32;
  mesh::TriangleMesh fan;
  fan.vertices.push_back(at);
  const Vec3 third = axis.cross(zero);
  for (int k = 0; k <= kSteps; ++k) {
    const SinCos a = sinCos(low + (high - low) * k / kSteps);
    fan.vertices.push_back(at + radius * (a.cos * zero + a.sin * third));
  }
  for (std::uint32_t k = 1; k <= kSteps; ++k) {
    fan.triangles.push_back({0, k, k + 1});
    fan.triangles.push_back({0, k + 1, k});
  }
  mesh::append(m, fan);
}

Vec3 placeOf(const Stage& stage, const Moment& m, const CachedJoint::Point& p) {
  return p.piece < 0 ? p.at : m.poses[stage.pieces[static_cast<std::size_t>(p.piece)].pose].toWorld(p.at);
}

void addStill(Stage& stage, StageMesh mesh, std::uint32_t pose, const std::string& name) {
  stage.pieces.push_back({name, u32(stage.meshes.size()), false, 1, pose});
  stage.meshes.push_back(std::move(mesh));
}

}  // namespace

void addLines(Stage& stage, const std::vector<CachedJoint>& joints, const Moment& start) {
  const double extent = extentOf(stage, start);
  std::uint32_t pose = 0;
  for (const StagePiece& p : stage.pieces) pose = std::max(pose, p.pose + 1);
  for (std::uint32_t k = 0; k < joints.size(); ++k) {
    if (!isLine(joints[k])) continue;
    const bool rope = joints[k].kind == JointKind::Rope;
    stage.lines.push_back({k, u32(stage.meshes.size()), joints[k],
                           (rope ? kRopeShare : kSpringShare) * extent, kCoilShare * extent});
    StageMesh m{joints[k].name, tube(rope ? kRopeRings : kSpringRings), rope ? kRopeColour : kSpringColour};
    m.line = true;
    addStill(stage, std::move(m), pose, joints[k].name);
  }
  stage.still_pose = stage.lines.empty() ? -1 : static_cast<int>(pose);
}

void bendLines(const Stage& stage, const std::vector<char>& broken, Moment& m) {
  if (stage.still_pose < 0) return;
  m.poses.resize(static_cast<std::size_t>(stage.still_pose) + 1);
  m.speeds.resize(m.poses.size(), 0);
  if (!m.gone.empty()) m.gone.resize(m.poses.size(), 0);
  for (const StageLine& l : stage.lines) {
    std::vector<Vec3> points;
    for (const CachedJoint::Point& p : l.joint.points) points.push_back(placeOf(stage, m, p));
    std::vector<Vec3> vertices(stage.meshes[l.mesh].mesh.vertices.size(), points.front());
    if (l.index >= broken.size() || broken[l.index] == 0)
      vertices = l.joint.kind == JointKind::Rope
                     ? tubeAlong(ropeLine(l.joint, points, stage.up), l.radius)
                     : tubeAlong(springLine(points.front(), points.back(), l.coil), l.radius);
    m.forms.emplace_back(l.mesh, std::move(vertices));
  }
}

namespace {

// How large a joint's marks are: by the picture, but no larger than goes with the smaller of its pieces.
double markSize(const Stage& stage, const CachedJoint& j, double extent) {
  double size = kMarkShare * extent;
  for (const CachedJoint::Point& p : j.points) {
    if (p.piece < 0) continue;
    const StageMesh& m = stage.meshes[stage.pieces[static_cast<std::size_t>(p.piece)].mesh];
    if (!m.ground) size = least(size, kPieceShare * m.mesh.bounds().size().norm());
  }
  return greatest(size, 0.2 * kMarkShare * extent);
}

}  // namespace

void addMarks(Stage& stage, const std::vector<CachedJoint>& joints, const Moment& start) {
  stage.marks = true;
  const double extent = extentOf(stage, start);
  for (StagePiece& p : stage.pieces)
    if (!stage.meshes[p.mesh].ground && !stage.meshes[p.mesh].line) p.opacity = 0.35;
  for (const CachedJoint& j : joints) {
    if (isLine(j)) continue;
    const double size = markSize(stage, j, extent);
    // Drawn with the side that moves less: b's, unless that is the world.
    const CachedJoint::Point& held = j.points.back().piece >= 0 ? j.points.back() : j.points.front();
    const Vec3 axis = held.axis;
    StageMesh mark{j.name, {}, kMarkColour}, range{j.name + " limits", {}, kRangeColour};
    switch (j.kind) {
      case JointKind::Hinge:
        addRod(mark.mesh, held.at - 3 * size * axis, held.at + 3 * size * axis, 0.35 * size);
        if (!j.limits.empty()) {
          const StagePiece& moving =
              stage.pieces[static_cast<std::size_t>(std::max(j.points.front().piece, 0))];
          const Pose there =
              start.poses[stage.pieces[static_cast<std::size_t>(std::max(held.piece, 0))].pose];
          Vec3 zero = there.toBody(start.poses[moving.pose].position) - held.at;
          zero -= axis * axis.dot(zero);
          zero = zero.norm() > 1e-9 ? Vec3(zero.normalized()) : anyNormalTo(axis);
          addSector(range.mesh, held.at, axis, zero, j.limits[0], j.limits[1], 6 * size);
        }
        break;
      case JointKind::Slider: {
        const double low = j.limits.empty() ? -4 * size : j.limits[0],
                     high = j.limits.empty() ? 4 * size : j.limits[1];
        addRod(mark.mesh, held.at + low * axis, held.at + high * axis, 0.25 * size);
        for (const double end : j.limits) addBall(range.mesh, held.at + end * axis, 0.5 * size);
        break;
      }
      case JointKind::Fixed:
        for (int k = 0; k < 3; ++k)
          addRod(mark.mesh, held.at - size * Vec3::Unit(k), held.at + size * Vec3::Unit(k), 0.4 * size);
        break;
      default:
        addBall(mark.mesh, held.at, size);
        break;
    }
    const std::uint32_t pose = stage.pieces[static_cast<std::size_t>(std::max(held.piece, 0))].pose;
    if (!range.mesh.vertices.empty()) addStill(stage, std::move(range), pose, j.name);
    addStill(stage, std::move(mark), pose, j.name);
  }
}

}  // namespace drubble::draw
