// SPDX-License-Identifier: Apache-2.0
// Passes over lists of blocks, colour by colour; long colours are shared out among threads.
#pragma once
#include <vector>

#include "core/base/work.h"
#include "core/solve/accounts.h"
#include "core/solve/block.h"
#include "core/solve/joint_group.h"

namespace drubble::solve {

// What the passes run on: changes no bit.
struct Engine {
  const Kernel* kernel = &kernelOf(Lanes::Auto);
  Team* team = nullptr;  // none: alone
  WorkListener* listener = nullptr;

  Engine alone() const { return {kernel, nullptr, nullptr}; }
  void enter(Work s) const {
    if (listener != nullptr) listener->entering(s);
  }
};

// A list, the bodies it moves, the internal step (s), and the joints among those bodies, which are put right
// after every sweep.
struct Passes {
  BlockList& list;
  BodyRows& rows;
  double dt = 0;
  Engine engine;
  std::span<JointGroup* const> joints = {};

  // One sweep over all blocks in order. Velocities change, places do not. `moved`: places may have changed
  // since the sweep before.
  void sweep(Pass pass, bool moved);

  // The same, from the last block to the first if `backward`; returns by how much (m/s) the worst normal row
  // had to change its speed. Sweeps to and fro by turns leave no drift to one side.
  double measuredSweep(Pass pass, bool moved, bool backward);

  // Sweeps until the worst normal row changes by less than `enough` (m/s), `most` times at the most; returns
  // how often. Between sweeps the impulses go on in the direction in which they went: a conjugate-gradient
  // step about the sweep (Silcowitz, Niebe, Erleben, A nonsmooth nonlinear conjugate gradient method, 2010).
  int sweepUntil(Pass pass, bool moved, double enough, int most);

  // Gives the bodies the impulses that the blocks start with.
  void warmStart();

  // Opens the accounts of those that are astir and of what they push (after the push-out, before the bodies
  // move), and counts what the contacts of open ones gave (after they settled): see accounts.h.
  void count(Pass after, Accounts& accounts);

  // Decides for each patch whether it holds or slides, from what its friction came to. Within a step this
  // stays as it is: sweeps of a friction that jumps between two values would never settle.
  void judgeSliding();

 private:
  template <class Do>
  void eachColour(bool backward, Do one_range);
  double solveJoints(double enough);
};

}  // namespace drubble::solve
