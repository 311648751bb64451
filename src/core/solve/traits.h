// SPDX-License-Identifier: Apache-2.0
// What the solver knows of each piece: what never changes, and how it moves.
#pragma once
#include <vector>

#include "core/base/id.h"
#include "core/base/vec.h"
#include "core/shape/shape.h"

namespace drubble::solve {

// What has two equal moments, not three: how it turns in free flight is known in closed form.
struct Top {
  Vec3 axis = Vec3::Zero();      // body space, unit: of the third moment
  double along = 0, across = 0;  // kg m2: about the axis, about those across it; 0: no such thing
};

// Constant over a run.
struct Traits {
  double inverse_mass = 0;              // 1/kg; 0 for what is not dynamic
  Mat3 inertia = Mat3::Zero();          // kg m2, body space
  Mat3 inverse_inertia = Mat3::Zero();  // body space
  Vec3 moments = Vec3::Zero();          // principal
  Quat principal = Quat::Identity();    // principal axes to body space
  bool round = true;                    // all moments alike: spin does not precess
  Top top;
  double size = 0;          // m: longest side of the body-space box
  double outer_radius = 0;  // m: farthest point from the centre of mass
  double inner_radius = 0;  // m: largest ball inside the shape
  double gravity_share = 1;
  double travel_damping = 0, spin_damping = 0;  // 1/s
  double weight = 0;                            // N: mass times gravity
  double spring_rate = 0;  // rad/s: of the springs that ease it out of overlaps (springRate)
  shape::Roundness roundness = shape::Roundness::None;  // where it touches does not turn with it
  Vec3 round_axis = Vec3::UnitY();                      // body space
  Vec3 half_axes = Vec3::Zero();                        // of an ellipsoid; else 0
  Vec3 free_travel = Vec3::Ones();                      // 0 for world axes along which it cannot go
  Vec3 free_turn = Vec3::Ones();                        // 0 for world axes about which it cannot turn
  bool dynamic = false;

  bool turnLocked() const { return free_turn != Vec3::Ones(); }
  double mass() const { return inverse_mass > 0 ? 1 / inverse_mass : 0; }
};

// One entry a piece; those that share their traits hold them once.
class TraitsList {
 public:
  std::size_t size() const { return kind_of_.size(); }
  const Traits& operator[](std::size_t piece) const { return kinds_[kind_of_[piece]]; }
  // Traits that pieces may have; returns which they are.
  std::uint32_t addKind(const Traits& t) {
    kinds_.push_back(t);
    return static_cast<std::uint32_t>(kinds_.size() - 1);
  }
  void add(std::uint32_t kind) { kind_of_.push_back(kind); }
  // The next piece, with traits of its own.
  void push_back(const Traits& t) { add(addKind(t)); }
  // From now on a piece has traits of its own.
  void change(std::size_t piece, const Traits& t) { kind_of_[piece] = addKind(t); }
  // Takes the last piece away, which must have been added with traits of its own.
  void pop_back() {
    kinds_.pop_back();
    kind_of_.pop_back();
  }

 private:
  std::vector<Traits> kinds_;
  std::vector<std::uint32_t> kind_of_;
};

// One entry a piece. World space; velocity is that of the centre of mass.
struct Motion {
  std::vector<Vec3> position, velocity, spin;
  std::vector<Quat> turn;

  std::size_t size() const { return position.size(); }
  Pose pose(std::size_t i) const { return {position[i], turn[i]}; }
};

// The smallest fall whose bounce is kept, as a share of a piece's size; and the speeds that follow from it.
inline constexpr double kLeastBounceHeight = 0.002;

// Below this closing speed (m/s) a hit has no bounce. Comes from size and gravity, never from the step.
double leastBounceSpeed(double size, double gravity);

// Below this speed (m/s) a piece counts as slow enough to sleep.
double restSpeed(double size, double gravity);

}  // namespace drubble::solve
