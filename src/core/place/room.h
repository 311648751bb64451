// SPDX-License-Identifier: Apache-2.0
// Whether a shape finds room among those already there.
#pragma once
#include <cstdint>
#include <map>
#include <tuple>
#include <vector>

#include "core/shape/shape.h"

namespace drubble::place {

class Room {
 public:
  // `cell`: about the size of most pieces; only speed hangs on it. The shapes must outlive the room.
  explicit Room(double cell) : cell_(cell) {}

  void add(const shape::Shape& s, const Pose& pose);
  // Index (in the order of adding) of the first thing that `s` would overlap by more than `tolerance` metres;
  // -1: none.
  int blockedBy(const shape::Shape& s, const Pose& pose, double tolerance) const;

 private:
  struct Entry {
    const shape::Shape* shape;
    Pose pose;
    Box box;
  };
  using Cell = std::tuple<std::int64_t, std::int64_t, std::int64_t>;
  template <class Visit>
  void eachCell(const Box& b, Visit visit) const;
  bool large(const Box& b) const;

  double cell_;
  std::vector<Entry> entries_;
  std::vector<std::uint32_t> large_;  // what would fill too many cells
  std::map<Cell, std::vector<std::uint32_t>> cells_;
};

}  // namespace drubble::place
