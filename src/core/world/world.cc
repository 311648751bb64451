// SPDX-License-Identifier: Apache-2.0
#include "core/world/world.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <limits>

#include "core/base/float_mode.h"
#include "core/base/random.h"
#include "core/solve/spring.h"
#include "core/solve/substep.h"

namespace drubble::world {

namespace {

Sleep startOf(const Piece& p) {
  if (p.role != Role::Dynamic) return p.role == Role::Static ? Sleep::Fixed : Sleep::Driven;
  switch (p.start_state) {
    case Start::Awake:
      return Sleep::Awake;
    case Start::Held:
      return Sleep::Held;
    case Start::Unborn:
      return Sleep::Unborn;
    case Start::Asleep:
      break;
  }
  return Sleep::Asleep;
}

}  // namespace

namespace {

// Pieces of one prototype and role share their traits.
class TraitsOfPieces {
 public:
  explicit TraitsOfPieces(const Scene& s) : scene_(s), kind_(2 * s.prototypes.size(), kNone) {}

  std::uint32_t kindOf(const Piece& p, solve::TraitsList& traits) {
    const bool dynamic = p.role == Role::Dynamic;
    std::uint32_t& kind = kind_[2 * p.prototype.index() + (dynamic ? 1 : 0)];
    if (kind != kNone) return kind;
    const double gravity = scene_.gravity.norm();
    solve::Traits t = scene_.prototypes[p.prototype.index()].traits;
    if (!dynamic) t.dynamic = false, t.inverse_mass = 0;
    t.weight = t.mass() * gravity;
    const double thick = 2 * t.inner_radius;
    t.spring_rate = solve::springRate(thick > 0 ? least(t.size, solve::kSlender * thick) : t.size, gravity);
    return kind = traits.addKind(t);
  }

