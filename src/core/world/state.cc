// SPDX-License-Identifier: Apache-2.0
// What a world tells of the state it is in.
#include "core/base/random.h"
#include "core/world/world.h"

namespace drubble::world {

FrameStats World::stats() const {
  FrameStats out;
  addState(out);
  return out;
}

void World::addState(FrameStats& out) const {
  out.work = work_;
  out.bond_worst = bond_worst_;
  out.yield_worst = yield_worst_;
  out.frame = frame_;
  out.contacts = u32(contacts_.size() + resting_.size());
  out.potential = springEnergy();
  out.seconds = scene_.secondsAt(frame_);
  for (std::size_t i = 0; i < motion_.size(); ++i) {
    const Sleep state = sleep_[i];
    out.awake += state == Sleep::Awake;
    out.asleep += state == Sleep::Asleep || (state == Sleep::Fixed && own_[i]);  // what hangs rests
    const PieceEnergy e = energyOf(i);
    out.potential += e.potential;
    out.kinetic += e.kinetic;
  }
}

PieceEnergy World::energyOf(std::size_t i) const {
  PieceEnergy out;
  if (sleep_[i] == Sleep::Unborn) return out;
  const solve::Traits& t = traits_[i];
  // What hangs on something else will fall when it breaks off.
  const bool anchored = !clusters_.empty() && cluster_of_[i] != kNoCluster && !t.dynamic;
  const solve::Traits& own = anchored ? scene_.prototypeOf(i).traits : t;
  if (own.dynamic) out.potential = -own.mass() * own.gravity_share * scene_.gravity.dot(motion_.position[i]);
  if (sleep_[i] != Sleep::Awake) return out;
  const Vec3 spin_body = motion_.turn[i].conjugate() * motion_.spin[i];
  out.kinetic =
      0.5 * t.mass() * motion_.velocity[i].squaredNorm() + 0.5 * spin_body.dot(t.inertia * spin_body);
  return out;
}

std::uint64_t World::digest() const {
  Digest d;
  for (std::size_t i = 0; i < motion_.size(); ++i) {
    d.add(motion_.position[i]);
    for (const double x :
         {motion_.turn[i].w(), motion_.turn[i].x(), motion_.turn[i].y(), motion_.turn[i].z()})
      d.add(x);
    d.add(motion_.velocity[i]);
    d.add(motion_.spin[i]);
    d.add(static_cast<std::uint64_t>(sleep_[i]));
  }
  return d.value();
}

std::string World::whyInvalid() const {
  for (std::size_t i = 1; i < contacts_.size(); ++i)
    if (std::pair(contacts_[i].a, contacts_[i].b) < std::pair(contacts_[i - 1].a, contacts_[i - 1].b))
      return "I3: contacts out of order at " + std::to_string(i);
  for (const solve::Contact& c : contacts_)
    if (!(c.a < c.b) || c.patch.count < 1 || c.patch.count > 4)
      return "I3: a contact of a piece with itself, or empty";
  return {};
}

}  // namespace drubble::world
