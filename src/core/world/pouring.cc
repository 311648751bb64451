// SPDX-License-Identifier: Apache-2.0
// Births: when, where, and whether there is room; and ends.
//
// Between two cuts of a frame, before the coming one is chosen, so that what is born counts there at once.
// What is due since the cut before goes ahead by as much, so that a stream is even however time is cut.
#include <algorithm>
#include <optional>

#include "core/collide/pairs.h"
#include "core/place/cells.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr std::size_t kMostFails = 64;     // in a row, of those that wait: the source is full for now
constexpr int kTriesAtOnce = 8;            // of one that does not wait
constexpr std::uint64_t kDraws = 1 << 20;  // of a birth, before its stream would be the next one's

}  // namespace

// What stands near a source, by where it is, to be tested against. Which of several is found first says
// nothing.
struct World::Standing {
  place::BoxCells boxes;
  collide::Manifolds found;  // a scratch pad
};

void World::takePours() {
  if (scene_.pours.empty()) return;
  pour_states_.assign(scene_.pours.size(), {});
  born_.assign(motion_.size(), 0);
  for (const Pour& p : scene_.pours) {
    if (p.until) takeRegion(p.until->in);
    for (const Birth& b : p.births) {
      const auto count = u32(p.kits[b.kit].parts.size());
      for (std::uint32_t i = b.first; i < b.first + count; ++i)
        if (sleep_[i] == Sleep::Unborn) born_[i] = kUnborn;
      // What is there from the start lives from then on.
      if (sleep_[b.first] != Sleep::Unborn && b.life > 0) mortal_.push_back({b.life, b.first, count});
    }
  }
  markAbsent();
}

// What is not there yet, or any more, touches nothing.
void World::markAbsent() {
  for (std::uint32_t i = 0; i < sleep_.size(); ++i) {
    if (!present(i)) in_play_[i] = 0;
    if (present(i) == rules_.isAbsent(i)) rules_.setAbsent(i, !present(i));
  }
  for (const PourTerm& g : ghosts_)
    for (std::uint32_t i = g.first; i < g.first + g.count; ++i) rules_.setAbsent(i, true);
}

bool World::poursWait() const {
  for (std::size_t k = 0; k < pour_states_.size(); ++k) {
    const PourState& s = pour_states_[k];
    if (!s.over && (s.next < scene_.pours[k].births.size() || !s.waiting.empty())) return true;
  }
  return !mortal_.empty() || !ghosts_.empty();
}

// The space of a source in the world, and how it moves.
SourceFrame World::sourceFrame(const Pour& p) const {
  SourceFrame out;
  if (!p.from.valid()) return out;
  const std::size_t i = p.from.index();
  out.pose = motion_.pose(i) * Pose{p.from_origin, Quat::Identity()};
  out.centre = motion_.position[i];
  out.velocity = p.hand_on * motion_.velocity[i];
  out.spin = p.hand_on * motion_.spin[i];
  return out;
}

bool World::full(const FullWhen& u) const {
  const Filled f = filledOf(u.in, nullptr);
  return (u.count && f.count >= *u.count) || (u.share && f.share >= *u.share) ||
         (u.height && f.height >= *u.height);
}

// At a shot frame, whole or not.
void World::pour(double frame) {
  if (scene_.pours.empty()) return;
  const double now = scene_.secondsAt(frame);
  endLives(now);
  letGhostsCollide(now);
  for (std::uint32_t k = 0; k < scene_.pours.size(); ++k) {
    const Pour& p = scene_.pours[k];
    PourState& s = pour_states_[k];
    const auto all = u32(p.births.size());
    if (s.over || (s.waiting.empty() && (s.next == all || p.births[s.next].frame > frame))) continue;
    const bool whole = frame == static_cast<double>(frame_);
    if (whole && p.until && full(*p.until)) {
      s.over = true;
      s.waiting.clear();
      continue;
    }
    for (; s.next < all && p.births[s.next].frame <= frame; ++s.next) {
      const std::uint32_t first = p.births[s.next].first;
      if (sleep_[first] == Sleep::Unborn)
        s.waiting.push_back({s.next, 0});  // else it was there from the start
    }
    if (!s.waiting.empty()) bear(k, now);
  }
}

