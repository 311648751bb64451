// SPDX-License-Identifier: Apache-2.0
// Measures over frames of motion. Names and definitions: the table of measures in docs/setup.md.
#pragma once
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/vec.h"

namespace drubble::measure {

// One frame of the pieces that matter, in the same order in every frame.
struct Sample {
  int frame = 0;
  std::vector<Vec3> position;  // centres of mass
  std::vector<Quat> turn;
  std::vector<double> speed;  // m/s
  std::vector<char> asleep;
};

struct Jitter {
  double median = 0, p99 = 0, worst = 0;  // share of size
  std::optional<std::size_t> piece;       // the worst
};

// Over the given samples: path length minus net travel, over size, for pieces whose net travel is under 1 %
// of their size.
Jitter jitter(std::span<const Sample> window, std::span<const double> sizes, std::span<const char> counted);

// The first frame after which no counted piece is faster than its rest speed to the end; none while something
// moves.
std::optional<int> restFrame(std::span<const Sample> samples, std::span<const double> rest_speeds,
                             std::span<const char> counted);

// Share of the counted pieces that ended more than half their size away, or turned by more than 45 degrees.
struct Moved {
  double moved = 0, toppled = 0;
};
Moved shareMoved(const Sample& first, const Sample& last, std::span<const double> sizes,
                 std::span<const char> counted);

// Energy gained although nothing but gravity acts, over (peak kinetic + range of potential). Frames in order;
// `driven`: frames in which keys move something and may put energy in, which are passed over (empty: none).
// `work`: J, what motors and keyed springs put in, a frame (empty: nothing).
double drift(std::span<const double> kinetic, std::span<const double> potential,
             std::span<const char> driven = {}, std::span<const double> work = {});

}  // namespace drubble::measure
