// SPDX-License-Identifier: Apache-2.0
// Who sleeps and who wakes.
//
// A piece sleeps when no point of it has moved more than 0.1 % of its size over the window and its speed is
// low, and the same holds for what it is pressed against. It wakes when something is about
// to hit it, or when the force in one of its contacts is no longer what it was when it fell asleep: a new
// load, or a support that left.
#include <algorithm>
#include <cmath>

#include "core/base/sets.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr double kStillShare = 1e-3;  // of the size
constexpr double kForceShare = 0.1;   // of the weight and what is borne: a change that wakes
constexpr double kLongRest = 2;       // windows: who has rested as long sleeps although its island stirs
constexpr double kBlow = 5;           // least bounce speeds: a hit as hard as this runs through the heap

}  // namespace

void World::wake(std::size_t piece) {
  if (sleep_[piece] != Sleep::Asleep && sleep_[piece] != Sleep::Held) return;
  sleep_[piece] = Sleep::Awake;
  rest_[piece] = {motion_.position[piece], motion_.turn[piece], 0, false};
}

// A blow runs through a sleeping heap from neighbour to neighbour, as far as its momentum (kg m/s) could
// still move all that it has reached at `least_speed`.
void World::wakeWithNeighbours(std::size_t piece, double momentum, double least_speed) {
  std::vector<std::uint32_t> ring{u32(piece)}, next;
  double mass = 0;
  while (!ring.empty() && mass * least_speed <= momentum) {
    for (const std::uint32_t i : ring) {
      mass += traits_[i].mass();
      wake(i);
    }
    next.clear();
    for (const std::uint32_t i : ring)
      resting_.eachNeighbour(i, [&](std::uint32_t j) {
        if (sleep_[j] == Sleep::Asleep) next.push_back(j);
      });
    std::sort(next.begin(), next.end());
    next.erase(std::unique(next.begin(), next.end()), next.end());
    ring.swap(next);
  }
}

// Wakes what is about to be hit within h. True when something woke.
bool World::wakeForContacts(const solve::Contacts& contacts, double h) {
  bool woke = false;
  for (const solve::Contact& c : contacts) {
    const std::size_t a = c.a.index(), b = c.b.index();
    const auto waits = [&](std::size_t i) { return sleep_[i] == Sleep::Asleep || sleep_[i] == Sleep::Held; };
    if (!(waits(a) && mobile(b)) && !(waits(b) && mobile(a))) continue;
    const std::size_t sleeper = waits(a) ? a : b;
    const bool held = sleep_[sleeper] == Sleep::Held, driven = moving_[sleeper == a ? b : a];
    double closing = 0;
    bool meets = false;
    for (int k = 0; k < c.patch.count; ++k) {
      const collide::Point& p = c.patch.points[static_cast<std::size_t>(k)];
      const Vec3 va = velocityAt(a, c, p.position), vb = velocityAt(b, c, p.position);
      const double speed = c.patch.normal.dot(va - vb);
      closing = greatest(closing, speed);
      meets = meets || p.gap <= speed * h;
    }
    const double enough = held ? scene_.pieces[sleeper].wake_above : driven ? 0 : restSpeedOf(sleeper);
    if (!meets || closing <= enough) continue;
    const double least_speed = kBlow * solve::leastBounceSpeed(traits_[sleeper].size, scene_.gravity.norm());
    const std::size_t other = sleeper == a ? b : a;
    const double mass =
        traits_[other].dynamic ? traits_[other].mass() : std::numeric_limits<double>::infinity();
    if (!held && closing > least_speed)
      wakeWithNeighbours(sleeper, mass * closing, least_speed);
    else
      wake(sleeper);
    woke = true;
  }
  return woke;
}