// Those of a pour that wait, in their order.
void World::bear(std::uint32_t k, double now) {
  const Pour& p = scene_.pours[k];
  PourState& s = pour_states_[k];
  const SourceFrame source = sourceFrame(p);
  Standing standing =
      standingNear(p, source, now - scene_.secondsAt(p.births[s.waiting.front().birth].frame));
  std::vector<PourState::Waiting> left;
  std::size_t fails = 0;
  for (PourState::Waiting w : s.waiting) {
    const Birth& b = p.births[w.birth];
    bool born = false;
    const int tries = p.waits ? (fails < kMostFails ? 1 : 0) : kTriesAtOnce;
    for (int n = 0; n < tries && !born; ++n) {
      // Only a first try is on time.
      const double late = w.tries == 0 ? now - scene_.secondsAt(b.frame) : 0;
      RandomStream random(p.seed, "birth", w.birth * kDraws + w.tries++);
      born = tryBirth(p, b, source, random, late, now, standing);
    }
    fails = born ? 0 : fails + 1;
    if (born) {
      ++s.born;
      const auto count = u32(p.kits[b.kit].parts.size());
      if (b.life > 0) mortal_.push_back({now + b.life, b.first, count});
      if (p.collide_after > 0) ghosts_.push_back({now + p.collide_after, b.first, count});
    } else if (p.waits) {
      left.push_back(w);
    } else {
      ++s.skipped;
    }
  }
  s.waiting = std::move(left);
}

// All that a birth may come near to. `late`: s, of the one that has been due for longest.
World::Standing World::standingNear(const Pour& p, const SourceFrame& source, double late) const {
  double radius = 0;
  for (const PourKit& kit : p.kits) radius = greatest(radius, kit.radius);
  Standing out{place::BoxCells(2 * radius + p.clear), {}};
  if (p.collide_after > 0) return out;
  const Box own = p.source.bounds();
  Box about;
  for (int c = 0; c < 8; ++c)
    about.add(source.pose.toWorld(Vec3((c & 1 ? own.high : own.low).x(), (c & 2 ? own.high : own.low).y(),
                                       (c & 4 ? own.high : own.low).z())));
  const double speed = p.source.speed[1] + source.velocity.norm() + source.spin.norm() * own.size().norm();
  about = about.grown(2 * radius + p.clear + late * (speed + scene_.gravity.norm() * late));
  for (std::uint32_t i = 0; i < motion_.size(); ++i) {
    if (rules_.isAbsent(i) || !scene_.pieces[i].collide) continue;
    const shape::Shape& shape = shapeOf(i);
    const bool plane = shape.kind == shape::Kind::Plane;
    if (!plane && !about.grown(shape.outer_radius).contains(motion_.position[i])) continue;
    out.boxes.add(i, shape::boundsAt(shape, motion_.pose(i)));
  }
  return out;
}

bool World::hasRoom(std::uint32_t piece, const Pose& pose, double clear, Standing& standing) const {
  const shape::Shape& s = shapeOf(piece);
  const auto blocks = [&](std::uint32_t other) {
    if (other == piece || !rules_.meet(std::min(piece, other), std::max(piece, other))) return false;
    standing.found.clear();
    collide::collide(s, pose, shapeOf(other), motion_.pose(other), clear, standing.found);
    const auto near = [&](const collide::Manifold& m) { return m.count > 0 && m.leastGap() < clear; };
    return std::any_of(standing.found.begin(), standing.found.end(), near);
  };
  return !standing.boxes.any(shape::boundsAt(s, pose).grown(clear), blocks);
}

