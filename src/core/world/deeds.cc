// SPDX-License-Identifier: Apache-2.0
// What rules do to pieces.
#include <algorithm>

#include "core/solve/joint_pieces.h"
#include "core/world/joining.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr double kCued = 1;  // told as the share of a bond that went because a rule said so

}  // namespace

// At a shot frame, whole or not. Whether the substep in hand is to be proposed anew, where it is only
// proposed.
bool World::act(std::uint32_t rule, const std::vector<std::uint32_t>& pieces, double frame,
                std::vector<BondBreak>& breaks) {
  const Rule& r = scene_.rules[rule];
  std::vector<char> taken(motion_.size(), 0);
  for (const std::uint32_t i : pieces) {
    taken[i] = 1;
    rule_deeds_.push_back({rule, PieceId(i)});
  }
  bool loosened = false, regroup = false;
  switch (r.then) {
    case Deed::Wake:
      for (const std::uint32_t i : pieces)
        if (sleep_[i] == Sleep::Asleep) wake(i);
      return false;
    case Deed::Hold:
      for (const std::uint32_t i : pieces) hold(i);
      return false;
    case Deed::Release:
      for (const std::uint32_t i : pieces) {
        if (sleep_[i] == Sleep::Held) wake(i), loosened = true;
        if (!own_[i] && sleep_[i] != Sleep::Gone) release(i), loosened = regroup = true;
      }
      if (regroup) wakeAbout(taken);
      break;
    case Deed::Freeze:
    case Deed::Fix:
      for (const std::uint32_t i : pieces)
        if (hangs(i) && sleep_[i] == Sleep::Driven) regroup |= breakAll(i, breaks);
      for (const std::uint32_t i : pieces)
        regroup |= stop(i, r.then == Deed::Fix ? Sleep::Fixed : Sleep::Frozen);
      break;
    case Deed::Drive:
      for (const std::uint32_t i : pieces) regroup |= takeOver(i, frame, breaks);
      break;
    case Deed::Remove:
      regroup = breakBondsOf(taken, breaks);
      wakeAbout(taken);
      for (const std::uint32_t i : pieces) remove(i);
      dropContactsOf(taken);
      regroup = true;
      break;
    case Deed::BreakBonds:
      loosened = regroup = breakBondsOf(taken, breaks);
      break;
    case Deed::Material:
      setMaterialOf(taken, r.material);
      return false;
    case Deed::Strength:
      setStrengthOf(taken, r.to);
      break;
  }
  if (regroup && !scene_.bonds.empty()) {
    findClusters();
    rules_.findJoined(joint_states_, broken_);
  }
  return loosened;
}

// It stops, and all that moves with it.
void World::hold(std::uint32_t piece) {
  if (!own_[piece] || hangs(piece)) return;
  eachTogether(piece, [&](std::uint32_t i) {
    sleep_[i] = Sleep::Held;
    motion_.velocity[i].setZero();
    motion_.spin[i].setZero();
  });
  if (!inFreeCluster(piece)) return;
  Cluster& c = clusters_[cluster_of_[piece]];
  c.velocity.setZero();
  c.spin.setZero();
}

// What was static, frozen or driven moves by itself, with the speed that it has.
void World::release(std::uint32_t i) {
  std::erase_if(drives_, [&](const solve::Drive& d) { return d.piece == i; });
  makeDynamic(i);
  sleep_[i] = Sleep::Awake;
  own_[i] = 1;
  moving_[i] = 0;
  motion_.velocity[i] = traits_[i].free_travel.cwiseProduct(motion_.velocity[i]);
  motion_.spin[i] = traits_[i].free_turn.cwiseProduct(motion_.spin[i]);
  rest_[i] = {motion_.position[i], motion_.turn[i], 0, false};
  work_ += energyOf(i).sum();
}

// It stays where it is from now on. False: it did already.
bool World::stop(std::uint32_t i, Sleep as) {
  if (sleep_[i] == as || sleep_[i] == Sleep::Gone) return false;
  if (!own_[i] && sleep_[i] == Sleep::Fixed && as == Sleep::Frozen) return false;
  work_ -= energyOf(i).sum();
  std::erase_if(drives_, [&](const solve::Drive& d) { return d.piece == i; });
  sleep_[i] = as;
  own_[i] = 0;
  moving_[i] = 0;
  motion_.velocity[i].setZero();
  motion_.spin[i].setZero();
  makeStill(i);
  return true;
}

// From where it is, its keys move it on: by as much as they would have moved it from where they had it then.
// What goes with a leader keeps its place to that. Whether it was not driven before.
bool World::takeOver(std::uint32_t i, double frame, std::vector<BondBreak>& breaks) {
  const auto at = std::find_if(scene_.movers.begin(), scene_.movers.end(),
                               [&](const Mover& m) { return m.piece.value == i; });
  if (at == scene_.movers.end() || (sleep_[i] == Sleep::Driven && !hangs(i))) return false;
  if (hangs(i)) breakAll(i, breaks);
  if (!stop(i, Sleep::Driven)) return false;
  const Pose keyed = scene_.moverPose(*at, frame), here = motion_.pose(i);
  Handed& h = handed_[static_cast<std::size_t>(at - scene_.movers.begin())];
  const Quat from_keyed = (keyed.turn.conjugate() * here.turn).normalized();
  if (at->leader.valid())
    h = {true, Vec3::Zero(), {keyed.turn.conjugate() * (here.position - keyed.position), from_keyed}};
  else
    h = {true, here.position - keyed.position, {Vec3::Zero(), from_keyed}};
  return true;
}

