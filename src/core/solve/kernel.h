// SPDX-License-Identifier: Apache-2.0
// The loops that the solver spends its time in, for each instruction set. All give the same bits.
#pragma once
#include <cstddef>

#include "core/solve/rows.h"

namespace drubble::solve {

enum class Pass {
  PushOut,  // overlaps are eased out, at no more than each block's push speed
  Settle,   // what speed the push-out left behind is taken away
};

// Some blocks of a list, side by side; no two of them share a body that moves unless they are done one by
// one.
struct BlockRange {
  ContactBlock* blocks = nullptr;
  BlockExtra* extras = nullptr;  // theirs; nullptr: none needs any
  BodyRow* rows = nullptr;
  std::size_t count = 0;
  bool apart = true;  // false: blocks share bodies, and so do their lanes; one block after the other
};

struct Sweep {
  Pass pass = Pass::PushOut;
  float inverse_dt = 0;   // of the internal step
  bool moved = true;      // places may have changed since the gaps were found last: they are found anew
  bool backward = false;  // from the last block and point to the first
};

struct Kernel {
  void (*sweep)(const BlockRange&, const Sweep&);
  // The same; returns by how much (m/s) the worst normal row had to change its speed.
  float (*measuredSweep)(const BlockRange&, const Sweep&);
  // Fills the points, the patch's frame, the masses, springs and the friction's rows; what stands there
  // already: middles, friction, the twist's impulse, how many points there are at most. Both extras are
  // there, or neither.
  void (*finish)(ContactBlock&, const Unfinished&, BlockExtra*, const UnfinishedExtra*);
  // Gives the bodies the blocks' own impulses.
  void (*warmStart)(const BlockRange&);
  // Gives the bodies some impulses, one entry a block of the range.
  void (*give)(const BlockRange&, const Impulses*);
  // As spinFreely and touchTurn (flight.h), to the bit.
  void (*turnFour)(Turns4&, double dt);
  // Of some watched contacts, `which` tells which, a multiple of eight, those that may be hit within `dt`
  // (s): a bit each, eight to a byte. By bounds, at the places and speeds of the rows; what it leaves out is
  // surely too far or too slow.
  void (*mayMeet)(const Watch* watched, const std::uint32_t* which, std::size_t count, const BodyRow* rows,
                  float dt, std::uint8_t* may);
};

enum class Lanes { Auto, Scalar, Sse2, Avx2 };

// Whether this machine has the instructions.
bool available(Lanes lanes);
// Auto: the widest that there is. One that is not available: as Auto.
const Kernel& kernelOf(Lanes lanes);

extern const Kernel kScalarKernel, kSse2Kernel, kAvx2Kernel;

}  // namespace drubble::solve
