// SPDX-License-Identifier: Apache-2.0
// Where a driven body stands at any moment: keys, sampled poses, and a seeded wobble on top.
#pragma once
#include <vector>

#include "core/base/vec.h"

namespace drubble::act {

enum class Ease { Linear, Smooth, Hold };

struct Key {
  double frame = 0;  // shot frame
  Vec3 value = Vec3::Zero();
};

// Before the first key and after the last the value stays. Keys ascending, no frame twice.
struct Track {
  std::vector<Key> keys;
  Ease ease = Ease::Linear;

  Vec3 at(double frame, const Vec3& without) const;
};

struct PoseKey {
  double frame = 0;
  Pose pose;
};

// Smooth random motion about the path: each component wanders within plus or minus its amplitude, through a
// new value `per_second` times a second, with the slope of a natural hand-drawn curve (cubic, no jumps in
// speed).
struct Wobble {
  Vec3 at = Vec3::Zero();    // m
  Vec3 turn = Vec3::Zero();  // rad
  double per_second = 1;     // of simulated time
  std::uint64_t seed = 0;
};

struct Path {
  Pose rest;                      // where there are no keys
  Vec3 rest_turn = Vec3::Zero();  // the same turn as angles, rad
  Track at, turn;                 // m; rad about fixed x, then y, then z
  std::vector<PoseKey> poses;     // instead of keys: from an animation; turns along the shorter way
  Ease pose_ease = Ease::Linear;
  Wobble wobble;
};

// `seconds`: simulated time, for the wobble.
Pose poseAt(const Path& path, double frame, double seconds);

// Whether any moment of the path differs from any other.
bool moves(const Path& path);

// The shot frame after which it stays as it is; infinite: it never does. 0 for a path that never moves.
double lastChange(const Path& path);

}  // namespace drubble::act
