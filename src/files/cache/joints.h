// SPDX-License-Identifier: Apache-2.0
// Joints in a cache: where they are fastened, what they bore in each frame, which gave way.
#pragma once
#include <string>
#include <vector>

#include "core/world/world.h"
#include "files/cache/sql.h"

namespace drubble::files {

struct CachedJoint {
  std::string name;
  solve::JointKind kind = solve::JointKind::Ball;
  struct Point {
    int piece = -1;                                // the world
    Vec3 at = Vec3::Zero(), axis = Vec3::UnitX();  // body space; world space of the world
  };
  std::vector<Point> points;   // from a over what a rope runs over to b
  std::vector<double> limits;  // rad or m: none or two
  double length = 0;           // m, of a rope or spring, as it starts
};

struct CachedJointBreak {
  int frame = 0;
  std::uint32_t joint = 0;
  Vec3 place = Vec3::Zero();
  double force = 0, torque = 0;  // N, N m
};

struct CachedJointLoad {  // the greatest of a frame's substeps
  std::uint32_t joint = 0;
  double force = 0, torque = 0;
};

const char* jointName(solve::JointKind kind);
std::vector<CachedJoint> jointsOf(const world::Scene& s);

void writeJoints(Database& db, const world::Scene& s);
// What the world's last frame did to its joints.
void writeJointFrame(Database& db, const world::World& w);
std::vector<CachedJoint> readJoints(Database& db);
std::vector<CachedJointBreak> readJointBreaks(Database& db);  // in order
std::vector<CachedJointLoad> readJointLoads(Database& db, int frame);

}  // namespace drubble::files