 private:
  static constexpr std::uint32_t kNone = 0xffffffffu;
  const Scene& scene_;
  std::vector<std::uint32_t> kind_;
};

}  // namespace

World::World(const Scene& scene, Machine machine)
    : scene_(scene),
      frame_(scene.first_frame),
      resting_(scene.pieces.size()),
      moving_(scene.pieces.size(), 0),
      rules_(scene),
      in_play_(scene.pieces.size(), 1),
      near_(scene.pieces.size()),
      loose_boxes_(scene.pieces.size()),
      smallest_core_(std::numeric_limits<double>::infinity()),
      team_(machine.threads),
      engine_{&solve::kernelOf(machine.lanes), &team_} {
  TraitsOfPieces kinds(scene);
  for (const Piece& p : scene.pieces) {
    traits_.add(kinds.kindOf(p, traits_));
    const solve::Traits& t = traits_[traits_.size() - 1];
    if (t.dynamic) smallest_core_ = least(smallest_core_, t.inner_radius);
    kinds_.push_back(scene.prototypes[p.prototype.index()].shape.kind);
    motion_.position.push_back(p.start.position);
    motion_.turn.push_back(p.start.turn.normalized());
    sleep_.push_back(startOf(p));
    const bool flies = sleep_.back() == Sleep::Awake;
    motion_.velocity.push_back(flies ? Vec3(t.free_travel.cwiseProduct(p.velocity)) : Vec3(Vec3::Zero()));
    motion_.spin.push_back(flies ? Vec3(t.free_turn.cwiseProduct(p.spin)) : Vec3(Vec3::Zero()));
    rest_.push_back({p.start.position, p.start.turn, 0, false});
  }
  handed_.resize(scene.movers.size());
  for (const Mover& m : scene.movers) {
    if (m.waits) continue;
    const Pose p = scene.moverPose(m, scene.first_frame);
    motion_.position[m.piece.index()] = p.position;
    motion_.turn[m.piece.index()] = p.turn;
  }
  takeBonds();
  looked_from_ = {motion_.position, motion_.turn};
  went_of_.place.assign(scene.pieces.size(), 0);
  findBends();
  takeJoints();
  takeRules();
  takePours();
  if (!scene.forces.empty()) {
    asleep_pushes_.assign(scene.pieces.size(), Vec3::Zero());
    for (const Prototype& p : scene.prototypes) faces_.push_back(facesOf(p.mesh));
  }
  watch_forces_.assign(scene.watches.size(), Vec3::Zero());
  for (std::uint32_t w = 0; w < scene.watches.size(); ++w)
    for (const PieceId p : scene.watches[w].who) watched_.push_back({p.value, w});
  for (const Watch& w : scene.watches)
    if (w.in) takeRegion(*w.in);
  std::sort(watched_.begin(), watched_.end());
}

double World::restSpeedOf(std::size_t piece) const {
  if (scene_.solver.sleep_speed >= 0) return scene_.solver.sleep_speed;
  return solve::restSpeed(bodyTraits(piece).size, scene_.gravity.norm());
}

void World::activate() {
  active_.clear();
  body_of_.assign(motion_.size(), 0);
  for (std::uint32_t i = 0; i < motion_.size(); ++i) {
    if (!mobile(i) || inFreeCluster(i)) continue;
    active_.push_back(i);
    body_of_[i] = u32(active_.size());
  }
  addClusterBodies();
}

namespace {

constexpr int kLoadSweeps = 300;
constexpr int kMostHalvings = 5;
constexpr std::size_t kPiecesWorthAThread = 256, kStoredWorthAThread = 1024;

}  // namespace

// Contacts of the substep, once all that they wake is awake.
solve::Contacts World::settledContacts(double h, BondJudge& judge) {
  solve::Contacts contacts = findContacts(h);
  // A woken piece needs its own reach; each round wakes at least one more, and few need a second.
  while (breakForced(judge) || wakeForContacts(contacts, h) || wakeForJoints()) {
    contacts = solve::Contacts();
    contacts = findContacts(h);
  }
  return contacts;
}

// The contacts just found are the world's from now on, whether the substep is committed or not: they go on
// from the same forces. So the old ones' memory is the solver's.
void World::adopt() {
  contacts_ = solve::Contacts();
  for (const std::uint32_t i : moved_)
    looked_from_.position[i] = motion_.position[i], looked_from_.turn[i] = motion_.turn[i];
  moved_.clear();
  touches_ = PagedVector<Touch>();
}

// One substep; one in which something passed through another is refused, and done again in halves. Where even
// the shortest does not help, what passed is set back to where it was stopped.
void World::substep(double from, double to, int iterations, int depth) {
  const double h = scene_.seconds(from, to);
  releaseDue(from);
  bend(from, to);
  drive(from, to, iterations);
  keyJoints(0.5 * (from + to));
  findPushes(0.5 * (from + to), h);
  wakeForPushes();
  shelve();
  wakeForDrives();
  solve::Proposal p;
  std::vector<solve::JointState> joint_states = joint_states_;
  std::vector<JointBreak> breaks;
  BondJudge judge;
  // A blow that came through others may have struck something held, or broken a joint: it goes, and the
  // substep is done again.
  do {
    wakeForJoints();
    // What broke off a mover, or was let go, follows no keys in this very substep.
    std::erase_if(drives_, [&](const solve::Drive& d) { return sleep_[d.piece] != Sleep::Driven; });
    markBroken(joint_states);
    if (p.dt > 0) contacts_ = std::move(p.contacts);
    solve::Contacts contacts = settledContacts(h, judge);
    adopt();
    activate();
    addCarriers(contacts, h, iterations);
    const std::vector<solve::BodyPush> pushes = bodyPushes(h);
    p = solve::solveSubstep({traits_,
                             motion_,
                             active_,
                             body_of_,
                             scene_.gravity,
                             h,
                             iterations,
                             drives_,
                             {clusters_.empty() ? joints_ : jointsOfBodies(), joint_states, joint_loads_},
                             engine_,
                             pushes},
                            std::move(contacts));
    dropCarriers(p);
    dropClusterBodies();
  } while (releaseHeld(p.hits) || breakJoints(p.joint_loads, joint_states, h, breaks) ||
           tearYielding(p.joint_states, judge) || strikeRules(p.hits, to, judge) ||
           breakBonds(p, from, to, judge));
  bond_breaks_.insert(bond_breaks_.end(), judge.breaks.begin(), judge.breaks.end());
  engine_.enter(Work::Guard);
  const std::vector<Passing> passings = findPassings(p);
  if (!passings.empty() && depth < kMostHalvings) {
    contacts_ = std::move(p.contacts);
    p = {};
    const double middle = 0.5 * (from + to);
    substep(from, middle, iterations, depth + 1);
    substep(middle, to, iterations, depth + 1);
    return;
  }
  for (const Passing& x : passings) p.bodies[x.body].position += x.shift;
  engine_.enter(Work::Other);
  if (!joints_.empty()) {
    joint_states_ = std::move(p.joint_states);
    joint_loads_ = std::move(p.joint_loads);
    noteBorne(h);
    noteYielding();
    work_ += p.work;
    joint_breaks_.insert(joint_breaks_.end(), breaks.begin(), breaks.end());
    if (!breaks.empty()) rules_.findJoined(joint_states_, broken_);
  }
  const std::size_t first_hit = hits_.size();
  commit(std::move(p));
  countPushes();
  watchForces(to - from);
  engine_.enter(Work::Sleep);
  wakeForForces();
  shrinkRestOverlaps();
  updateRest(h);
  fallAsleep();
  if (scene_.rules.empty()) return;
  engine_.enter(Work::Other);
  std::vector<char> broke(motion_.size(), 0);
  for (const BondBreak& b : judge.breaks)
    for (const PieceId i : {scene_.bonds[b.bond].a, scene_.bonds[b.bond].b}) broke[i.index()] = 1;
  followRules(first_hit, broke, to, h);
}

void World::commit(solve::Proposal&& p) {
  std::atomic<bool> any_absurd = false;
  team_.share(p.bodies.size() - 1, kPiecesWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k)
      if (absurd(p.bodies[k + 1])) any_absurd.store(true, std::memory_order_relaxed);
  });
  if (any_absurd) flewApart(p);
  engine_.enter(Work::Prepare);
  solve::takeForces(p, &team_);
  engine_.enter(Work::Other);
  moved_.clear();
  for (std::uint32_t i = 0; i < motion_.size(); ++i)
    if (body_of_[i] != 0) moved_.push_back(i);
  moveClusters(p);
  team_.share(moved_.size(), kPiecesWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      const std::uint32_t i = moved_[k];
      const solve::ActiveBody& b = p.bodies[body_of_[i]];
      looked_from_.position[i] = motion_.position[i];
      looked_from_.turn[i] = motion_.turn[i];
      if (b.piece != i) {
        takeClusterMotion(i);
        continue;
      }
      motion_.position[i] = b.position;
      motion_.turn[i] = b.turn;
      motion_.velocity[i] = b.velocity;
      motion_.spin[i] = b.spin;
    }
  });
  placeCarried();
  contacts_ = std::move(p.contacts);
  hits_.insert(hits_.end(), p.hits.begin(), p.hits.end());
  findTouches();
}