// A sleeping piece was solved as if fixed. Where the force it bore is not the one it fell asleep with, it
// wakes for the next substep; so it does when a contact that bore it is gone.
void World::wakeForForces() {
  std::vector<std::size_t> woken;
  // Among pieces that all rest, loads may shift a little without meaning anything.
  const auto stirs = [&](std::size_t i) {
    return !rest_[i].rested && rest_[i].seconds < scene_.solver.sleep_after;
  };
  const auto changed = [&](std::size_t sleeper, double force, double before) {
    const double weight = traits_[sleeper].mass() * (scene_.gravity.norm() + restSpeedOf(sleeper) / 0.1);
    return absolute(force - before) > kForceShare * (weight + before);
  };
  for (std::size_t i = 0; i < contacts_.size();) {
    const PieceId a = contacts_[i].a, b = contacts_[i].b;
    double force = 0, before = 0;
    for (; i < contacts_.size() && contacts_[i].a == a && contacts_[i].b == b; ++i) {
      force += static_cast<double>(contacts_[i].totalForce());
      before += static_cast<double>(contacts_[i].asleep_force);
    }
    for (const auto& [sleeper, other] : {std::pair(a, b), std::pair(b, a)})
      if (sleep_[sleeper.index()] == Sleep::Asleep && awake(other.index()) && stirs(other.index()) &&
          changed(sleeper.index(), force, before))
        woken.push_back(sleeper.index());
  }
  for (const std::size_t p : woken) {
    wake(p);
    // It may well stay where it is: then it need not wait as long again, and stirs no others.
    rest_[p].rested = true;
  }
}

void World::updateRest(double h) {
  for (const std::uint32_t i : active_) {
    if (!awake(i)) continue;
    Rest& r = rest_[i];
    const Quat turned = motion_.turn[i] * r.turn.conjugate();
    const double angle = 2 * turned.vec().norm();  // close enough below a tenth of a radian; larger above
    const double moved = (motion_.position[i] - r.position).norm() + angle * traits_[i].outer_radius;
    const double speed = motion_.velocity[i].norm() + motion_.spin[i].norm() * traits_[i].outer_radius;
    r.seconds += h;
    // What took longer than the window to come so far has been at rest all along.
    if (speed > restSpeedOf(i))
      r = {motion_.position[i], motion_.turn[i], 0, false};
    else if (moved > kStillShare * traits_[i].size)
      r = {motion_.position[i], motion_.turn[i], 0, r.seconds >= scene_.solver.sleep_after};
  }
}

// Who may not sleep. An island all of whose pieces rest sleeps at once; of one in which something still
// moves, what has rested for longer, and whose neighbours rest, too. What rides something that moves does not
// rest, however many pieces lie between.
std::vector<char> World::restless() const {
  const double window = scene_.solver.sleep_after;
  const auto calm = [&](std::size_t i) {
    return rest_[i].seconds >= (rest_[i].rested ? 0.5 * window : window);
  };
  Sets islands(motion_.size());
  for (const solve::Contact& c : contacts_)
    if (awake(c.a.index()) && awake(c.b.index()) && c.totalForce() > 0) islands.join(c.a.value, c.b.value);
  std::vector<char> rides(motion_.size(), 0), stirs(motion_.size(), 0), out(motion_.size(), 0);
  for (const solve::Contact& c : contacts_)
    if (c.totalForce() > 0 && (moving_[c.a.index()] || moving_[c.b.index()]))
      rides[islands.find(moving_[c.a.index()] ? c.b.value : c.a.value)] = 1;
  for (const std::uint32_t i : active_) {
    if (!awake(i)) continue;
    if (!calm(i)) stirs[islands.find(i)] = 1;
    if (!calm(i) || (!rest_[i].rested && rest_[i].seconds < kLongRest * window)) out[i] = 1;
  }
  for (const solve::Contact& c : contacts_) {
    const std::size_t a = c.a.index(), b = c.b.index();
    if (!awake(a) || !awake(b) || !(c.totalForce() > 0)) continue;
    if (!calm(a)) out[b] = 1;
    if (!calm(b)) out[a] = 1;
  }
  for (const std::uint32_t i : active_) {
    const std::uint32_t island = islands.find(i);
    out[i] = rides[island] || (stirs[island] && out[i]);
  }
  return out;
}

void World::fallAsleep() {
  if (scene_.solver.sleep_speed == 0) return;
  const std::vector<char> kept = restless();
  std::vector<char> fell(motion_.size(), 0);
  bool any = false;
  for (const std::uint32_t i : active_) {
    if (!awake(i) || kept[i]) continue;
    sleep_[i] = Sleep::Asleep;
    motion_.velocity[i].setZero();
    motion_.spin[i].setZero();
    fell[i] = 1;
    any = true;
  }
  if (!any) return;
  for (solve::Contact& c : contacts_)
    if (fell[c.a.index()] || fell[c.b.index()]) c.asleep_force = c.totalForce();
}

}  // namespace drubble::world
