// SPDX-License-Identifier: Apache-2.0
// Islands: bodies that contacts and joints tie together. Where one is nearly at rest, sweeps are repeated
// until little changes any more: towers, leaning stacks and heavy things on light ones need it, and it costs
// only where they are. What is in full motion is not worth it, but for what is being eased out of a deep
// overlap.
#pragma once
#include <vector>

#include "core/solve/block.h"

namespace drubble::solve {

// Repeated sweeps over an island may come to this many blocks a pass. An island too large for more than one
// gets one: its settling is spread over more internal steps.
inline constexpr std::size_t kSweepBudget = 1500;
inline constexpr int kMostSweeps = 60;
int sweepsFor(std::size_t blocks);

// Bodies that joints tie together, and those of their contacts that are solved with the joints: they stand in
// no other list. One for each set of them. And light bodies that heavy ones squeeze, or that bear far more
// than their weight, with the contacts that do it: sweeps that find such forces one after the other would
// never come to an end.
struct TiedBodies {
  std::vector<std::uint32_t> bodies, contacts;
};
using Tied = std::vector<TiedBodies>;

// A set may have as many contacts; larger ones are swept like all others.
inline constexpr std::size_t kMostPatches = 24;

struct Groups {
  BlockList together;              // of all islands that get one sweep a pass: in motion, or large
  std::vector<BlockList> islands;  // one list an island that gets more, by its lowest body
  // Of those: it is in motion, and overlaps deeply. Only its settling is swept to the end, so that easing out
  // leaves no speed behind.
  std::vector<char> parting;
  // Of each set of tied bodies, those with joints first: its island, which may have no list of its own
  // contacts, and the contacts that are solved at once.
  std::vector<std::uint32_t> of_tied;
  std::vector<BlockList> direct;
};

// `gravity`: magnitude, m/s2. An island with joints is swept more than once even in motion: contacts and
// joints have to agree. `tied`: those with joints. I1 an island's contacts, and whether it is calm, hang on
// its own bodies only.
Groups groupContacts(const BlockInput& in, double gravity, Tied tied = {});

// The blocks of each island.
std::vector<BlockList> islandBlocks(const BlockInput& in);

}  // namespace drubble::solve