// Refuses the substep: the contacts go back, with the forces that they came with.
void World::flewApart(solve::Proposal& p) {
  solve::Contacts before = p.contacts;
  solve::takeForces(p, &team_);
  contacts_ = std::move(before);
  for (std::size_t k = 1; k < p.bodies.size(); ++k)
    if (absurd(p.bodies[k])) throw Error(ErrorKind::Diverged, whyFlewApart(p.bodies[k], u32(k), p.contacts));
}

double World::slipOf(const solve::Contact& c) const {
  const auto velocity = [&](std::size_t i) {
    return Vec3(motion_.velocity[i] + motion_.spin[i].cross(c.patch.middle - motion_.position[i]));
  };
  return (velocity(c.a.index()) - velocity(c.b.index())).norm();
}

void World::findTouches() {
  touches_.clear();
  addUnset(touches_, contacts_.size());
  team_.share(contacts_.size(), kStoredWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      const solve::Contact& c = contacts_[k];
      touches_[k] = {c.a.value, c.b.value, c.totalForce(), c.gradedForce()};
    }
  });
}

// What stands at the start carries its load from the first moment on: forces are found before anything moves,
// also those that sleepers bear.
void World::findStartLoads() {
  const Steps steps = chooseSteps(*this);
  const double h = scene_.frameSeconds(frame_) / steps.substeps;
  const std::vector<Sleep> states = sleep_;
  for (Sleep& s : sleep_)
    if (s == Sleep::Asleep) s = Sleep::Awake;
  findRestOverlaps();
  contacts_ = findContacts(h);
  activate();
  solve::findLoads(
      {traits_, motion_, active_, body_of_, scene_.gravity, h, steps.iterations, {}, {}, engine_},
      kLoadSweeps, contacts_);
  dropClusterBodies();
  sleep_ = states;
  for (solve::Contact& c : contacts_)
    if (sleep_[c.a.index()] == Sleep::Asleep || sleep_[c.b.index()] == Sleep::Asleep)
      c.asleep_force = c.totalForce();
  findTouches();
  started_ = true;
}

