// SPDX-License-Identifier: Apache-2.0
// Clusters in the world: how they come to be, move as one body, and come apart.
#include <algorithm>

#include "core/solve/flight.h"
#include "core/solve/joint_pieces.h"
#include "core/world/bond_shares.h"
#include "core/world/joining.h"
#include "core/world/world.h"

namespace drubble::world {

void World::takeBonds() {
  const std::size_t n = scene_.pieces.size();
  broken_.clear();
  for (const bond::Bond& b : scene_.bonds)
    broken_.push_back(scene_.bond_tables[b.table].strengthAt(scene_.first_frame) > 0 ? 0 : 1);
  times_.assign(scene_.bonds.size(), 1);
  if (scene_.keepsStress()) {
    shares_.assign(scene_.bonds.size(), -1.0f);
    share_from_.assign(scene_.bonds.size(), scene_.first_frame - 1);
  }
  own_.resize(n);
  for (std::size_t i = 0; i < n; ++i) own_[i] = scene_.pieces[i].role == Role::Dynamic;
  fragment_.assign(n, 0);
  for (const bond::Bond& b : scene_.bonds) fragment_[b.a.index()] = fragment_[b.b.index()] = 1;
  node_of_.assign(n, 0);
  gave_.assign(scene_.bonds.empty() ? 0 : n, {});
  cluster_of_.assign(n, kNoCluster);
  findClusters();
}

// After bonds have gone, or a driven piece was let go. What comes apart goes on as the whole went.
void World::findClusters() {
  std::vector<Cluster> before = std::move(clusters_);
  const std::vector<std::uint32_t> was = cluster_of_;
  std::vector<char> kept;  // of those before: is as it was
  if (own_ == own_then_)
    kept = splitClusters(before);
  else {
    kept.assign(before.size(), 0);
    for (Cluster& c : before) c.solver.reset();  // what hung may have become a part of what hangs together
    makeClusters();
  }
  for (Cluster& c : clusters_) {
    const auto known =
        std::find_if(c.pieces.begin(), c.pieces.end(), [&](std::uint32_t i) { return was[i] != kNoCluster; });
    if (known == c.pieces.end())
      startCluster(c);
    else if (kept[was[*known]])
      continue;
    else
      goOnAs(c, before[was[*known]]);
    if (c.anchored()) hangUp(c);
  }
  for (std::uint32_t i = 0; i < was.size(); ++i) {
    if (was[i] == kNoCluster || kept[was[i]] || !before[was[i]].anchored() || !own_[i]) continue;
    if (cluster_of_[i] == kNoCluster || !clusters_[cluster_of_[i]].anchored()) letGo(i, before[was[i]]);
  }
}

// From the bonds that hold; how they move is not known yet.
void World::makeClusters() {
  clusters_ = scene_.bonds.empty() ? std::vector<Cluster>() : clustersOf(scene_, broken_, own_);
  own_then_ = own_;
  listClusters();
}

// Nothing but bonds has changed. Tells which of those before went on as they are; the others stay in
// `before`.
std::vector<char> World::splitClusters(std::vector<Cluster>& before) {
  std::vector<char> kept;
  clusters_.clear();
  for (Cluster& c : before) {
    kept.push_back(
        std::none_of(c.bonds.begin(), c.bonds.end(), [&](std::uint32_t k) { return broken_[k] != 0; }));
    if (kept.back())
      clusters_.push_back(std::move(c));
    else
      for (Cluster& part : partsOf(scene_, c, broken_)) clusters_.push_back(std::move(part));
  }
  std::sort(clusters_.begin(), clusters_.end(),
            [](const Cluster& a, const Cluster& b) { return a.pieces[0] < b.pieces[0]; });
  listClusters();
  return kept;
}

void World::listClusters() {
  any_broken_ = std::find(broken_.begin(), broken_.end(), 1) != broken_.end();
  std::fill(cluster_of_.begin(), cluster_of_.end(), kNoCluster);
  for (std::uint32_t k = 0; k < clusters_.size(); ++k) {
    Cluster& c = clusters_[k];
    for (std::uint32_t n = 0; n < c.pieces.size(); ++n) {
      cluster_of_[c.pieces[n]] = k;
      node_of_[c.pieces[n]] = n;
    }
  }
}

// Its pieces' momentum is the whole's.
void World::gatherMomentum(Cluster& c) {
  Vec3 push = Vec3::Zero(), swing = Vec3::Zero();
  for (const std::uint32_t i : c.pieces) push += scene_.prototypeOf(i).traits.mass() * motion_.velocity[i];
  c.velocity = push / c.traits.mass();
  for (const std::uint32_t i : c.pieces) {
    const solve::Traits& t = scene_.prototypeOf(i).traits;
    const Vec3 r = motion_.position[i] - c.pose.position, own = motion_.turn[i].conjugate() * motion_.spin[i];
    swing += t.mass() * r.cross(Vec3(motion_.velocity[i] - c.velocity)) + motion_.turn[i] * (t.inertia * own);
  }
  c.spin = c.pose.turn * (c.traits.inverse_inertia * (c.pose.turn.conjugate() * swing));
}

namespace {

constexpr double kDrawn = 1e-4;  // of its size

// Where a cluster is whose leader was at `from` as the scene starts and is at `now`.
Pose carriedWith(const Cluster& c, const Pose& now, const Pose& from) {
  Pose out;
  out.turn = (now.turn * from.turn.conjugate()).normalized();
  out.position = now.position + out.turn * (c.centre - from.position);
  return out;
}

}  // namespace

// As its pieces start, or as keys have led them. All of them are in the state of the liveliest; those of a
// pour wait together.
void World::startCluster(Cluster& c) {
  const Pose now = motion_.pose(c.pieces[0]), start = startPose(scene_, PieceId(c.pieces[0]));
  c.pose = now.position == start.position && now.turn.coeffs() == start.turn.normalized().coeffs()
               ? Pose{c.centre, Quat::Identity()}
               : carriedWith(c, now, start);
  Sleep state = Sleep::Asleep;
  for (const std::uint32_t i : c.pieces) {
    if (sleep_[i] == Sleep::Awake || state == Sleep::Awake)
      state = Sleep::Awake;
    else if (sleep_[i] == Sleep::Held || sleep_[i] == Sleep::Unborn)
      state = sleep_[i];
  }
  gatherMomentum(c);
  if (c.anchored()) c.velocity.setZero(), c.spin.setZero();
  bool carried = false;
  for (const std::uint32_t i : c.anchors) carried = carried || sleep_[i] == Sleep::Driven;
  c.looked = state != Sleep::Awake;
  for (const std::uint32_t i : c.pieces) {
    sleep_[i] = !c.anchored() ? state : carried ? Sleep::Driven : Sleep::Fixed;
    motion_.velocity[i] = c.velocityAt(motion_.position[i]);
    motion_.spin[i] = c.spin;
    if (c.anchored()) makeStill(i);
  }
}

// Something that holds it has come to a stop, or moves by itself no longer: what of it moved by itself hangs
// now.
void World::hangUp(Cluster& c) {
  bool carried = false, any = false;
  for (const std::uint32_t i : c.anchors) carried = carried || sleep_[i] == Sleep::Driven;
  for (const std::uint32_t i : c.pieces) {
    if (!traits_[i].dynamic) continue;
    sleep_[i] = carried ? Sleep::Driven : Sleep::Fixed;
    moving_[i] = 0;
    motion_.velocity[i].setZero();
    motion_.spin[i].setZero();
    makeStill(i);
    any = true;
  }
  if (!any) return;
  c.looked = false;
  c.velocity.setZero();
  c.spin.setZero();
}

// It hangs on something else: contacts do not move it.
void World::makeStill(std::size_t piece) {
  solve::Traits t = traits_[piece];
  t.dynamic = false;
  t.inverse_mass = 0;
  traits_.change(piece, t);
}

// What is most of a whole goes on with its solver, to the frame's end: a run that goes on from a save makes
// it anew there, too.
void World::takeSolver(Cluster& c, Cluster& whole) {
  if (!whole.solver || 2 * c.pieces.size() <= whole.pieces.size()) return;
  c.solver = std::move(whole.solver);
  if (c.bonds == whole.bonds) return;
  std::vector<std::uint32_t> nodes, beams;
  const auto add = [&](const std::vector<std::uint32_t>& some, const std::vector<std::uint32_t>& all,
                       std::size_t first, std::vector<std::uint32_t>& out) {
    std::size_t at = 0;
    for (const std::uint32_t i : some) {
      while (all[at] != i) ++at;
      out.push_back(u32(first + at));
    }
  };
  add(c.pieces, whole.pieces, 0, nodes);
  add(c.anchors, whole.anchors, whole.pieces.size(), nodes);
  add(c.bonds, whole.bonds, 0, beams);
  c.solver->keepOnly(nodes, beams);
}

void World::dropAgedSolvers() {
  for (Cluster& c : clusters_)
    if (c.solver && c.solver->aged()) c.solver.reset();
}

// A part, or all, of what was a whole.
void World::goOnAs(Cluster& c, Cluster& whole) {
  c.pose = {whole.pose.toWorld(c.centre - whole.centre), whole.pose.turn};
  c.velocity = whole.velocityAt(c.pose.position);
  c.spin = whole.spin;
  takeSolver(c, whole);
  c.looked = c.bonds == whole.bonds && whole.looked;  // what cracked bears otherwise
  if (c.pieces.size() == whole.pieces.size()) return;
  for (const std::uint32_t i : c.pieces) rest_[i] = {motion_.position[i], motion_.turn[i], 0, false};
}

// A piece that hung on something else moves by itself now, as that went.
void World::letGo(std::size_t i, const Cluster& from) {
  makeDynamic(i);
  sleep_[i] = Sleep::Awake;
  moving_[i] = 0;
  motion_.velocity[i] = from.velocityAt(motion_.position[i]);
  motion_.spin[i] = from.spin;
  rest_[i] = {motion_.position[i], motion_.turn[i], 0, false};
}

// For the solver, cluster k stands behind the pieces: piece number `pieces + k`.
void World::addClusterBodies() {
  for (const Cluster& c : clusters_) {
    const auto id = u32(motion_.size());
    traits_.push_back(c.traits);
    motion_.position.push_back(c.pose.position);
    motion_.turn.push_back(c.pose.turn);
    motion_.velocity.push_back(c.velocity);
    motion_.spin.push_back(c.spin);
    body_of_.push_back(0);
    if (c.anchored() || !awake(c.pieces[0])) continue;
    active_.push_back(id);
    body_of_[id] = u32(active_.size());
    for (const std::uint32_t i : c.pieces) body_of_[i] = body_of_[id];
  }
}

// Takes them away again. Among the active its first piece stands for a cluster.
void World::dropClusterBodies() {
  if (clusters_.empty()) return;
  const std::size_t pieces = scene_.pieces.size();
  while (traits_.size() > pieces) traits_.pop_back();
  for (std::vector<Vec3>* v : {&motion_.position, &motion_.velocity, &motion_.spin}) v->resize(pieces);
  motion_.turn.resize(pieces);
  body_of_.resize(pieces);
  for (std::uint32_t& i : active_)
    if (i >= pieces) i = clusters_[i - pieces].pieces[0];
}

void World::moveClusters(const solve::Proposal& p) {
  for (Cluster& c : clusters_) {
    if (c.anchored() || body_of_[c.pieces[0]] == 0) continue;
    const solve::ActiveBody& b = p.bodies[body_of_[c.pieces[0]]];
    c.pose = {b.position, b.turn};
    c.velocity = b.velocity;
    c.spin = b.spin;
  }
}

void World::takeClusterMotion(std::size_t i) {
  const Cluster& c = clusters_[cluster_of_[i]];
  const Pose p = c.pose * c.at[node_of_[i]];
  motion_.position[i] = p.position;
  motion_.turn[i] = p.turn;
  motion_.velocity[i] = c.velocityAt(p.position);
  motion_.spin[i] = c.spin;
}

// Where a piece stood at the end of an internal step of the proposal.
Pose World::poseIn(const solve::Proposal& p, std::size_t step, std::size_t piece) const {
  const std::uint32_t body = body_of_[piece];
  if (body == 0) return motion_.pose(piece);
  const Pose& at = p.way[step][body];
  return p.bodies[body].piece == piece ? at : at * clusters_[cluster_of_[piece]].at[node_of_[piece]];
}

// The driven piece that a cluster hangs on first; kNoCluster: none.
std::uint32_t World::leaderOf(const Cluster& c) const {
  const auto led = std::find_if(c.anchors.begin(), c.anchors.end(),
                                [&](std::uint32_t i) { return sleep_[i] == Sleep::Driven; });
  return led == c.anchors.end() ? kNoCluster : *led;
}

// Born with the others of its pour: its pieces are where they are now, and awake.
void World::bearCluster(Cluster& c) {
  const std::uint32_t one = c.pieces[0];
  c.pose = carriedWith(c, motion_.pose(one), startPose(scene_, PieceId(one)));
  gatherMomentum(c);
  c.looked = false;
  for (const std::uint32_t i : c.pieces) takeClusterMotion(i);
}

// At a substep's end, so that what is let go then goes on from there.
void World::placeCarried() {
  for (Cluster& c : clusters_) {
    const std::uint32_t leader = c.anchored() ? leaderOf(c) : kNoCluster;
    if (leader != kNoCluster && moving_[leader])
      c.pose = carriedWith(c, motion_.pose(leader), startPose(scene_, PieceId(leader)));
  }
}

// It goes with one of those that it hangs on. What else holds it and goes another way breaks off: the strain
// that bonds bear is less than can be seen. Whether it came apart, or off all.
bool World::breakAway(const Cluster& c, BondJudge& judge) {
  if (std::none_of(c.anchors.begin(), c.anchors.end(), [&](std::uint32_t i) { return moving_[i] != 0; }))
    return false;
  const std::uint32_t leader = leaderOf(c);
  std::vector<std::uint32_t> gone;
  for (std::size_t k = 0; k < c.anchors.size(); ++k) {
    const std::uint32_t anchor = c.anchors[k];
    if (anchor == leader) continue;
    const Pose there = carriedWith(c, motion_.pose(anchor), startPose(scene_, PieceId(anchor)));
    const double far = (there.position - c.pose.position).norm() +
                       turnBetween(c.pose.turn, there.turn).norm() * c.traits.outer_radius;
    if (far <= kDrawn * c.traits.size) continue;
    for (std::uint32_t n = 0; n < c.bonds.size(); ++n) {
      const bool ends_there = c.ends[n][0] == c.pieces.size() + k || c.ends[n][1] == c.pieces.size() + k;
      if (!ends_there || broken_[c.bonds[n]] ||
          scene_.bonds[c.bonds[n]].strength.tension == bond::kUnbreakable)
        continue;
      breakOff(c, n, 1, bond::Why::Tension, judge);
      gone.push_back(n);
    }
  }
  return !gone.empty() && !hangsTogether(c, broken_, gone);
}

// What hangs on something driven goes with it.
void World::carryClusters(int iterations) {
  std::vector<solve::Drive> carried;
  for (Cluster& c : clusters_) {
    if (!c.anchored()) continue;
    const std::uint32_t leader = leaderOf(c);
    if (leader == kNoCluster) continue;
    // As it stands in the scene: where the keys have it at the first frame.
    const Pose first = startPose(scene_, PieceId(leader));
    c.pose = carriedWith(c, motion_.pose(leader), first);
    c.spin = motion_.spin[leader];
    c.velocity = motion_.velocity[leader] + c.spin.cross(c.pose.position - motion_.position[leader]);
    const auto drive = std::find_if(drives_.begin(), drives_.end(),
                                    [&](const solve::Drive& d) { return d.piece == leader; });
    for (const std::uint32_t i : c.pieces) {
      moving_[i] = moving_[leader];
      takeClusterMotion(i);
      if (!moving_[i] || drive == drives_.end()) continue;
      solve::Drive d;
      d.piece = i;
      for (int k = 0; k <= iterations; ++k)
        d.poses.push_back(carriedWith(c, drive->poses[static_cast<std::size_t>(k)], first) *
                          c.at[node_of_[i]]);
      carried.push_back(std::move(d));
    }
  }
  std::move(carried.begin(), carried.end(), std::back_inserter(drives_));
}

// Joints as the solver wants them: what holds a piece of a cluster holds the cluster.
std::vector<solve::Joint> World::jointsOfBodies() const {
  std::vector<solve::Joint> out = joints_;
  const auto hand = [&](PieceId& piece, Vec3& at, Quat* frame) {
    if (!piece.valid() || !inFreeCluster(piece.index())) return;
    const std::uint32_t k = cluster_of_[piece.index()];
    const Pose& own = clusters_[k].at[node_of_[piece.index()]];
    at = own.toWorld(at);
    if (frame != nullptr) *frame = (own.turn * *frame).normalized();
    piece = PieceId(scene_.pieces.size() + k);
  };
  for (solve::Joint& j : out) {
    hand(j.a.piece, j.a.at, &j.a.frame);
    hand(j.b.piece, j.b.at, &j.b.frame);
    for (solve::JointPoint& p : j.over) hand(p.piece, p.at, nullptr);
  }
  return out;
}

}  // namespace drubble::world
