// SPDX-License-Identifier: Apache-2.0
// Copies in a grid, varied at random.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/base/vec.h"

namespace drubble::place {

struct GridSpec {
  std::string name;  // names the random stream
  std::uint64_t seed = 0;
  std::array<int, 3> count{1, 1, 1};
  Vec3 spacing = Vec3::Ones();  // m, centre to centre
  Pose base;                    // where the middle of the layout's base is, and how the layout is turned
  Vec3 up = Vec3::UnitY();
  std::vector<double> weights;    // one a prototype; they need not sum to 1
  Vec3 vary_at = Vec3::Zero();    // m: at most this far either way
  Vec3 vary_turn = Vec3::Zero();  // rad: at most this far either way, about x, then y, then z
};

struct Copy {
  std::size_t prototype;
  Pose pose;  // of the copy's centre
};

// Copies in the order of the cells: along x first, then z (y when z is up), then up. Each cell draws its own
// random numbers from (seed, name, cell): one cell does not change another.
std::vector<Copy> grid(const GridSpec& spec);

}  // namespace drubble::place
