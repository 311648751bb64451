// SPDX-License-Identifier: Apache-2.0
// How bodies go through an internal step: with the velocities that the push-out left them, in free flight.
#pragma once
#include "core/solve/accounts.h"
#include "core/solve/substep.h"

namespace drubble::solve {

struct Moving {
  const SubstepInput& in;
  double dt;  // s
  Bodies& bodies;
  BodyRows& rows;
  PagedVector<Speeds>& loaded;  // the rows' velocities when the internal step began

  // Bodies [begin, end): places, turns and spins become those at the end of internal step `step`, and rows
  // say how far they have come. A body's bits do not hang on its company.
  void move(int step, std::size_t begin, std::size_t end);

  void moveOne(int step, std::size_t i);
  bool moveFour(std::size_t i);
  void travel(ActiveBody& b, const Given& g) const;
  void takeSpin(const Vec3& spin, const Given& g, std::size_t i);
  void keepGiven(const ActiveBody& b, std::size_t i);
};

}  // namespace drubble::solve