bool World::tryBirth(const Pour& p, const Birth& b, const SourceFrame& source, RandomStream& random,
                     double late, double now, Standing& standing) {
  const PourKit& kit = p.kits[b.kit];
  place::Source::Start start = p.source.draw(random, kit.radius + p.clear);
  Pose at = source.pose * start.pose;
  const Vec3 arm = at.position - source.centre;
  Vec3 velocity = source.pose.turn * start.velocity + source.velocity + source.spin.cross(arm);
  const Vec3 spin = source.pose.turn * start.spin + source.spin;
  at.position += late * velocity + 0.5 * late * late * scene_.gravity;
  velocity += late * scene_.gravity;
  const auto count = u32(kit.parts.size());
  for (std::uint32_t n = 0; n < count && p.collide_after == 0; ++n)
    if (scene_.pieces[b.first + n].collide && !hasRoom(b.first + n, at * kit.parts[n], p.clear, standing))
      return false;
  const Vec3 centre = at.toWorld(kit.centre);
  for (std::uint32_t n = 0; n < count; ++n) {
    const std::uint32_t i = b.first + n;
    const Pose pose = at * kit.parts[n];
    sleep_[i] = Sleep::Awake;
    motion_.position[i] = looked_from_.position[i] = pose.position;
    motion_.turn[i] = looked_from_.turn[i] = pose.turn.normalized();
    const Vec3 own = at.turn * kit.velocity[n] + velocity + spin.cross(pose.position - centre);
    motion_.velocity[i] = traits_[i].free_travel.cwiseProduct(own);
    motion_.spin[i] = traits_[i].free_turn.cwiseProduct(at.turn * kit.spin[n] + spin);
    rest_[i] = {motion_.position[i], motion_.turn[i], 0, false};
    born_[i] = now;
    births_.push_back(PieceId(i));
    work_ += energyOf(i).sum();
    if (p.collide_after == 0) rules_.setAbsent(i, false);
  }
  for (std::uint32_t i = b.first; i < b.first + count && !clusters_.empty(); ++i)
    if (cluster_of_[i] != kNoCluster && clusters_[cluster_of_[i]].pieces[0] == i)
      bearCluster(clusters_[cluster_of_[i]]);
  for (std::uint32_t i = b.first; i < b.first + count; ++i) {
    if (p.collide_after > 0) continue;
    if (scene_.pieces[i].collide) standing.boxes.add(i, shape::boundsAt(shapeOf(i), motion_.pose(i)));
  }
  return true;
}

// Those that went through everything meet it as soon as they overlap nothing.
void World::letGhostsCollide(double now) {
  std::vector<PourTerm> left;
  std::optional<Standing> all;  // made when first asked for
  const auto stand = [&](std::uint32_t i) {
    if (scene_.pieces[i].collide) all->boxes.add(i, shape::boundsAt(shapeOf(i), motion_.pose(i)));
  };
  for (const PourTerm& g : ghosts_) {
    if (!present(g.first)) continue;
    bool free = now >= g.due;
    if (free && !all) {
      all.emplace(Standing{place::BoxCells(4 * shapeOf(g.first).outer_radius), {}});
      for (std::uint32_t i = 0; i < motion_.size(); ++i)
        if (!rules_.isAbsent(i)) stand(i);
    }
    for (std::uint32_t i = g.first; i < g.first + g.count && free; ++i)
      free = hasRoom(i, motion_.pose(i), 0, *all);
    if (!free) {
      left.push_back(g);
      continue;
    }
    for (std::uint32_t i = g.first; i < g.first + g.count; ++i) {
      rules_.setAbsent(i, false);
      stand(i);
    }
  }
  ghosts_ = std::move(left);
}

// What has lived as long as it may is gone, and wakes what stood on it.
void World::endLives(double now) {
  std::vector<char> taken;
  std::vector<PourTerm> left;
  for (const PourTerm& m : mortal_) {
    if (now < m.due) {
      left.push_back(m);
      continue;
    }
    if (taken.empty()) taken.assign(motion_.size(), 0);
    for (std::uint32_t i = m.first; i < m.first + m.count; ++i)
      if (sleep_[i] != Sleep::Gone) taken[i] = 1;
  }
  mortal_ = std::move(left);
  if (taken.empty()) return;
  wakeAbout(taken);
  for (std::uint32_t i = 0; i < taken.size(); ++i)
    if (taken[i]) remove(i);
  dropContactsOf(taken);
}

}  // namespace drubble::world