namespace {

// The longest cut of at most 1/substeps that starts on a multiple of itself and ends within the frame.
double alignedShare(double done, int substeps) {
  double share = 1;
  while (share * substeps > 1) share *= 0.5;
  const auto fits = [&](double s) {
    const double cuts = done / s;
    return std::floor(cuts) == cuts;
  };
  while (!fits(share)) share *= 0.5;
  return share;
}

}  // namespace

FrameStats World::advance(Watcher& watcher) {
  const FloatMode mode;
  engine_.listener = &watcher;
  if (!started_) findStartLoads();
  hits_.clear();
  joint_breaks_.clear();
  bond_breaks_.clear();
  rule_deeds_.clear();
  births_.clear();
  bond_worst_ = {};
  yield_worst_ = {};
  work_ = 0;
  dropAgedSolvers();
  watch_forces_.assign(scene_.watches.size(), Vec3::Zero());
  FrameStats out;
  double finest = 0;
  // The frame is cut as the state asks for at each moment; every cut falls on a multiple of its own length,
  // so that a finer one never outlasts its cause.
  double done = 0;  // share of the frame; exact, a sum of powers of two, with automatic substeps
  for (int k = 0; done < 1; ++k) {
    engine_.enter(Work::Other);
    if (watcher.cancelled())
      throw Error(ErrorKind::Cancelled, "stopped in frame " + std::to_string(frame_ + 1));
    bend(frame_ + done, frame_ + 1);
    pour(frame_ + done);
    findPushes(frame_ + done, 0);
    const Steps steps = chooseSteps(*this);
    const double begun = done;
    if (scene_.solver.substeps > 0)
      done = k + 1 == steps.substeps ? 1 : (k + 1) * (1.0 / steps.substeps);
    else
      done += alignedShare(done, steps.substeps);
    substep(frame_ + begun, frame_ + done, steps.iterations, 0);
    ++out.substeps;
    out.iterations = std::max(out.iterations, steps.iterations);
    if (static_cast<double>(steps.substeps) * steps.iterations > finest) {
      finest = static_cast<double>(steps.substeps) * steps.iterations;
      out.asks = steps.asks;
      out.asking = steps.asking;
    }
  }
  ++frame_;
  engine_.enter(Work::Other);
  watchRest();
  engine_.listener = nullptr;
  bend(frame_, frame_);
  addState(out);
  return out;
}

}  // namespace drubble::world
