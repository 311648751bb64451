// SPDX-License-Identifier: Apache-2.0
// Whether a shape finds room among those already there.
#pragma once
#include <vector>

#include "core/place/cells.h"
#include "core/shape/shape.h"

namespace drubble::place {

class Room {
 public:
  // `cell`: about the size of most pieces; only speed hangs on it. The shapes must outlive the room.
  explicit Room(double cell) : cells_(cell) {}

  void add(const shape::Shape& s, const Pose& pose);
  // Index (in the order of adding) of the first thing that `s` would overlap by more than `tolerance` metres;
  // -1: none.
  int blockedBy(const shape::Shape& s, const Pose& pose, double tolerance) const;

 private:
  struct Entry {
    const shape::Shape* shape;
    Pose pose;
  };
  std::vector<Entry> entries_;
  BoxCells cells_;
};

}  // namespace drubble::place
