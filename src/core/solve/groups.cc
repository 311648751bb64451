// SPDX-License-Identifier: Apache-2.0
#include "core/solve/groups.h"

#include <algorithm>
#include <cmath>

#include "core/base/sets.h"
#include "core/solve/spring.h"

namespace drubble::solve {

namespace {

// Of the speed of a fall from a tenth of the size: slower contacts are calm.
constexpr double kCalm = 0.1;

// How fast the touching points of a contact move past each other.
double contactSpeed(const BlockInput& in, const Contact& c) {
  const ActiveBody &a = in.bodies[in.body_of[c.a.index()]], &b = in.bodies[in.body_of[c.b.index()]];
  double fastest = 0;
  for (int k = 0; k < c.patch.count; ++k) {
    const Vec3& p = c.patch.points[static_cast<std::size_t>(k)].position;
    const Vec3 v = b.velocity + b.spin.cross(p - b.position) - a.velocity - a.spin.cross(p - a.position);
    fastest = greatest(fastest, v.norm());
  }
  return fastest;
}

double sizeOf(const BlockInput& in, const Contact& c) {
  double size = std::numeric_limits<double>::infinity();
  for (const PieceId p : {c.a, c.b})
    if (in.traits[p.index()].dynamic && in.body_of[p.index()] != 0)
      size = least(size, in.traits[p.index()].size);
  return size;
}

constexpr std::uint32_t kNoIsland = 0xffffffffu;

// The island of each contact, named by its lowest body; kNoIsland: nothing to solve.
std::vector<std::uint32_t> islandsOf(const BlockInput& in, const std::vector<std::uint8_t>& colour) {
  Sets sets(in.bodies.size());
  const auto bodyOf = [&](PieceId p) { return in.body_of[p.index()]; };
  for (std::size_t i = 0; i < in.contacts.size(); ++i) {
    const std::uint32_t a = bodyOf(in.contacts[i].a), b = bodyOf(in.contacts[i].b);
    if (colour[i] != 0xff && !in.bodies[a].fixed() && !in.bodies[b].fixed()) sets.join(a, b);
  }
  std::vector<std::uint32_t> island(in.contacts.size(), kNoIsland);
  for (std::size_t i = 0; i < in.contacts.size(); ++i) {
    if (colour[i] == kUncoloured) continue;
    const std::uint32_t a = bodyOf(in.contacts[i].a);
    island[i] = sets.find(in.bodies[a].fixed() ? bodyOf(in.contacts[i].b) : a);
  }
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

// Builds the lists of islands, several at a time where there is enough to do.
std::vector<BlockList> buildEach(const BlockInput& in, const std::vector<std::vector<std::uint32_t>>& islands,
                                 const std::vector<std::uint8_t>& colour) {
  std::vector<BlockList> out(islands.size());
  std::size_t contacts = 0;
  for (const std::vector<std::uint32_t>& some : islands) contacts += some.size();
  BlockInput alone = in;
  alone.team = nullptr;
  const bool many = islands.size() > 1 && contacts >= 2 * kContactsWorthAThread;
  shareOrAlone(many ? in.team : nullptr, islands.size(), 1,
               [&](std::size_t, std::size_t begin, std::size_t end) {
                 for (std::size_t k = begin; k < end; ++k)
                   out[k] = buildBlocks(many ? alone : in, islands[k], colour);
               });
  return out;
}

}  // namespace

int sweepsFor(std::size_t blocks) {
  const std::size_t n = kSweepBudget / (blocks > 0 ? blocks : 1);
  return n < 1 ? 1 : n > kMostSweeps ? kMostSweeps : static_cast<int>(n);
}

Groups groupContacts(const BlockInput& in, double gravity) {
  const std::vector<std::uint8_t> colour = colourContacts(in);
  const std::vector<std::uint32_t> island = islandsOf(in, colour);
  std::vector<char> is_lively(in.bodies.size(), 0);
  for (std::size_t i = 0; i < in.contacts.size(); ++i) {
    if (island[i] == kNoIsland) continue;
    const double limit = kCalm * std::sqrt(0.2 * gravity * sizeOf(in, in.contacts[i]));
    if (!(contactSpeed(in, in.contacts[i]) <= limit)) is_lively[island[i]] = 1;
  }
  std::vector<std::vector<std::uint32_t>> calm =
      contactsByIsland(island, in.bodies.size(), [&](std::uint32_t i) { return is_lively[i] == 0; });
  std::erase_if(calm, [&](const std::vector<std::uint32_t>& some) {
    return sweepsFor(countBlocks(in, some, colour)) == 1;
  });
  std::vector<char> is_calm(in.contacts.size(), 0), apart(in.contacts.size(), 0);
  for (const std::vector<std::uint32_t>& some : calm)
    for (const std::uint32_t i : some) apart[i] = 1;
  std::vector<std::uint32_t> together;
  for (std::uint32_t i = 0; i < in.contacts.size(); ++i) {
    if (island[i] == kNoIsland) continue;
    is_calm[i] = is_lively[island[i]] == 0;
    if (apart[i] == 0) together.push_back(i);
  }
  BlockInput with_calm = in;
  with_calm.calm = &is_calm;
  return {buildBlocks(with_calm, together, colour), buildEach(with_calm, calm, colour)};
}

std::vector<BlockList> islandBlocks(const BlockInput& in) {
  const std::vector<std::uint8_t> colour = colourContacts(in);
  const std::vector<std::uint32_t> island = islandsOf(in, colour);
  return buildEach(in, contactsByIsland(island, in.bodies.size(), [](std::uint32_t) { return true; }),
                   colour);
}

}  // namespace drubble::solve
