// SPDX-License-Identifier: Apache-2.0
// One substep as a transaction: it reads the state and proposes another; the caller judges and commits, or
// does not.
#pragma once
#include <span>
#include <vector>

#include "core/solve/block.h"
#include "core/solve/groups.h"
#include "core/solve/impact.h"
#include "core/solve/passes.h"

namespace drubble::solve {

// Where a driven body stands at the ends of the internal steps: one more than there are of those.
struct Drive {
  std::uint32_t piece = 0;
  std::vector<Pose> poses;
};

// What pushes a body that moves, besides gravity.
struct BodyPush {
  Vec3 acceleration = Vec3::Zero(), spin = Vec3::Zero();  // m/s2, rad/s2
};

struct SubstepInput {
  const TraitsList& traits;
  const Motion& motion;
  const std::vector<std::uint32_t>& active;   // pieces that move, by themselves or driven; ascending
  const std::vector<std::uint32_t>& body_of;  // piece -> 1 + its place in `active`; 0: does not move
  Vec3 gravity = Vec3::Zero();                // m/s2
  double h = 0;                               // s
  int iterations = 8;                         // internal steps
  std::span<const Drive> drives = {};         // of the driven ones among the active, ascending
  JointInput joints = {};
  Engine engine = {};
  std::span<const BodyPush> pushes = {};  // by `active`; empty: none
};

// Where a body was on its way through a substep.
struct Trail {
  Box places;
  double alike = 1;  // the least square of the cosine of half the angle by which it had turned

  void add(const Vec3& position, const Quat& start, const Quat& turn) {
    places.add(position);
    const double cosine = turn.dot(start);
    alike = least(alike, cosine * cosine);
  }
};

struct Proposal {
  Bodies bodies;      // body k + 1 is active piece k
  Contacts contacts;  // as they were given: takeForces puts into them what they carry at the end
  Groups groups;      // what the contacts came to
  double dt = 0;      // s: an internal step
  std::vector<Hit> hits;
  std::vector<JointState> joint_states;  // a joint, as they are at the end
  std::vector<JointLoad> joint_loads;
  double work = 0;  // J, that motors put in
  // Where every body stood at the ends of the internal steps, one list a step; empty when nothing was fast.
  std::vector<PagedVector<Pose>> way;
  PagedVector<Trail> trails;  // the same, a body
};

// A body that goes farther than this share of its inner radius in a substep is fast.
inline constexpr double kFastShare = 0.4;

// I1 what happens in an island depends on nothing outside it. I2 the result depends on the input's bits only.
Proposal solveSubstep(const SubstepInput& in, Contacts contacts);

// Puts the forces that were found into p.contacts, and gives p.groups' memory back.
void takeForces(Proposal& p, Team* team);

// The contact forces that hold the given pieces still, found by sweeps without motion: at most `sweeps`,
// fewer for islands of many thousands. Their number hangs on the island only, so that one's bits do not on
// another. Pieces that cannot be held are left to fall.
void findLoads(const SubstepInput& in, int sweeps, Contacts& contacts);

}  // namespace drubble::solve
