// SPDX-License-Identifier: Apache-2.0
#include "core/place/room.h"

#include <cmath>

#include "core/collide/pairs.h"

namespace drubble::place {

bool Room::large(const Box& b) const { return b.size().maxCoeff() > 4 * cell_; }

template <class Visit>
void Room::eachCell(const Box& b, Visit visit) const {
  std::array<std::int64_t, 3> low{}, high{};
  for (int k = 0; k < 3; ++k) {
    low[static_cast<std::size_t>(k)] = static_cast<std::int64_t>(std::floor(b.low[k] / cell_));
    high[static_cast<std::size_t>(k)] = static_cast<std::int64_t>(std::floor(b.high[k] / cell_));
  }
  for (std::int64_t x = low[0]; x <= high[0]; ++x)
    for (std::int64_t y = low[1]; y <= high[1]; ++y)
      for (std::int64_t z = low[2]; z <= high[2]; ++z) visit(Cell{x, y, z});
}

void Room::add(const shape::Shape& s, const Pose& pose) {
  const std::uint32_t index = u32(entries_.size());
  entries_.push_back({&s, pose, shape::boundsAt(s, pose)});
  const Box& b = entries_.back().box;
  if (large(b)) return large_.push_back(index);
  eachCell(b, [&](const Cell& c) { cells_[c].push_back(index); });
}

int Room::blockedBy(const shape::Shape& s, const Pose& pose, double tolerance) const {
  const Box box = shape::boundsAt(s, pose);
  int first = -1;
  const auto test = [&](std::uint32_t i) {
    const Entry& e = entries_[i];
    if ((first >= 0 && static_cast<int>(i) >= first) || !box.overlaps(e.box)) return;
    if (collide::overlapDepth(s, pose, *e.shape, e.pose) > tolerance) first = static_cast<int>(i);
  };
  for (const std::uint32_t i : large_) test(i);
  if (large(box)) {
    for (std::uint32_t i = 0; i < entries_.size(); ++i) test(i);
    return first;
  }
  eachCell(box, [&](const Cell& c) {
    const auto found = cells_.find(c);
    if (found == cells_.end()) return;
    for (const std::uint32_t i : found->second) test(i);
  });
  return first;
}

}  // namespace drubble::place