void World::remove(std::uint32_t i) {
  stop(i, Sleep::Gone);
  rules_.setAbsent(i, true);
  in_play_[i] = 0;
  near_.forget(i);
  for (std::uint32_t k = 0; k < joints_.size(); ++k) {
    bool holds_it = false;
    solve::eachPiece(joints_[k], [&](std::size_t j) { holds_it = holds_it || j == i; });
    if (!holds_it || joint_states_[k].broken) continue;
    solve::eachPiece(joints_[k], [&](std::size_t j) { wakeJoined(j); });
    joint_states_[k].broken = true;
    joint_states_[k].carried.fill(0);
    if (k >= scene_.joints.size()) continue;
    joint_breaks_.push_back({k, joint_loads_[k], placeOf(joints_[k].a)});
    joint_loads_[k] = {};
  }
}

// All asleep that touch one of them: what bore them may be gone.
void World::wakeAbout(const std::vector<char>& taken) {
  std::vector<std::uint32_t> about;
  eachContact([&](const solve::Contact& c) {
    const std::uint32_t a = c.a.value, b = c.b.value;
    if (taken[a] != taken[b]) about.push_back(taken[a] ? b : a);
  });
  for (const std::uint32_t i : about)
    if (sleep_[i] == Sleep::Asleep) wake(i);
}

void World::dropContactsOf(const std::vector<char>& taken) {
  solve::Contacts none;
  for (std::uint32_t i = 0; i < taken.size(); ++i)
    if (taken[i]) resting_.take(i, none);
  std::erase_if(contacts_, [&](const solve::Contact& c) { return taken[c.a.index()] || taken[c.b.index()]; });
  findTouches();
}

// Every bond with an end among them. Whether there was one.
bool World::breakBondsOf(const std::vector<char>& taken, std::vector<BondBreak>& breaks) {
  bool any = false;
  for (std::uint32_t k = 0; k < scene_.bonds.size(); ++k) {
    const bond::Bond& b = scene_.bonds[k];
    if (broken_[k] || (!taken[b.a.index()] && !taken[b.b.index()])) continue;
    any = true;
    if (scene_.yields(b)) {
      const auto n = std::lower_bound(yielding_.begin(), yielding_.end(), k) - yielding_.begin();
      loosen(static_cast<std::size_t>(n), bond::Why::Cue, kCued, breaks);
      for (const PieceId p : {b.a, b.b}) wakeJoined(p.index());
      continue;
    }
    broken_[k] = 1;
    // Its face goes with its pieces.
    const Pose now = motion_.pose(b.a.index()), start = startPose(scene_, b.a);
    const Quat turned = now.turn * start.turn.conjugate();
    breaks.push_back({k, bond::Why::Cue, kCued, now.position + turned * (b.face.place - start.position),
                      turned * b.face.normal});
    for (const PieceId p : {b.a, b.b})
      if (sleep_[p.index()] == Sleep::Asleep) wake(p.index());
  }
  return any;
}

bool World::breakAll(std::uint32_t piece, std::vector<BondBreak>& breaks) {
  std::vector<char> taken(motion_.size(), 0);
  taken[piece] = 1;
  return breakBondsOf(taken, breaks);
}

// What touches is looked at anew, and what sleeps wakes: it may slip now.
void World::setMaterialOf(const std::vector<char>& taken, MaterialId material) {
  for (std::uint32_t i = 0; i < taken.size(); ++i) {
    if (!taken[i]) continue;
    rules_.setMaterial(i, material);
    if (sleep_[i] == Sleep::Asleep) wake(i);
  }
  for (solve::Contact& c : contacts_)
    if (taken[c.a.index()] || taken[c.b.index()]) c.gone = c.strayed = solve::kGoneFar;
}

// Of every bond with an end among them: times what it has. What sleeps is looked at again.
void World::setStrengthOf(const std::vector<char>& taken, double times) {
  for (std::uint32_t k = 0; k < scene_.bonds.size(); ++k) {
    const bond::Bond& b = scene_.bonds[k];
    if (broken_[k] || (!taken[b.a.index()] && !taken[b.b.index()])) continue;
    times_[k] *= times;
    for (const PieceId p : {b.a, b.b}) {
      const std::uint32_t c = cluster_of_[p.index()];
      if (c == kNoCluster) continue;
      clusters_[c].looked = false;
      if (sleep_[p.index()] == Sleep::Asleep) wake(p.index());
    }
  }
}

}  // namespace drubble::world
