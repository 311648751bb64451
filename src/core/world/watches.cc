// SPDX-License-Identifier: Apache-2.0
// What bears on watched pieces.
#include <algorithm>

#include "core/world/world.h"

namespace drubble::world {

namespace {

Vec3 forceOnB(const solve::Contact& c) {
  return static_cast<double>(c.totalForce()) * c.patch.normal() + c.friction_force.cast<double>();
}

}  // namespace

// What the pieces of a watch do to each other counts for nothing.
void World::addForce(PieceId a, PieceId b, const Vec3& on_b) {
  for (const auto& [piece, sign] : {std::pair(a, -1.0), std::pair(b, 1.0)})
    for (auto at = std::lower_bound(watched_.begin(), watched_.end(), std::pair(piece.value, 0u));
         at != watched_.end() && at->first == piece.value; ++at)
      watch_forces_[at->second] += sign * on_b;
}

std::optional<Filled> World::watchFilled(std::size_t watch) const {
  const Watch& w = scene_.watches[watch];
  if (!w.in) return {};
  return filledOf(*w.in, &w.who);
}

// Of the contacts of a substep that was `share` of the frame.
void World::watchForces(double share) {
  if (watched_.empty()) return;
  for (const solve::Contact& c : contacts_) addForce(c.a, c.b, share * forceOnB(c));
}

// At the frame's end: of contacts at rest, and of hits.
void World::watchRest() {
  if (watched_.empty()) return;
  for (std::size_t i = 0; i < motion_.size() && resting_.size() > 0; ++i)
    for (const solve::Contact& c : resting_.of(i)) addForce(c.a, c.b, forceOnB(c));
  const double seconds = scene_.seconds(frame_ - 1, frame_);
  for (const solve::Hit& h : hits_) addForce(h.a, h.b, h.impulse / seconds * h.normal);
}

}  // namespace drubble::world
