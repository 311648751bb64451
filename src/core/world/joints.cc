// SPDX-License-Identifier: Apache-2.0
// Pieces that are joined: their keyed values, who wakes whom, what breaks.
#include <algorithm>
#include <cmath>

#include "core/solve/joint_pieces.h"
#include "core/world/world.h"

namespace drubble::world {

using solve::eachPiece;

void World::takeJoints() {
  for (const SceneJoint& j : scene_.joints) joints_.push_back(j.joint);
  joint_states_.resize(joints_.size());
  joint_loads_.resize(joints_.size());
}

// Their keyed values as they are at a shot frame. A change wakes what it concerns.
void World::keyJoints(double frame) {
  const double before = joints_.empty() ? 0 : springEnergy();
  bool changed = false;
  for (std::size_t k = 0; k < joints_.size(); ++k) {
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

// Marks those that bore more than they can. False: none did.
bool World::breakJoints(const std::vector<solve::JointLoad>& loads, std::vector<solve::JointState>& states,
                        std::vector<JointBreak>& breaks) const {
  bool any = false;
  for (std::uint32_t k = 0; k < loads.size(); ++k) {
    const solve::Joint& j = joints_[k];
    if (states[k].broken || (loads[k].force <= j.breaks_force && loads[k].torque <= j.breaks_torque))
      continue;
    states[k].broken = true;
    states[k].carried.fill(0);
    breaks.push_back({k, loads[k], placeOf(j.a)});
    any = true;
  }
  return any;
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
World::JointRate World::jointRate() const {
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
    if (j.kind != solve::JointKind::Spring || joint_states_[k].broken) continue;
    const double over = (placeOf(j.b) - placeOf(j.a)).norm() - j.length;
    sum += 0.5 * j.stiffness * over * over;
  }
  return sum;
}

}  // namespace drubble::world
