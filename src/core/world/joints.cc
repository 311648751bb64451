// SPDX-License-Identifier: Apache-2.0
// Pieces that are joined: their keyed values, who wakes whom, what breaks.
#include <algorithm>
#include <cmath>

#include "core/solve/joint_pieces.h"
#include "core/solve/joint_rows.h"
#include "core/world/bonding.h"
#include "core/world/world.h"

namespace drubble::world {

using solve::eachPiece;

void World::takeJoints() {
  for (const SceneJoint& j : scene_.joints) joints_.push_back(j.joint);
  for (std::uint32_t k = 0; k < scene_.bonds.size(); ++k) {
    if (!scene_.yields(scene_.bonds[k])) continue;
    yielding_.push_back(k);
    joints_.push_back(yieldingJoint(scene_, scene_.bonds[k]));
    yield_times_.push_back(scene_.bond_tables[scene_.bonds[k].table].strengthAt(scene_.first_frame));
  }
  joint_states_.resize(joints_.size());
  joint_loads_.resize(joints_.size());
  for (std::size_t n = 0; n < yielding_.size(); ++n)
    joint_states_[scene_.joints.size() + n].broken = broken_[yielding_[n]] != 0;
  rules_.findJoined(joint_states_, broken_);
}

// What holds them is as strong as keys and rules have it; what has come to nothing goes.
void World::keyYielding(double frame) {
  bool gone = false;
  for (std::size_t n = 0; n < yielding_.size(); ++n) {
    const std::uint32_t k = yielding_[n];
    if (broken_[k]) continue;
    const bond::Bond& b = scene_.bonds[k];
    const double times = times_[k] * scene_.bond_tables[b.table].strengthAt(frame);
    solve::Joint& j = joints_[scene_.joints.size() + n];
    if (times == yield_times_[n]) continue;
    yield_times_[n] = times;
    setYieldStrength(b, times, j);
    for (const PieceId p : {b.a, b.b}) wakeJoined(p.index());
    if (times > 0) continue;
    loosen(n, bond::Why::Cue, 1, bond_breaks_);
    gone = true;
  }
  if (gone) rules_.findJoined(joint_states_, broken_);
}

// Yielding bonds that have gone, by whatever, in a substep's own states.
void World::markBroken(std::vector<solve::JointState>& states) const {
  for (std::size_t n = 0; n < yielding_.size(); ++n)
    if (broken_[yielding_[n]]) states[scene_.joints.size() + n] = joint_states_[scene_.joints.size() + n];
}

// A yielding bond goes.
void World::loosen(std::size_t n, bond::Why why, double share, std::vector<BondBreak>& breaks) {
  const std::size_t at = scene_.joints.size() + n;
  broken_[yielding_[n]] = 1;
  any_broken_ = true;
  joint_states_[at].broken = true;
  joint_states_[at].carried.fill(0);
  const solve::Joint& j = joints_[at];
  const Pose on = j.a.piece.valid() ? motion_.pose(j.a.piece.index()) : Pose{};
  breaks.push_back({yielding_[n], why, share, on.toWorld(j.a.at), on.turn * (j.a.frame * Vec3::UnitX())});
}

// What they bear at the substep's end.
void World::noteYielding() {
  std::size_t given = 0;
  for (std::size_t n = 0; n < yielding_.size(); ++n) {
    const std::size_t at = scene_.joints.size() + n;
    given += hasGiven(joint_states_[at]);
    if (joint_states_[at].broken) continue;
    const solve::Yielding& y = joints_[at].yields;
    double share = 0;
    for (std::size_t k = 0; k < 6; ++k) {
      const double force = joint_states_[at].carried[k], most = force > 0 ? y.most[k] : -y.least[k];
      if (most > 0) share = greatest(share, absolute(force) / most);
    }
    noteShare(yielding_[n], share);
    const YieldWorst now{joint_states_[at].strained / y.tear, share, yielding_[n]};
    if (std::pair(now.strain, now.load) > std::pair(yield_worst_.strain, yield_worst_.load))
      yield_worst_ = now;
  }
  if (given != given_) rules_.findJoined(joint_states_, broken_);
  given_ = given;
}

// Marks those that have been strained beyond what they bear. False: none were.
bool World::tearYielding(const std::vector<solve::JointState>& after, BondJudge& judge) {
  bool any = false;
  for (std::size_t n = 0; n < yielding_.size(); ++n) {
    const std::size_t at = scene_.joints.size() + n;
    const solve::Joint& j = joints_[at];
    if (joint_states_[at].broken || !(after[at].strained > j.yields.tear)) continue;
    // By what went farthest: along, across, or bent and twisted.
    std::array<double, 6> way{};
    for (std::size_t k = 0; k < 6; ++k) way[k] = absolute(after[at].set[k]) * (k < 3 ? 1 : j.yields.radius);
    const std::size_t most = static_cast<std::size_t>(std::max_element(way.begin(), way.end()) - way.begin());
    const bond::Why why = most == 0   ? (after[at].set[0] > 0 ? bond::Why::Compression : bond::Why::Tension)
                          : most <= 3 ? bond::Why::Shear
                                      : bond::Why::Tension;
    loosen(n, why, after[at].strained / j.yields.tear, judge.breaks);
    any = true;
  }
  if (any) rules_.findJoined(joint_states_, broken_);
  return any;
}

// Their keyed values as they are at a shot frame. A change wakes what it concerns.
void World::keyJoints(double frame) {
  const double before = joints_.empty() ? 0 : springEnergy();
  bool changed = false;
  for (std::size_t k = 0; k < scene_.joints.size(); ++k) {
    const SceneJoint& from = scene_.joints[k];
    solve::Joint& j = joints_[k];
    const auto set = [&](const act::Track& keys, double& value) {
      if (keys.keys.empty()) return;
      const double now = keys.at(frame, Vec3::Zero()).x();
      if (now == value) return;
      value = now;
      changed = true;
      if (!joint_states_[k].broken) eachPiece(j, [&](std::size_t i) { wakeJoined(i); });
    };
    set(from.stiffness, j.stiffness);
    set(from.length, j.length);
    set(from.motor_speed, j.motor_speed);
  }
  if (changed) work_ += springEnergy() - before;
  keyYielding(frame);
}

// And what it touches: asleep, that would hold it fast. A held piece stays put for whatever pulls at it.
void World::wakeJoined(std::size_t piece) {
  if (sleep_[piece] != Sleep::Asleep) return;
  std::vector<std::uint32_t> near;
  resting_.eachNeighbour(piece, [&](std::uint32_t j) { near.push_back(j); });
  wake(piece);
  for (const std::uint32_t j : near)
    if (sleep_[j] == Sleep::Asleep) wake(j);
}

// What is joined to something that moves moves with it. True when something woke.
bool World::wakeForJoints() {
  bool any = false;
  for (bool more = true; more;) {
    more = false;
    for (std::size_t k = 0; k < joints_.size(); ++k) {
      if (joint_states_[k].broken) continue;
      bool moves = false, sleeps = false;
      eachPiece(joints_[k], [&](std::size_t i) {
        moves = moves || mobile(i);
        sleeps = sleeps || sleep_[i] == Sleep::Asleep;
      });
      if (!moves || !sleeps) continue;
      eachPiece(joints_[k], [&](std::size_t i) { wakeJoined(i); });
      any = more = true;
    }
  }
  return any;
}

namespace {

// s of simulated time over which a joint's load is taken: a jerk that is over sooner counts by its impulse,
// so that what parts hangs neither on how finely time is cut nor on how slowly it goes. About as long as a
// rope takes to stop what falls into it.
constexpr double kJerk = 1.0 / 48;

// The running mean of a load, `h` seconds on.
double onAverage(double before, double load, double h) {
  return before + least(h / kJerk, 1) * (load - before);
}

}  // namespace

// Marks those that bore more than they can. False: none did.
bool World::breakJoints(const std::vector<solve::JointLoad>& loads, std::vector<solve::JointState>& states,
                        double h, std::vector<JointBreak>& breaks) const {
  bool any = false;
  for (std::uint32_t k = 0; k < scene_.joints.size(); ++k) {
    const solve::Joint& j = joints_[k];
    if (states[k].broken) continue;
    solve::JointLoad borne = loads[k];
    borne.force = onAverage(states[k].borne_force, loads[k].force, h);
    borne.torque = onAverage(states[k].borne_torque, loads[k].torque, h);
    if (borne.force <= j.breaks_force && borne.torque <= j.breaks_torque) continue;
    states[k].broken = true;
    states[k].carried.fill(0);
    breaks.push_back({k, borne, placeOf(j.a)});
    any = true;
  }
  return any;
}

// What joints bore in the substep that has been taken.
void World::noteBorne(double h) {
  for (std::size_t k = 0; k < scene_.joints.size(); ++k) {
    solve::JointState& s = joint_states_[k];
    s.borne_force = onAverage(s.borne_force, joint_loads_[k].force, h);
    s.borne_torque = onAverage(s.borne_torque, joint_loads_[k].torque, h);
  }
}

// Of sets of awake bodies, a body's place in body_of_: joins those that joints tie.
void World::joinTied(Sets& sets) const {
  for (std::size_t k = 0; k < joints_.size(); ++k) {
    if (joint_states_[k].broken) continue;
    std::uint32_t first = 0;
    eachPiece(joints_[k], [&](std::size_t i) {
      if (!awake(i) || body_of_[i] == 0) return;
      if (first == 0) first = body_of_[i];
      sets.join(first, body_of_[i]);
    });
  }
}

// Those that ride something driven by a joint.
void World::markRiders(Sets& islands, std::vector<char>& rides) const {
  for (std::size_t k = 0; k < joints_.size(); ++k) {
    if (joint_states_[k].broken) continue;
    bool driven = false;
    eachPiece(joints_[k], [&](std::size_t i) { driven = driven || moving_[i]; });
    if (!driven) continue;
    eachPiece(joints_[k], [&](std::size_t i) {
      if (awake(i) && body_of_[i] != 0) rides[islands.find(body_of_[i])] = 1;
    });
  }
}

// Springs must be followed as they swing, and what turns about an axis must not go far round it in a step.
JointRate World::jointRate() const {
  constexpr double kSwing = 0.25, kTurn = 0.15;  // rad an internal step
  JointRate out;
  const auto ask = [&](double rate, Asks asks, PieceId piece) {
    if (rate > out.rate) out = {rate, asks, piece};
  };
  for (std::size_t k = 0; k < joints_.size(); ++k) {
    if (joint_states_[k].broken) continue;
    const solve::Joint& j = joints_[k];
    double inverse_mass = 0;
    eachPiece(j, [&](std::size_t i) {
      if (!awake(i)) return;
      inverse_mass += traits_[i].inverse_mass;
      ask(motion_.spin[i].norm() / kTurn, Asks::Turning, PieceId(i));
    });
    if (j.kind == solve::JointKind::Spring)
      ask(std::sqrt(j.stiffness * inverse_mass) / kSwing, Asks::Springing,
          j.a.piece.valid() ? j.a.piece : j.b.piece);
  }
  return out;
}

Vec3 World::placeOf(const solve::JointSide& side) const {
  return side.piece.valid() ? motion_.pose(side.piece.index()).toWorld(side.at) : side.at;
}

// J, of all springs that hold.
double World::springEnergy() const {
  double sum = 0;
  for (std::size_t k = 0; k < joints_.size(); ++k) {
    const solve::Joint& j = joints_[k];
    if (joint_states_[k].broken) continue;
    if (j.kind == solve::JointKind::Yielding) {
      const auto poseOf = [&](PieceId p) { return p.valid() ? motion_.pose(p.index()) : Pose{}; };
      const std::array<double, 6> apart = solve::stretchOf(j, poseOf(j.a.piece), poseOf(j.b.piece));
      for (std::size_t i = 0; i < 6; ++i) {
        const double over = apart[i] - joint_states_[k].set[i];
        sum += 0.5 * j.yields.stiffness[i] * over * over;
      }
    }
    if (j.kind != solve::JointKind::Spring) continue;
    const double over = (placeOf(j.b) - placeOf(j.a)).norm() - j.length;
    sum += 0.5 * j.stiffness * over * over;
  }
  return sum;
}

}  // namespace drubble::world
