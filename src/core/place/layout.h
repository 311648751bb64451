// SPDX-License-Identifier: Apache-2.0
// Copies laid out: in a grid, courses, stacks or rings, varied at random; or scattered.
#pragma once
#include <array>
#include <map>
#include <optional>
#include <string>
#include <tuple>
#include <vector>

#include "core/base/trig.h"
#include "core/place/source.h"

namespace drubble::place {

enum class Layout { Grid, Courses, Stack, Ring };

// What is copied: a weight (they need not sum to 1), and of each size that there is of it the height (m)
// along up.
struct Choice {
  double weight = 1;
  std::vector<double> heights;
};

struct LayoutSpec {
  Layout layout = Layout::Grid;
  std::string name;  // names the random stream
  std::uint64_t seed = 0;
  std::array<int, 3> count{1, 1, 1};  // along x, y, z; of a ring along x: around it
  Vec3 spacing = Vec3::Ones();        // m, centre to centre; of a stack along up: edge to edge
  Pose base;                // where the middle of the layout's base is, and how the layout is turned
  Vec3 up = Vec3::UnitY();  // y or z
  std::vector<Choice> choices;
  Vec3 vary_at = Vec3::Zero();         // m: at most this far either way
  Vec3 vary_turn = Vec3::Zero();       // rad: at most this far either way, about x, then y, then z
  double shift = 0.5;                  // of courses and rings: every second level, by so much of a spacing
  double radius = 1;                   // m, of a ring
  double arc = 2 * kPi;                // of a ring; less than a whole turn: from end to end
  double lean = 0, twist = 0;          // of a stack, m and rad: each level is off its column by up to this
  std::array<int, 2> leave_out{0, 1};  // in each row along x every n-th, from the m-th on; 0: none
};

struct Copy {
  std::size_t choice = 0, size = 0;
  Pose pose;  // of the copy's centre
};

// Copies in the order of the cells: along x first, then z (y when z is up), then up. Each cell draws its own
// random numbers from (seed, name, cell): one cell does not change another.
// Each level of a stack is off its column another way than the one below, by more than half of `lean`, and
// turned the other way, so that no two edges line up.
std::vector<Copy> layOut(const LayoutSpec& spec);

// Where more are wanted than elsewhere.
struct Denser {
  Vec3 centre = Vec3::Zero();
  double radius = 0;  // m
  double times = 1;
};

struct ScatterSpec {
  std::string name;
  std::uint64_t seed = 0;
  const Source* source = nullptr;  // a surface, a volume, a box or a ball
  Pose space;                      // of the source, in the world
  Vec3 up = Vec3::UnitY();
  std::vector<Choice> choices;
  double apart = 0;     // m, between centres at least
  bool upright = true;  // else along the surface's normal
  Vec3 vary_turn = Vec3(0, kPi, 0);
  std::vector<Denser> denser;
  std::vector<std::array<double, 2>> within;  // a polygon, in x and z (y when z is up); empty: everywhere
};

// Draws copies one after the other; which of them stay is for the caller to say.
class Scatter {
 public:
  explicit Scatter(const ScatterSpec& spec) : spec_(spec) {}
  // The n-th draw; nothing where none is wanted, or where it is too near to one that stays.
  std::optional<Copy> draw(std::uint64_t n) const;
  // Which way it stands up.
  Vec3 upOf(const Copy& c) const { return c.pose.turn * spec_.up; }
  void keep(const Copy& c);

 private:
  using Cell = std::tuple<std::int64_t, std::int64_t, std::int64_t>;
  Cell cellOf(const Vec3& at) const;
  bool tooNear(const Vec3& at) const;
  const ScatterSpec& spec_;
  std::map<Cell, std::vector<Vec3>> kept_;
};

}  // namespace drubble::place
