// SPDX-License-Identifier: Apache-2.0
// Sudden impacts: hits faster than the least bounce speed are passed on patch by patch, before the contact
// solve, until nothing closes fast any more. Method: sequential impacts with Newton's restitution and Coulomb
// friction; the hit is placed at its own time within the internal step, so that neither its speed nor the
// height of the bounce depends on the step.
#pragma once
#include <array>
#include <optional>
#include <vector>

#include "core/solve/block.h"

namespace drubble::solve {

// One patch that was hit.
struct Hit {
  PieceId a, b;
  Vec3 place = Vec3::Zero();   // world
  Vec3 normal = Vec3::Zero();  // from a to b
  double impulse = 0;          // N s along the normal
  double speed = 0;            // m/s, closing, at the moment of the hit
};

// Of the body's material where `arm` ends.
inline Vec3 pointVelocity(const ActiveBody& b, const Vec3& arm) { return b.velocity + b.spin.cross(arm); }

class Impacts {
 public:
  // Finds the contacts that may be hit within `h` seconds from the bodies' start. `in` with links. What speed
  // counts as a hit comes from the sizes and `gravity` (magnitude).
  Impacts(const BlockInput& in, double h, double gravity);

  // Deals with the hits of the coming `dt` seconds, adds to `hits`. A body that is hit on the way is put
  // where, with its new velocity and spin, it has to start from to pass through the hit: places and turns
  // change with velocities and spins. Call before gravity is added. `rows` hold the bodies' velocities and
  // how far they have come, and do so afterwards. False: there was none.
  bool pass(Bodies& bodies, BodyRows& rows, double dt, std::vector<Hit>& hits);

 private:
  struct PointState {
    Vec3 ra, rb;  // to the bodies' own points
    Vec3 apart;   // how far b's has come from a's since the substep's start
    double gap, closing;
  };
  using PointStates = std::array<PointState, 4>;
  // How two meet: when (s from now), how fast (m/s), how fast that grows by itself (m/s2).
  struct Meeting {
    double time = 0, speed = 0, pull = 0;
  };
  // What is known of a watched contact beside its Watch.
  struct Watched {
    std::uint32_t contact = 0;
    double slow = 0;  // m/s: its least bounce speed
  };
  double leastSpeed(const Contact& c) const;
  bool mayBeHit(std::uint32_t index, double h) const;
  void watch(std::uint32_t index, std::size_t place);
  void evaluate(const Bodies& bodies, const Contact& c, std::size_t ia, std::size_t ib,
                PointStates& state) const;
  std::optional<Meeting> meeting(const Bodies& bodies, std::size_t watched, double dt,
                                 PointStates& state) const;
  void findDue(const Bodies& bodies, const BodyRows& rows, double dt);
  bool strike(Bodies& bodies, BodyRows& rows, std::uint32_t index, double dt, std::vector<Hit>& hits);
  void goTo(double time, const Contact& c, ActiveBody& a, ActiveBody& b);
  void startAgain(const ActiveBody& after, double time, ActiveBody& body) const;
  void exchange(ActiveBody& a, ActiveBody& b, const Contact& c, double time, double pull, Hit& hit);
  void follow(std::size_t body, const BodyRows& rows, double dt);
  void markDue(std::uint32_t watched);
  void buildAdjacency();

  BlockInput in_;
  double gravity_;
  // Ascending, and then those that were found on the way. The first stands for none.
  PagedVector<Watch> watches_;
  PagedVector<Watched> watched_;         // the same
  std::vector<std::uint32_t> watch_of_;  // a contact; 0: it is not watched
  std::vector<std::uint32_t> which_;     // some watches, filled up to a multiple of eight with the first
  std::vector<std::uint64_t> due_;  // a bit a contact: it must be looked at, as one of its bodies has changed
  std::vector<std::uint32_t> first_of_body_, contacts_of_body_;  // made when first needed
  std::vector<double> clock_;                                    // a body: when it was last hit in this pass
  std::vector<std::uint32_t> touched_;
  std::vector<std::uint8_t> meets_, follows_;  // eight of which_: a bit each
  PointStates state_;                          // of the patch that is hit
};

}  // namespace drubble::solve
