// SPDX-License-Identifier: Apache-2.0
// The passes over the contact blocks: what the solver spends its time in.
#pragma once
#include <vector>

#include "core/solve/block.h"

namespace drubble::solve {

enum class Pass {
  PushOut,  // overlaps are eased out, at no more than each block's push speed
  Settle,   // what speed the push-out left behind is taken away
};

// One sweep over all blocks in order; `dt` is the internal step. Rows of bodies: velocities change, places do
// not.
void sweep(std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows, double dt, Pass pass);

// The same, from the last block to the first if `backward`; returns by how much (m/s) the worst normal row
// had to change its speed. Sweeps to and fro by turns leave no drift to one side.
double measuredSweep(std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows, double dt, Pass pass,
                     bool backward);

// Decides for each patch whether it holds or slides, from what its friction came to. Within a step this stays
// as it is: sweeps of a friction that jumps between two values would never settle.
void judgeSliding(std::vector<ContactBlock>& blocks);

// The impulses of a block, or a change of them.
struct Impulses {
  std::array<f8, 4> normal;
  f8 along, across, twist, roll_along, roll_across;
};
Impulses impulsesOf(const ContactBlock& c);

// Sweeps until the worst normal row changes by less than `enough` (m/s), `most` times at the most; returns
// how often. Between sweeps the impulses go on in the direction in which they went: a conjugate-gradient step
// about the sweep (Silcowitz, Niebe, Erleben, A nonsmooth nonlinear conjugate gradient method, 2010).
int sweepUntil(std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows, double dt, Pass pass,
               double enough, int most);

// Gives the bodies the impulses that the blocks start with.
void warmStart(const std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows);

}  // namespace drubble::solve
