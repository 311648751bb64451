// SPDX-License-Identifier: Apache-2.0
#include "core/solve/groups.h"

#include <algorithm>

#include "core/base/sets.h"
#include "core/base/vec.h"
#include "core/solve/links.h"

namespace drubble::solve {

namespace {

constexpr std::uint32_t kNoIsland = 0xffffffffu;

// The island of each contact, named by its lowest body; kNoIsland: nothing to solve.
std::vector<std::uint32_t> islandsOf(const Links& links, Sets& sets) {
  for (const Link& l : links)
    if (l.a != 0 && l.b != 0) sets.join(l.a, l.b);
  std::vector<std::uint32_t> island(links.size(), kNoIsland);
  for (std::size_t i = 0; i < links.size(); ++i)
    if (links[i].solved) island[i] = sets.find(links[i].a == 0 ? links[i].b : links[i].a);
  return island;
}

// The contacts of each island, ascending, by its lowest body; only those of islands for which `wanted`.
template <class Wanted>
std::vector<std::vector<std::uint32_t>> contactsByIsland(const std::vector<std::uint32_t>& island,
                                                         std::size_t bodies, Wanted wanted) {
  std::vector<std::uint32_t> place(bodies, kNoIsland);
  std::vector<std::vector<std::uint32_t>> out;
  std::vector<std::uint32_t> named;
  for (const std::uint32_t i : island) {
    if (i == kNoIsland || !wanted(i) || place[i] != kNoIsland) continue;
    place[i] = 0;
    named.push_back(i);
  }
  std::sort(named.begin(), named.end());
  for (std::uint32_t k = 0; k < named.size(); ++k) place[named[k]] = k;
  out.resize(named.size());
  for (std::uint32_t c = 0; c < island.size(); ++c)
    if (island[c] != kNoIsland && place[island[c]] != kNoIsland) out[place[island[c]]].push_back(c);
  return out;
}

constexpr std::size_t kContactsWorthAThread = 256;
// What is pressed and in motion is swept again where it may have as many sweeps as this: a lid under chests
// needs them. And a stack, of whose contacts this share is pressed at once, where it may have this many:
// fewer do not help. What crushes to hundreds of chips is neither, and comes to the same with one.
constexpr int kLidSweeps = 40, kStackSweeps = 15;
constexpr std::size_t kStackShare = 4;  // one in so many

bool worthSweeps(const Links& links, const std::vector<std::uint32_t>& island, int sweeps) {
  if (sweeps >= kLidSweeps) return true;
  std::size_t pressed = 0;
  for (const std::uint32_t i : island) pressed += links[i].pressed;
  return sweeps >= kStackSweeps && kStackShare * pressed >= island.size();
}

// Builds the lists of islands, several at a time where there is enough to do.
std::vector<BlockList> buildEach(const BlockInput& in, const Links& links,
                                 const std::vector<std::vector<std::uint32_t>>& islands) {
  std::vector<BlockList> out(islands.size());
  std::size_t contacts = 0;
  for (const std::vector<std::uint32_t>& some : islands) contacts += some.size();
  BlockInput alone = in;
  alone.team = nullptr;
  const bool many = islands.size() > 1 && contacts >= 2 * kContactsWorthAThread;
  shareOrAlone(many ? in.team : nullptr, islands.size(), 1,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t k = begin; k < end; ++k)
                   out[k] = buildBlocks(many ? alone : in, links, islands[k]);
               });
  return out;
}

}  // namespace

int sweepsFor(std::size_t cost) {
  const std::size_t n = kSweepBudget / (cost > 0 ? cost : 1);
  return n < 1 ? 1 : n > kMostSweeps ? kMostSweeps : static_cast<int>(n);
}

