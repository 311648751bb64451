// SPDX-License-Identifier: Apache-2.0
// Joints between two pieces, or a piece and the world: what is fixed about them, and what they carry.
//
// A joint's frame on each side is given in that side's body space (world space where there is no piece); its
// x axis is the joint's axis. Both frames coincide where the joint is at zero. Angles and distances are those
// of a's frame as seen from b's.
#pragma once
#include <array>
#include <cstdint>
#include <limits>
#include <vector>

#include "core/base/id.h"
#include "core/base/vec.h"

namespace drubble::solve {

enum class JointKind : std::uint8_t {
  Hinge,   // turns about the axis
  Ball,    // turns about all axes; limits on how far the axes lean apart, and on the twist about them
  Slider,  // goes along the axis
  Spring,  // pulls and pushes along the line between its ends
  Rope,    // pulls when it is taut: over several points
  Fixed,
  Yielding  // a spring in all six ways that gives for good under too much: a strap, a bolt
};

// Of a yielding joint, by its rows: along the axis, two across it; turned about the axis, and bent about the
// two.
struct Yielding {
  std::array<double, 6> stiffness{};      // N/m, N m/rad
  std::array<double, 6> least{}, most{};  // N, N m: beyond these it gives
  double damping = 0;                     // s: force of a speed, over that of as much stretch
  double length = 0, radius = 0;          // m: of its fibres, and how far out they lie
  double tear = 0;                        // strain that it may take for good, to and fro added up
};

struct JointSide {
  PieceId piece;  // not valid: the world
  Vec3 at = Vec3::Zero();
  Quat frame = Quat::Identity();
};

struct JointPoint {  // that a rope runs through
  PieceId piece;
  Vec3 at = Vec3::Zero();
};

struct Joint {
  JointKind kind = JointKind::Ball;
  JointSide a, b;
  std::vector<JointPoint> over;  // of a rope, from a to b
  // Of the turn about the axis (rad), or the way along it (m).
  double low = -std::numeric_limits<double>::infinity(), high = std::numeric_limits<double>::infinity();
  double cone = std::numeric_limits<double>::infinity();  // rad, of a ball: how far the axes may lean apart
  double friction = 0;                                    // N m about the axis, or N along it
  double motor_strength = 0;                              // N m or N; 0: no motor
  double motor_speed = 0;                                 // rad/s or m/s
  double length = 0;                                      // m: of a rope; of a spring at rest
  double stiffness = 0;                                   // N/m
  double damping = 0;                                     // N s/m
  double breaks_force = std::numeric_limits<double>::infinity();   // N
  double breaks_torque = std::numeric_limits<double>::infinity();  // N m
  Yielding yields;
};

// A joint has at most so many rows; which is which: joint_rows.cc.
inline constexpr std::size_t kMostJointRows = 10;

// What has history.
struct JointState {
  bool broken = false;
  double turned = 0;            // rad, about the axis, whole turns counted
  std::array<double, 6> set{};  // m, rad: how far a yielding one has given for good, now
  double strained = 0;          // and the strain of all that, to and fro
  // N, N m: what it bore of late, a running mean by which it is told whether it breaks.
  double borne_force = 0, borne_torque = 0;
  // What its rows carried: N or N m, in their order. Warm starts the next substep.
  std::array<double, kMostJointRows> carried{};
};

// What a joint bore in a substep, on average.
struct JointLoad {
  double force = 0, torque = 0;  // N, N m
  // World: what it did to each side, at that side's end (torques about it).
  struct Side {
    Vec3 force = Vec3::Zero(), torque = Vec3::Zero();
  };
  Side on_a, on_b;
};

}  // namespace drubble::solve
