// SPDX-License-Identifier: Apache-2.0
// Islands: bodies that contacts and joints tie together. Where one is nearly at rest, sweeps are repeated
// until little changes any more: towers, leaning stacks and heavy things on light ones need it, and it costs
// only where they are. What is in full motion is not worth it, but for what is being eased out of a deep
// overlap, what is squeezed by few, and stacks that bear many times the weight of one of their pieces.
#pragma once
#include <vector>

#include "core/solve/block.h"

namespace drubble::solve {

// Repeated sweeps over an island may come to this many blocks a pass. An island too large for more than one
// gets one: its settling is spread over more internal steps.
inline constexpr std::size_t kSweepBudget = 1500;
inline constexpr int kMostSweeps = 60;
int sweepsFor(std::size_t cost);

struct Groups {
  BlockList together;              // of all islands that get one sweep a pass: in motion, or large
  std::vector<BlockList> islands;  // one list an island that gets more, by its lowest body
  // Of those: it is in motion, and overlaps deeply. Only its settling is swept to the end, so that easing out
  // leaves no speed behind.
  std::vector<char> parting;
  std::vector<std::uint32_t> of_tied;  // the island of each set of jointed bodies; it may have no contact
  std::vector<BlockList> direct;       // of each set of jointed bodies: the contacts that go with its joints
};

// Bodies that joints tie together, and those of their contacts that are solved with the joints: they stand in
// no other list. One for each set of them.
struct TiedBodies {
  std::vector<std::uint32_t> bodies, contacts;
};
using Tied = std::vector<TiedBodies>;

// `gravity`: magnitude, m/s2. An island with joints is swept more than once even in motion: contacts and
// joints have to agree. I1 an island's contacts, and whether it is calm, hang on its own bodies only.
Groups groupContacts(const BlockInput& in, double gravity, const Tied& tied = {});

// The blocks of each island.
std::vector<BlockList> islandBlocks(const BlockInput& in);

}  // namespace drubble::solve
