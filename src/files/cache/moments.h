// SPDX-License-Identifier: Apache-2.0
// Where pieces are at any shot frame, whole or not, and how fast they go there.
#pragma once
#include <vector>

#include "files/cache/reader.h"

namespace drubble::files {

struct PieceMoment {
  Pose pose;                                          // body to world
  Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();  // m and rad a second of the shot, world axes
  std::uint8_t flags = 0;                             // of the frame at or before
  bool there() const;                                 // born, and not gone
};

// Between two frames a piece goes on the cubic that both frames' places and speeds give where that is what it
// did (free flight comes out exactly), and straight where it did not: where something hit it. Turns alike.
// Speeds are those of that motion, so that they add up to it.
class Moments {
 public:
  explicit Moments(CacheReader& cache);

  const std::vector<int>& frames() const { return frames_; }  // ascending
  // Of all pieces; `frame` within those there are. Valid until the next call. Cost: a frame or two are read,
  // unless they were the last ones asked for.
  const std::vector<PieceMoment>& at(double frame);
  // Simulated seconds that pass in a second of the shot about a frame.
  double pace(int frame) const;

 private:
  struct Whole {
    int frame = 0;
    std::vector<PieceState> states;
  };
  const Whole& whole(int frame);

  CacheReader& cache_;
  std::vector<int> frames_;
  std::vector<double> simulated_;  // s, at each
  Whole kept_[2];
  int next_ = 0;
  std::vector<PieceMoment> out_;
};

// From one moment to another, `dt` seconds of the shot later, at the share `s` of the way.
PieceMoment between(const PieceMoment& a, const PieceMoment& b, double dt, double s);

}  // namespace drubble::files
