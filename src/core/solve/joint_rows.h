// SPDX-License-Identifier: Apache-2.0
// What a joint demands of the velocities of its bodies, one row for each thing it holds.
#pragma once
#include <span>
#include <vector>

#include "core/solve/joint.h"

namespace drubble::solve {

// A body as its joints see it at one moment. Body 0 of a group is the world.
struct JointBody {
  std::uint32_t body = 0;  // in the substep's bodies; 0: does not move
  Vec3 position = Vec3::Zero();
  Quat turn = Quat::Identity();
  Vec3 inverse_mass = Vec3::Zero();
  Mat3 inverse_inertia = Mat3::Zero();  // world
  Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();

  // Joints move it: it may be neither the world, nor asleep, nor driven.
  bool moves() const { return body != 0 && !(inverse_mass.isZero(0) && inverse_inertia.isZero(0)); }
};

enum class RowKind : std::uint8_t {
  Equal,    // its error is to be nothing
  Bounded,  // its error is not to be below nothing; only ever pushes
  Drive,    // its speed is to be what is wanted, as far as its strength goes
  Spring,
  Yield,  // a spring, as far as its strength goes
  Push,   // of a contact: its speed is not to be below what is wanted; only ever pushes
  Rub     // of a contact: its speed is to be nothing, as far as friction goes
};

// What a unit of its impulse does to one body.
struct JointTerm {
  std::uint32_t body = 0;  // in the group's list
  Vec3 linear = Vec3::Zero(), angular = Vec3::Zero();
};

struct JointRow {
  RowKind kind = RowKind::Equal;
  std::uint8_t slot = 0;               // which of its joint's
  bool angular = false;                // carries N m
  std::uint32_t joint = 0;             // in the group's order; of a contact: its patch
  std::uint32_t first = 0, count = 0;  // of its terms
  double error = 0;                    // m or rad
  double wanted = 0;                   // m/s or rad/s, of a Drive
  double strength = 0;                 // N or N m, of a Drive
  double low = 0, high = 0;            // N or N m, of a Yield
};

struct JointRows {
  std::vector<JointRow> rows;
  std::vector<JointTerm> terms;
  void clear() {
    rows.clear();
    terms.clear();
  }
};

// Where a joint is held on each side, as places in the group's list of bodies, and for a rope each point's.
struct JointPlaces {
  std::uint32_t a = 0, b = 0;
  std::vector<std::uint32_t> over;
};

// Adds the rows of `j` with its bodies where `bodies` has them. A rope's and a limit's are always there;
// whether they act is for the solver to find. `turned`: the angle about the axis last time (rad), for
// counting whole turns; returns what it is now.
double addJointRows(const Joint& j, std::uint32_t index, const JointPlaces& at,
                    std::span<const JointBody> bodies, double turned, JointRows& out);

// How far a yielding joint is from where it was made, a row: m and rad. `a`, `b`: its bodies' poses, the
// world's of none.
std::array<double, 6> stretchOf(const Joint& j, const Pose& a, const Pose& b);

// The length of a spring or rope (m) as its bodies are.
double jointLength(const Joint& j, const JointPlaces& at, std::span<const JointBody> bodies);

}  // namespace drubble::solve
