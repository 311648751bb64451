// SPDX-License-Identifier: Apache-2.0
#include "core/solve/groups.h"

#include <cmath>
#include <map>
#include <numeric>

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

}  // namespace

namespace {

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
    if (colour[i] == 0xff) continue;
    const std::uint32_t a = bodyOf(in.contacts[i].a);
    island[i] = sets.find(in.bodies[a].fixed() ? bodyOf(in.contacts[i].b) : a);
  }
  return island;
}

}  // namespace

Groups groupContacts(const BlockInput& in, double gravity) {
  const std::vector<std::uint8_t> colour = colourContacts(in);
  const std::vector<std::uint32_t> island = islandsOf(in, colour);
  std::vector<char> is_lively(in.bodies.size(), 0);
  for (std::size_t i = 0; i < in.contacts.size(); ++i) {
    if (island[i] == kNoIsland) continue;
    const double limit = kCalm * std::sqrt(0.2 * gravity * sizeOf(in, in.contacts[i]));
    if (!(contactSpeed(in, in.contacts[i]) <= limit)) is_lively[island[i]] = 1;
  }
  std::vector<std::uint32_t> lively;
  std::map<std::uint32_t, std::vector<std::uint32_t>> calm;
  for (std::uint32_t i = 0; i < in.contacts.size(); ++i)
    if (island[i] != kNoIsland) (is_lively[island[i]] ? lively : calm[island[i]]).push_back(i);
  Groups out;
  BlockInput damped = in;
  damped.damping = kLivelyDamping;
  out.lively = buildBlocks(damped, lively, colour);
  damped.damping = kCalmDamping;
  damped.stiffness = kCalmStiffness;
  for (const auto& [body, contacts] : calm) out.calm.push_back(buildBlocks(damped, contacts, colour));
  return out;
}

std::vector<std::vector<ContactBlock>> islandBlocks(const BlockInput& in) {
  const std::vector<std::uint8_t> colour = colourContacts(in);
  const std::vector<std::uint32_t> island = islandsOf(in, colour);
  std::map<std::uint32_t, std::vector<std::uint32_t>> by_island;
  for (std::uint32_t i = 0; i < in.contacts.size(); ++i)
    if (island[i] != kNoIsland) by_island[island[i]].push_back(i);
  std::vector<std::vector<ContactBlock>> out;
  for (const auto& [body, contacts] : by_island) out.push_back(buildBlocks(in, contacts, colour));
  return out;
}

}  // namespace drubble::solve
