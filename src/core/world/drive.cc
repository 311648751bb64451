// SPDX-License-Identifier: Apache-2.0
// Pieces that follow keys, and pieces that wait: driving them, handing them over, letting them go.
#include <algorithm>
#include <map>

#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr double kStandShare = 0.1;  // of its weight: what bears so much of a piece carries it

}  // namespace

// Where a mover has its piece at a shot frame, whole or not.
Pose World::moverPose(std::size_t mover, double frame) const {
  const Handed& h = handed_[mover];
  Pose p = scene_.moverPose(scene_.movers[mover], frame);
  if (!h.taken) return p;
  p = p * h.after;
  p.position += h.before;
  return p;
}

// Driven pieces are put where their paths have them at `from`, with the speed and spin that take them to
// where they are at `to`.
void World::drive(double from, double to, int iterations) {
  drives_.clear();
  const double h = scene_.seconds(from, to);
  for (std::size_t n = 0; n < scene_.movers.size(); ++n) {
    const std::size_t i = scene_.movers[n].piece.index();
    moving_[i] = 0;
    if (sleep_[i] != Sleep::Driven || hangs(i)) continue;
    solve::Drive d;
    d.piece = scene_.movers[n].piece.value;
    bool still = true;
    for (int k = 0; k <= iterations; ++k) {
      d.poses.push_back(moverPose(n, k == iterations ? to : from + (to - from) * k / iterations));
      still = still && d.poses.back().position == d.poses.front().position &&
              d.poses.back().turn.coeffs() == d.poses.front().turn.coeffs();
    }
    motion_.position[i] = d.poses.front().position;
    motion_.turn[i] = d.poses.front().turn;
    motion_.velocity[i] = (d.poses.back().position - d.poses.front().position) / h;
    motion_.spin[i] = turnBetween(d.poses.front().turn, d.poses.back().turn) / h;
    moving_[i] = !still;
    if (!still) drives_.push_back(std::move(d));
  }
  // What only changes its form stays where it is, and is on the move.
  for (const std::uint32_t i : bending_pieces_) {
    const auto led = [&](const solve::Drive& d) { return d.piece == i; };
    if (std::any_of(drives_.begin(), drives_.end(), led) || sleep_[i] != Sleep::Driven) continue;
    moving_[i] = bendSpeed(i) > 0;
    if (!moving_[i]) continue;
    drives_.push_back({i, std::vector<Pose>(static_cast<std::size_t>(iterations) + 1, motion_.pose(i))});
  }
  carryClusters(iterations);
  std::sort(drives_.begin(), drives_.end(),
            [](const solve::Drive& a, const solve::Drive& b) { return a.piece < b.piece; });
}

void World::makeDynamic(std::size_t piece) {
  const solve::Traits& full = scene_.prototypeOf(piece).traits;
  solve::Traits t = traits_[piece];
  t.dynamic = true;
  t.inverse_mass = full.inverse_mass;
  t.weight = t.mass() * scene_.gravity.norm();
  traits_.change(piece, t);
}

// Kinematic pieces whose time has come go on with the speed and spin that their keys gave them last.
void World::releaseDue(double frame) {
  bool any = false;
  for (std::size_t n = 0; n < scene_.movers.size(); ++n) {
    const Mover& m = scene_.movers[n];
    const std::size_t i = m.piece.index();
    if (sleep_[i] != Sleep::Driven || hangs(i) || !m.release_frame || frame < *m.release_frame) continue;
    const double step = 1.0 / 64, start = scene_.first_frame;
    const double before = frame - step < start ? start : frame - step, after = before + step;
    const Pose p = moverPose(n, before), q = moverPose(n, after);
    const double seconds = step * scene_.frameSeconds(before);
    sleep_[i] = Sleep::Awake;
    moving_[i] = 0;
    makeDynamic(i);
    motion_.velocity[i] = traits_[i].free_travel.cwiseProduct((q.position - p.position) / seconds);
    motion_.spin[i] = traits_[i].free_turn.cwiseProduct(turnBetween(p.turn, q.turn) / seconds);
    rest_[i] = {motion_.position[i], motion_.turn[i], 0, false};
    own_[i] = 1;
    any = true;
  }
  if (any && !scene_.bonds.empty()) findClusters();
}

bool World::allAtRest() const {
  for (const Sleep s : sleep_)
    if (s == Sleep::Awake) return false;
  for (const Mover& m : scene_.movers) {
    if (sleep_[m.piece.index()] != Sleep::Driven) continue;
    if (act::lastChange(m.path) > frame_ || m.release_frame) return false;
  }
  for (const Bend& b : bends_)
    if (b.speed > 0) return false;
  for (const bond::Bond& b : scene_.bonds) {
    const act::Track& keys = scene_.bond_tables[b.table].strengths;
    if (!keys.keys.empty() && keys.keys.back().frame > frame_ && !broken_[&b - scene_.bonds.data()])
      return false;
  }
  return !rulesWait() && !poursWait();
}

// What touches something that starts to move goes with it, and so does all that stands on that: asleep it
// would be a wall.
void World::wakeForDrives() {
  if (drives_.empty()) return;
  std::vector<std::uint32_t> woken;
  for (const solve::Contact& c : contacts_) {
    if (c.totalForce() <= 0 && c.asleep_force <= 0) continue;
    for (const auto& [mover, other] : {std::pair(c.a, c.b), std::pair(c.b, c.a)}) {
      const Sleep s = sleep_[other.index()];
      if (!moving_[mover.index()] || (s != Sleep::Asleep && s != Sleep::Held)) continue;
      wake(other.index());
      woken.push_back(other.value);
    }
  }
  std::map<std::uint32_t, double> borne;  // N, upward, by those that woke
  for (std::size_t k = 0; k < woken.size(); ++k) {
    const std::uint32_t i = woken[k];
    resting_.eachContact(i, [&](const solve::Contact& c) {
      const bool first = c.a.value == i;
      const std::uint32_t j = first ? c.b.value : c.a.value;
      const double up =
          (first ? 1 : -1) * c.patch.normal().dot(scene_.up) * static_cast<double>(c.totalForce());
      if (up <= 0 || sleep_[j] != Sleep::Asleep) return;
      double& sum = borne[j];
      sum += up;
      if (sum <= kStandShare * bodyTraits(j).weight) return;
      wake(j);
      woken.push_back(j);
    });
  }
}

bool World::releaseHeld(const std::vector<solve::Hit>& hits) {
  bool released = false;
  for (const solve::Hit& h : hits) {
    for (const PieceId p : {h.a, h.b}) {
      if (sleep_[p.index()] != Sleep::Held || h.speed <= scene_.pieces[p.index()].wake_above) continue;
      wake(p.index());
      released = true;
    }
  }
  return released;
}

}  // namespace drubble::world