Groups groupContacts(const BlockInput& given, double gravity, const Tied& tied) {
  BlockInput in = given;
  BodyBriefs briefs;
  if (in.briefs == nullptr) briefs = briefsOf(in), in.briefs = &briefs;
  Links own;
  if (in.links == nullptr) own = linksOf(in, gravity), in.links = &own;
  const Links& links = *in.links;
  Sets sets(in.bodies.size());
  for (const TiedBodies& some : tied)
    for (const std::uint32_t body : some.bodies) sets.join(some.bodies[0], body);
  std::vector<std::uint32_t> island = islandsOf(links, sets);
  std::vector<char> is_lively(in.bodies.size(), 0), is_deep(in.bodies.size(), 0),
      is_tied(in.bodies.size(), 0), is_pressed(in.bodies.size(), 0);
  for (const TiedBodies& some : tied) is_tied[sets.find(some.bodies[0])] = 1;
  for (std::size_t i = 0; i < links.size(); ++i) {
    if (links[i].lively) is_lively[island[i]] = 1;
    if (links[i].deep) is_deep[island[i]] = 1;
    if (links[i].pressed) is_pressed[island[i]] = 1;
  }
  std::vector<char> is_calm(in.contacts.size(), 0), apart(in.contacts.size(), 0);
  for (std::uint32_t i = 0; i < in.contacts.size(); ++i)
    is_calm[i] = island[i] != kNoIsland && is_lively[island[i]] == 0;
  for (const TiedBodies& some : tied)
    for (const std::uint32_t i : some.contacts) island[i] = kNoIsland;
  const auto repeated = [&](std::uint32_t i) {
    return is_lively[i] == 0 || is_deep[i] != 0 || is_tied[i] != 0 || is_pressed[i] != 0;
  };
  std::vector<std::vector<std::uint32_t>> islands = contactsByIsland(island, in.bodies.size(), repeated);
  std::erase_if(islands, [&](const std::vector<std::uint32_t>& some) {
    const std::uint32_t root = island[some[0]];
    if (is_tied[root] != 0) return false;
    const int sweeps = sweepsFor(sweepCost(links, some));
    // What is deep, too, is swept in any case: while pressed, its push-out as well.
    if (is_deep[root] == 0 && !worthSweeps(links, some, sweeps)) is_pressed[root] = 0;
    return !repeated(root) || sweeps == 1;
  });
  Groups out;
  for (const std::vector<std::uint32_t>& some : islands) {
    const std::uint32_t root = island[some[0]];
    out.parting.push_back(is_lively[root] != 0 && is_tied[root] == 0 && is_pressed[root] == 0);
    for (const std::uint32_t i : some) apart[i] = 1;
  }
  std::vector<std::uint32_t> place(tied.empty() ? 0 : in.bodies.size(), kNoIsland);
  for (std::uint32_t k = 0; k < islands.size() && !tied.empty(); ++k) place[island[islands[k][0]]] = k;
  for (const TiedBodies& some : tied) {
    std::uint32_t& at = place[sets.find(some.bodies[0])];
    if (at == kNoIsland) {
      at = u32(islands.size());
      islands.emplace_back();
      out.parting.push_back(0);
    }
    out.of_tied.push_back(at);
  }
  std::vector<std::uint32_t> together;
  for (std::uint32_t i = 0; i < in.contacts.size(); ++i) {
    if (island[i] != kNoIsland && apart[i] == 0) together.push_back(i);
  }
  BlockInput with_calm = in;
  with_calm.calm = &is_calm;
  out.together = buildBlocks(with_calm, links, together);
  out.islands = buildEach(with_calm, links, islands);
  // What is solved with joints reads a block's masses lane by lane.
  with_calm.crowds = false;
  for (const TiedBodies& some : tied) out.direct.push_back(buildBlocks(with_calm, links, some.contacts));
  return out;
}

std::vector<BlockList> islandBlocks(const BlockInput& given) {
  BlockInput in = given;
  BodyBriefs briefs;
  if (in.briefs == nullptr) briefs = briefsOf(in), in.briefs = &briefs;
  const Links links = linksOf(in, 0);
  Sets sets(in.bodies.size());
  const std::vector<std::uint32_t> island = islandsOf(links, sets);
  return buildEach(in, links, contactsByIsland(island, in.bodies.size(), [](std::uint32_t) { return true; }));
}

}  // namespace drubble::solve
