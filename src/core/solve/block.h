// SPDX-License-Identifier: Apache-2.0
// Makes blocks of contacts for the passes, and takes back what they found.
#pragma once
#include <array>
#include <cstdint>
#include <limits>
#include <vector>

#include "core/base/pages.h"
#include "core/base/team.h"
#include "core/solve/contact.h"
#include "core/solve/kernel.h"
#include "core/solve/traits.h"

namespace drubble::solve {

inline constexpr std::uint32_t kNotDriven = 0xffffffffu;

// A body while a substep is solved. Body 0 stands for everything that does not move. What every internal step
// needs comes first, in the order in which it is needed: three cache lines.
struct alignas(64) ActiveBody {
  Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();
  std::uint32_t drive = kNotDriven;  // index of its Drive
  bool damped = true;                // false: its traits are known to have no damping
  bool rounded = false;              // where it touches does not turn with it
  bool tumbles = true;               // false: its spin stays as it is while nothing pushes
  bool halves = false;               // half its acceleration goes before the motion, half after it
  Vec3 acceleration = Vec3::Zero();
  Vec3 position = Vec3::Zero();
  Quat turn = Quat::Identity();
  Vec3 start_position = Vec3::Zero();  // at the substep's start
  Quat start_turn = Quat::Identity();
  Vec3 inverse_mass = Vec3::Zero();     // along the world's axes; 0 along locked ones
  Mat3 inverse_inertia = Mat3::Zero();  // world, at the substep's start
  std::uint32_t piece = 0xffffffffu;

  // Nothing moves it.
  bool fixed() const { return inverse_mass.isZero(0) && inverse_inertia.isZero(0); }
};

using Bodies = PagedVector<ActiveBody>;
using BodyRows = PagedVector<BodyRow>;

// What blocks need of a body, in few bytes: contacts name bodies in no order.
struct alignas(64) BodyBrief {
  float inverse_inertia[6]{};  // 1/(kg m2), world: xx, xy, xz, yy, yz, zz
  float inverse_mass[3]{};     // 1/kg, along the world's axes
  Vec3 position = Vec3::Zero();
  float velocity[3]{}, spin[3]{}, acceleration[3]{};
  float outer_radius = 0;                                       // m
  float size = std::numeric_limits<float>::infinity();          // m; infinite for what is not dynamic
  float inner_radius = std::numeric_limits<float>::infinity();  // m, likewise
  float per_weight = 0;                                         // 1/N; 0 for what has none
  float spring_rate = 0;                                        // rad/s; 0 for what is not dynamic
  bool fixed = true;                                            // nothing moves it
  bool special = false;  // an ellipsoid, or it cannot go along some axis
};
using BodyBriefs = PagedVector<BodyBrief>;

// Blocks in the order of their colours. No two blocks of a colour share a body that moves.
struct BlockList {
  Parted<ContactBlock> blocks;
  Raw<BlockExtra> extras;            // of those blocks that need them, in their order
  std::vector<std::uint32_t> extra;  // a block: its place in `extras`, or kNoExtra
  std::vector<std::size_t> groups;  // where each begins, and the end of the last; a group's blocks are of one
                                    // colour, and all of them have extras or none has
  std::size_t overflow = 0;         // from this group on, blocks do share bodies, and lanes too
  std::size_t cost = 0;             // as from sweepCost
  bool rolling = false;             // in some of them rolling is resisted
  bool two_frictions = false;       // in some of them: whether they slide has to be judged

  static constexpr std::uint32_t kNoExtra = 0xffffffffu;
  BlockExtra* extraOf(std::size_t block) {
    return extra[block] == kNoExtra ? nullptr : &extras[extra[block]];
  }
  const BlockExtra* extraOf(std::size_t block) const {
    return extra[block] == kNoExtra ? nullptr : &extras[extra[block]];
  }
  // Visits blocks [begin, end) of one group in their order, or in the other: visit(range, the first of them).
  template <class Visit>
  void eachRange(BodyRows& rows, std::size_t begin, std::size_t end, bool backward, Visit visit) {
    while (begin < end) {
      const std::size_t last = Parted<ContactBlock>::kPart * ((end - 1) / Parted<ContactBlock>::kPart);
      const std::size_t from = backward ? std::max(begin, last) : begin;
      const std::size_t to = backward ? end : std::min(end, blocks.endOfPart(begin));
      visit(BlockRange{&blocks[from], extraOf(from), rows.data(), to - from, from < groups[overflow]}, from);
      (backward ? end : begin) = backward ? from : to;
    }
  }
};

struct Link;
using Links = PagedVector<Link>;

// `body_of` maps a piece to its active body (0: does not move). Impulses start from the contacts' forces
// times `dt`.
struct BlockInput {
  const Bodies& bodies;
  const std::vector<std::uint32_t>& body_of;
  const TraitsList& traits;
  const Contacts& contacts;
  double dt = 0;
  double substep = 0;                       // s: how long the rows hold
  const std::vector<char>* calm = nullptr;  // a contact: its island is nearly at rest; none: no island is
  Team* team = nullptr;                     // none: alone
  const Kernel* kernel = &kernelOf(Lanes::Auto);
  const BodyBriefs* briefs = nullptr;  // as from briefsOf; none: whoever needs them makes them
  const Links* links = nullptr;        // as from linksOf, likewise
  bool crowds = true;                  // false: no lanes of a block share bodies
};
// One a body.
BodyBriefs briefsOf(const BlockInput& in);

// m/s: no point of the two moves past the other's faster than that.
float mostSpeed(const BodyBrief& a, const BodyBrief& b);

// Of some contacts, given by their places in in.contacts, ascending; `links` as from linksOf.
BlockList buildBlocks(const BlockInput& in, const Links& links, const std::vector<std::uint32_t>& some);

// What a sweep over them costs, in blocks. Of what overflows each contact counts as one, though eight of them
// share a block: what meets one large body has few to pass on to, and does with fewer sweeps.
std::size_t sweepCost(const Links& links, const std::vector<std::uint32_t>& some);

// Puts the impulses back into the contacts as forces; by the team, or none: alone.
void storeForces(const BlockList& list, double dt, Team* team, Contacts& contacts);

}  // namespace drubble::solve
