// SPDX-License-Identifier: Apache-2.0
// Contacts of one colour, eight side by side, as the passes read them.
#pragma once
#include <array>
#include <cstdint>
#include <vector>

#include "core/base/lanes.h"
#include "core/solve/contact.h"
#include "core/solve/traits.h"

namespace drubble::solve {

inline constexpr std::size_t kLanes = 8;

inline constexpr std::uint32_t kNotDriven = 0xffffffffu;

// A body while a substep is solved. Body 0 stands for everything that does not move.
struct ActiveBody {
  std::uint32_t piece = 0xffffffffu;
  Vec3 position = Vec3::Zero(), velocity = Vec3::Zero(), spin = Vec3::Zero();
  Quat turn = Quat::Identity();
  Vec3 start_position = Vec3::Zero();  // at the substep's start
  Quat start_turn = Quat::Identity();
  Vec3 acceleration = Vec3::Zero();
  std::uint32_t drive = kNotDriven;     // index of its Drive
  Vec3 inverse_mass = Vec3::Zero();     // along the world's axes; 0 along locked ones
  Mat3 inverse_inertia = Mat3::Zero();  // world, at the substep's start

  // Nothing moves it.
  bool fixed() const { return inverse_mass.isZero(0) && inverse_inertia.isZero(0); }
};

// What the passes read and write of a body, in floats: velocities in the internal step, and how far the body
// has come since the substep's start. 64 bytes: one cache line.
struct alignas(64) BodyRow {
  float velocity[3]{};
  float spin[3]{};
  float moved[3]{};
  float turned[4]{0, 0, 0, 1};  // x, y, z, w
  float unused[3]{};
};

struct PointRow {
  v8 arm_a, arm_b;  // from the centres of mass, world, at the substep's start
  f8 gap;           // m, then
  f8 mass;          // effective, along the normal
  f8 impulse;       // N s, so far in this internal step
};

struct ContactBlock {
  std::array<std::uint32_t, kLanes> body_a{}, body_b{};
  std::array<std::uint32_t, kLanes> contact{};  // index into the contacts; kNoContact: an empty lane
  int points = 0;                               // the most that any lane has
  bool rolls = false, sticks = false;           // any lane has a roll_lever, a pull
  bool bends = false;                           // any lane has an ellipsoid
  bool slips = false;                           // any lane's friction differs between rest and sliding
  v8 normal, along, across;                     // the patch's frame
  v8 inverse_mass_a, inverse_mass_b;
  m8 inverse_inertia_a, inverse_inertia_b;
  std::array<PointRow, 4> point;
  v8 friction_arm_a, friction_arm_b;  // to the patch's middle
  f8 slip_xx, slip_xy, slip_yy;       // inverse of the 2x2 effective inverse mass
  f8 twist_mass;
  f8 friction;  // what holds now: that at rest, or that of sliding
  f8 friction_rest, friction_slide;
  f8 twist_lever, roll_lever;  // m: moment about the normal, and square to it, over load
  f8 roll_mass_along, roll_mass_across;
  f8 impulse_along, impulse_across, impulse_twist, impulse_roll_along, impulse_roll_across;
  f8 pull;                                  // N s a point: what adhesion holds in an internal step
  f8 push_speed;                            // m/s: the fastest that an overlap is eased out
  f8 bias_rate, mass_scale, impulse_scale;  // the push-out spring, as coefficients of a velocity row
  // How far the surfaces bend away from where they touch, as the radii of an ellipsoid's curvature in the
  // frame of along and across.
  // And how far the place that touches will have come over them halfway through the substep: what pushes
  // there pushes with that arm. With the arm of the start a rocking ellipsoid would gain energy.
  v8 lean_a, lean_b;
  f8 bend_a_xx, bend_a_xy, bend_a_yy, bend_b_xx, bend_b_xy, bend_b_yy;
  f8 blend;  // m: over which the spring gives way to the rigid stop about gap 0
};

inline constexpr std::uint32_t kNoContact = 0xffffffffu;

// Fills the blocks for `contacts` in the order of their colours. `body_of` maps a piece to its active body
// (0: does not move). Impulses start from the contacts' forces times `dt`.
struct BlockInput {
  const std::vector<ActiveBody>& bodies;
  const std::vector<std::uint32_t>& body_of;
  const std::vector<Traits>& traits;
  const Contacts& contacts;
  double dt = 0;
  double damping = 2;    // of the push-out springs, as a share of the critical
  double stiffness = 1;  // times their rate
  double substep = 0;    // s: how long the rows hold
};
std::vector<ContactBlock> buildBlocks(const BlockInput& in);
// Of some contacts only, given by their places in in.contacts, ascending; `colour` as from colourContacts.
std::vector<ContactBlock> buildBlocks(const BlockInput& in, const std::vector<std::uint32_t>& some,
                                      const std::vector<std::uint8_t>& colour);

// Colours contacts so that no two of a colour share a moving body: greedy in the contacts' order, a 64-bit
// mask a body. Colour kOverflow is for what does not fit; such contacts are solved one after the other.
inline constexpr int kColours = 24;
inline constexpr int kOverflow = kColours;
std::vector<std::uint8_t> colourContacts(const BlockInput& in);

// Puts the impulses back into the contacts as forces.
void storeForces(const std::vector<ContactBlock>& blocks, double dt, Contacts& contacts);

}  // namespace drubble::solve
