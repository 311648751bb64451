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
constexpr double kForceShift = 0.5;   // and one that does whatever the other piece is at
constexpr double kLongRest = 2;       // windows: who has rested as long sleeps although its island stirs
constexpr int kMostPatience = 4;      // times that who is woken in vain waits twice as long as before
constexpr double kBeside = 0.01;  // of the smaller one's size: nearer than that counts as touching a cluster
constexpr std::size_t kAwakeWorthAThread = 256;
constexpr double kBlow = 5;  // least bounce speeds: a hit as hard as this runs through the heap

}  // namespace

void World::wake(std::size_t piece) {
  if (sleep_[piece] != Sleep::Asleep && sleep_[piece] != Sleep::Held) return;
  eachTogether(piece, [&](std::uint32_t i) {
    sleep_[i] = Sleep::Awake;
    rest_[i] = {motion_.position[i], motion_.turn[i], 0, false};
  });
}

// A blow runs through a sleeping heap from neighbour to neighbour, as far as its momentum (kg m/s) could
// still move all that it has reached at `least_speed`.
void World::wakeWithNeighbours(std::size_t piece, double momentum, double least_speed) {
  std::vector<std::uint32_t> ring{u32(piece)}, next;
  double mass = 0;
  while (!ring.empty() && mass * least_speed <= momentum) {
    for (const std::uint32_t i : ring) {
      if (sleep_[i] == Sleep::Asleep) mass += bodyTraits(i).mass();
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

bool World::anyWaits() const {
  return std::any_of(sleep_.begin(), sleep_.end(),
                     [](Sleep s) { return s == Sleep::Asleep || s == Sleep::Held; });
}

// Wakes what is about to be hit within h. True when something woke.
bool World::wakeForContacts(const solve::Contacts& contacts, double h) {
  if (!anyWaits()) return false;
  bool woke = false;
  for (const solve::Contact& c : contacts) {
    const std::size_t a = c.a.index(), b = c.b.index();
    const auto waits = [&](std::size_t i) { return sleep_[i] == Sleep::Asleep || sleep_[i] == Sleep::Held; };
    if (!(waits(a) && mobile(b)) && !(waits(b) && mobile(a))) continue;
    const std::size_t sleeper = waits(a) ? a : b;
    const bool held = sleep_[sleeper] == Sleep::Held, driven = moving_[sleeper == a ? b : a];
    double closing = 0;
    bool meets = false;
    for (std::size_t k = 0; k < c.patch.count; ++k) {
      const Vec3 p = c.patch.place(k), va = velocityAt(a, c, p), vb = velocityAt(b, c, p);
      const double speed = c.patch.normal().dot(va - vb);
      closing = greatest(closing, speed);
      meets = meets || c.patch.gapAt(k) <= speed * h;
    }
    const double enough = held ? scene_.pieces[sleeper].wake_above : driven ? 0 : restSpeedOf(sleeper);
    if (!meets || closing <= enough) continue;
    const double least_speed =
        kBlow * solve::leastBounceSpeed(bodyTraits(sleeper).size, scene_.gravity.norm());
    const std::size_t other = sleeper == a ? b : a;
    const double mass =
        traits_[other].dynamic ? bodyTraits(other).mass() : std::numeric_limits<double>::infinity();
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
  std::vector<std::uint32_t> woken;
  // Among pieces that all rest, loads may shift a little without meaning anything.
  const auto stirs = [&](std::size_t i) {
    return !rest_[i].rested && rest_[i].seconds < scene_.solver.sleep_after;
  };
  const auto changed = [&](std::size_t sleeper, double force, double before, double share) {
    const double weight = bodyTraits(sleeper).mass() * (scene_.gravity.norm() + restSpeedOf(sleeper) / 0.1);
    return absolute(force - before) > share * (weight + before);
  };
  const std::size_t n = anyWaits() ? touches_.size() : 0;
  for (std::size_t i = 0; i < n;) {
    const std::uint32_t a = touches_[i].a, b = touches_[i].b;
    const std::size_t first = i;
    while (i < n && touches_[i].a == a && touches_[i].b == b) ++i;
    if (sleep_[a] != Sleep::Asleep && sleep_[b] != Sleep::Asleep) continue;
    double force = 0, before = 0;
    for (std::size_t k = first; k < i; ++k) {
      force += static_cast<double>(touches_[k].force);
      before += static_cast<double>(contacts_[k].asleep_force);
    }
    // Who has come away bears nothing any more, however calmly: what it bore must not hover.
    const bool left = force == 0;
    for (const auto& [sleeper, other] : {std::pair(a, b), std::pair(b, a)})
      if (sleep_[sleeper] == Sleep::Asleep && awake(other) &&
          changed(sleeper, force, before, left || stirs(other) ? kForceShare : kForceShift))
        woken.push_back(sleeper);
  }
  for (const std::uint32_t p : woken) {
    if (awake(p)) continue;
    const std::uint8_t wakes = rest_[p].wakes;
    wake(p);
    // It may well stay where it is: then it need not wait as long again, and stirs no others. Some that lean
    // on each other would do so for ever, each by itself: after a while they wait until all are calm at once.
    rest_[p].rested = true;
    rest_[p].wakes = static_cast<std::uint8_t>(std::min(wakes + 1, kMostPatience + 1));
    woken_.push_back(p);
  }
}

void World::updateRest(double h) {
  team_.share(active_.size(), kAwakeWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      const std::uint32_t i = active_[k];
      if (!awake(i)) continue;
      Rest& r = rest_[i];
      const Quat turned = motion_.turn[i] * r.turn.conjugate();
      const double angle = 2 * turned.vec().norm();  // close enough below a tenth of a radian; larger above
      // Of a cluster, which its first piece stands for, whatever lies farthest from that.
      const solve::Traits& t = bodyTraits(i);
      const double outer = (inFreeCluster(i) ? 2 : 1) * t.outer_radius;
      const double moved = (motion_.position[i] - r.position).norm() + angle * outer;
      const double speed = motion_.velocity[i].norm() + motion_.spin[i].norm() * outer;
      r.seconds += h;
      // What took longer than the window to come so far has been at rest all along.
      if (speed > restSpeedOf(i))
        r = {motion_.position[i], motion_.turn[i], 0, false};
      else if (moved > kStillShare * t.size)
        r = {motion_.position[i], motion_.turn[i], 0, r.seconds >= scene_.solver.sleep_after, r.wakes};
    }
  });
}

// Of `bodies` bodies those that are clusters, or lie at one; the latter join its island. Empty: there are no
// clusters.
std::vector<char> World::bodiesAtClusters(std::size_t bodies, Sets& islands) const {
  std::vector<char> out;
  if (clusters_.empty()) return out;
  out.resize(bodies, 0);
  for (std::size_t k = 0; k < touches_.size(); ++k) {
    const Touch& t = touches_[k];
    const bool is_a = inFreeCluster(t.a), is_b = inFreeCluster(t.b);
    if (!awake(t.a) || !awake(t.b) || !(is_a || is_b)) continue;
    const double size = least(traits_[t.a].size, traits_[t.b].size);
    if (!(t.force > 0) && contacts_[k].patch.leastGap() > kBeside * size) continue;
    islands.join(body_of_[t.a], body_of_[t.b]);
    out[body_of_[t.a]] = out[body_of_[t.b]] = 1;
  }
  return out;
}

// Who may not sleep, one entry an active piece. An island all of whose pieces rest sleeps at once; of one in
// which something still moves, what has rested for longer, and whose neighbours rest, too; but not what bonds
// hold together, nor what lies at it: a sleeper props others up like a rock, bears what it could not, and as
// it wakes all that is set free at once and breaks bonds. What rides something that moves does not rest,
// however many pieces lie between.
std::vector<char> World::restless() {
  const double window = scene_.solver.sleep_after;
  const auto calm = [&](std::size_t i) {
    return rest_[i].seconds >= (rest_[i].rested ? 0.5 * window : window);
  };
  const auto patience = [&](const Rest& r) {
    return r.wakes > 0 ? 0.5 * window * (1 << (r.wakes - 1)) : r.rested ? 0 : kLongRest * window;
  };
  // The awake, by their bodies; those that have just woken come behind.
  const std::size_t bodies = active_.size() + 1;
  for (std::size_t k = 0; k < woken_.size(); ++k)
    eachTogether(woken_[k], [&](std::uint32_t i) { body_of_[i] = u32(bodies + k); });
  const std::size_t all = bodies + woken_.size();
  Sets islands(all);
  std::vector<char> rides(all, 0), stirs(all, 0), out(all, 0), still(all, 0);
  for (std::size_t k = 0; k < active_.size(); ++k) still[k + 1] = calm(active_[k]);
  for (std::size_t k = 0; k < woken_.size(); ++k) still[bodies + k] = calm(woken_[k]);
  const auto both = [&](const Touch& t) { return t.force > 0 && awake(t.a) && awake(t.b); };
  for (const Touch& t : touches_)
    if (both(t)) islands.join(body_of_[t.a], body_of_[t.b]);
  const std::vector<char> bound = bodiesAtClusters(all, islands);
  if (!drives_.empty())
    for (const Touch& t : touches_)
      if (t.force > 0 && (moving_[t.a] || moving_[t.b]))
        rides[islands.find(body_of_[moving_[t.a] ? t.b : t.a])] = 1;
  joinTied(islands);
  markRiders(islands, rides);
  for (std::size_t k = 0; k < active_.size(); ++k) {
    const Rest& r = rest_[active_[k]];
    if (!awake(active_[k])) continue;
    if (!still[k + 1]) stirs[islands.find(u32(k + 1))] = 1;
    if (!still[k + 1] || r.seconds < patience(r)) out[k + 1] = 1;
  }
  for (std::size_t k = 0; k < bound.size(); ++k) out[k] |= bound[k];
  for (const Touch& t : touches_) {
    if (!both(t)) continue;
    const std::uint32_t a = body_of_[t.a], b = body_of_[t.b];
    if (!still[a]) out[b] = 1;
    if (!still[b]) out[a] = 1;
  }
  if (!joints_.empty()) {  // what is joined sleeps together
    Sets tied(all);
    joinTied(tied);
    for (std::uint32_t k = 1; k < all; ++k) out[tied.find(k)] |= out[k];
    for (std::uint32_t k = 1; k < all; ++k) out[k] = out[tied.find(k)];
  }
  for (std::uint32_t k = 1; k < bodies; ++k) {
    const std::uint32_t island = islands.find(k);
    out[k - 1] = rides[island] || (stirs[island] && out[k]);
  }
  for (const std::uint32_t p : woken_) eachTogether(p, [&](std::uint32_t i) { body_of_[i] = 0; });
  woken_.clear();
  return out;
}

void World::fallAsleep() {
  if (scene_.solver.sleep_speed == 0) return woken_.clear();
  const std::vector<char> kept = restless();
  bool any = false;
  for (std::size_t k = 0; k < active_.size(); ++k) {
    const std::uint32_t i = active_[k];
    if (!awake(i) || kept[k]) continue;
    eachTogether(i, [&](std::uint32_t j) {
      sleep_[j] = Sleep::Asleep;
      if (!asleep_pushes_.empty()) asleep_pushes_[j] = pushes_.empty() ? Vec3(Vec3::Zero()) : pushes_[j];
      motion_.velocity[j].setZero();
      motion_.spin[j].setZero();
    });
    if (inFreeCluster(i)) {
      Cluster& c = clusters_[cluster_of_[i]];
      c.velocity.setZero();
      c.spin.setZero();
    }
    any = true;
  }
  if (!any) return;
  const auto fell = [&](std::uint32_t i) {
    return sleep_[i] == Sleep::Asleep && body_of_[i] != 0;  // it was awake in this substep
  };
  for (std::size_t k = 0; k < touches_.size(); ++k)
    if (fell(touches_[k].a) || fell(touches_[k].b)) contacts_[k].asleep_force = touches_[k].force;
}

}  // namespace drubble::world
