// SPDX-License-Identifier: Apache-2.0
#include "core/place/room.h"

#include "core/collide/pairs.h"

namespace drubble::place {

void Room::add(const shape::Shape& s, const Pose& pose) {
  cells_.add(u32(entries_.size()), shape::boundsAt(s, pose));
  entries_.push_back({&s, pose});
}

int Room::blockedBy(const shape::Shape& s, const Pose& pose, double tolerance) const {
  int first = -1;
  cells_.any(shape::boundsAt(s, pose), [&](std::uint32_t i) {
    const Entry& e = entries_[i];
    if (first >= 0 && static_cast<int>(i) >= first) return false;
    if (collide::overlapDepth(s, pose, *e.shape, e.pose) > tolerance) first = static_cast<int>(i);
    return false;
  });
  return first;
}

}  // namespace drubble::place
