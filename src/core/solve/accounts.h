// SPDX-License-Identifier: Apache-2.0
// What the contacts gave those that come far in a substep, counted again.
//
// The rows of a substep stay as they are, in floats. So a body gets what its contacts give rounded, with the
// inertia of the way in which it lay at the substep's start, and where the two met then: once they have gone
// past each other, the two pushes no longer lie on one line, and together they are a couple that nothing
// gave. What goes slowly hardly has any of this. What goes fast would lose momentum by it, and gets from here
// what makes both kinds balance to rounding (law 14): the sum of its contacts' impulses, its turn with the
// inertia that it has now, and the couples taken out of the spins, half from each body; all from the larger
// one where they have gone past each other by more than the other's size.
#pragma once
#include <vector>

#include "core/solve/block.h"
#include "core/solve/joint_group.h"

namespace drubble::solve {

// What the solver has given a body in this internal step. Exactly zero for a body that nothing touched.
struct Given {
  Vec3 velocity, spin;
};
Given given(const Speeds& loaded, const BodyRow& now);

// Of a body in a substep.
struct Account {
  Vec3 impulse = Vec3::Zero();     // N s: what its contacts gave
  Vec3 couple = Vec3::Zero();      // N m s: what its spin has to get for balance
  Vec3 first_spin = Vec3::Zero();  // 1/s: what the push-out gave
  double size = 0;                 // m: its outer radius
  bool kept = false;               // joints and locked turning have their own ways to give
  bool cornered = false;           // its contacts stay where they are on it
  bool astir = false;              // has come far
  bool open = false;               // one of a pair of kept ones, of which one is astir and one cornered
};

class Accounts {
 public:
  // `tied`: by body, whether joints move it; may be empty. The others are used as long as this is.
  Accounts(const Bodies& bodies, const TraitsList& traits, std::vector<char> tied, Team* team);

  // Before the bodies move by dt: closes all and finds who will be astir; whether any. While nobody was, a
  // body costs four bytes; where all are round, nothing is ever open, and nothing is looked for.
  bool begin(const BodyRows& rows, double dt);

  // After contacts were counted (Passes::count): the open ones get their balance.
  void balance(Pass after, const PagedVector<Speeds>& loaded, const BodyRows& rows, Bodies& bodies);

  // Once begin() found somebody.
  Account& operator[](std::size_t body) { return all_[body]; }

 private:
  void make();

  const Bodies& bodies_;
  const TraitsList& traits_;
  std::vector<char> tied_;
  Team* team_;
  bool any_cornered_ = false;
  PagedVector<float> far_;    // m2: the square of the way that makes a body astir
  PagedVector<Account> all_;  // empty while nobody was
};

}  // namespace drubble::solve
