// SPDX-License-Identifier: Apache-2.0
// What the passes read and write, in plain floats: bodies, and contacts of one colour eight side by side.
// Included by files compiled for one instruction set: nothing with code in it belongs here.
#pragma once
#include <cstdint>

namespace drubble::solve {

inline constexpr int kLanes = 8;
inline constexpr std::uint32_t kNoContact = 0xffffffffu;

// A body in the internal step: its velocities, and how far it has come since the substep's start. 64 bytes:
// one cache line.
struct alignas(64) BodyRow {
  float velocity[3];
  float spin[3];
  float moved[3];
  float turned[4];  // x, y, z, w
  float unused[3];
};

struct alignas(32) Row8 {
  float x[kLanes];
};
struct Vec8 {
  Row8 x, y, z;
};
struct Mat8 {  // symmetric
  Row8 xx, xy, xz, yy, yz, zz;
};

struct PointRow {
  Vec8 arm;      // from the patch's middle, world, at the substep's start
  Row8 gap;      // m, then
  Row8 gap_now;  // m, where the bodies' places were looked at last
  Row8 mass;     // effective, along the normal
  Row8 impulse;  // N s, so far in this internal step
};

// What most contacts need: 72 bytes a point.
struct alignas(64) ContactBlock {
  std::uint32_t body_a[kLanes], body_b[kLanes];
  Vec8 normal, along;  // of the patch's frame; across is square to both
  Row8 inverse_mass_a, inverse_mass_b;
  Mat8 inverse_inertia_a, inverse_inertia_b;
  PointRow point[4];
  Vec8 middle_a, middle_b;         // the patch's, from the centres of mass; there friction acts
  Row8 slip_xx, slip_xy, slip_yy;  // inverse of the 2x2 effective inverse mass
  Row8 twist_mass, twist_lever;    // kg m2; m: moment about the normal over load
  Row8 friction;                   // what holds now: that at rest, or that of sliding
  Row8 impulse_along, impulse_across, impulse_twist;
  Row8 push_speed;                            // m/s: the fastest that an overlap is eased out
  Row8 bias_rate, mass_scale, impulse_scale;  // the push-out spring, as coefficients of a velocity row
  Row8 inverse_blend;                         // 1/m: of what the spring gives way over about gap 0
  std::uint32_t contact[kLanes];              // index into the contacts; kNoContact: an empty lane
  std::uint32_t points;                       // the most that any lane has
  std::uint32_t moves_a, moves_b;             // a bit a lane: the body is moved by this contact
  // In how many lanes of this block the body stands; at least 1. Each sees it that many times lighter, and
  // gives it that share of what it finds.
  std::uint8_t times_a[kLanes], times_b[kLanes];
  std::uint32_t uses;  // of its BlockExtra, beside what all do: kUsesRolling, kUsesLocks
};
static_assert(sizeof(ContactBlock) == 72 * 4 * kLanes);

// Rolling is resisted in some lane, or was; some body cannot go along some axis.
inline constexpr std::uint32_t kUsesRolling = 1, kUsesLocks = 2;

// What only some contacts need; what most of those do comes last.
struct alignas(64) BlockExtra {
  Row8 friction_rest, friction_slide;
  Row8 roll_lever, roll_mass_along, roll_mass_across, impulse_roll_along, impulse_roll_across;
  Vec8 inverse_mass_a, inverse_mass_b;  // along the world's axes: 0 along locked ones
  Row8 pull;                            // N s a point: what adhesion holds in an internal step
  // How far the surfaces bend away from where they touch, as the radii of an ellipsoid's curvature in the
  // frame of along and across.
  // And how far the place that touches will have come over them halfway through the substep: what pushes
  // there pushes with that arm. With the arm of the start a rocking ellipsoid would gain energy.
  Vec8 lean_a, lean_b;
  Row8 bend_a_xx, bend_a_xy, bend_a_yy, bend_b_xx, bend_b_xy, bend_b_yy;
};

// What a block's rows still follow from: the lanes' frames, middles, levers, masses and springs are found
// eight at a time.
struct alignas(32) Unfinished {
  Row8 points;            // how many a lane has
  Row8 times_a, times_b;  // as the block's
  Row8 friction_slide;
  Row8 least_radius, spin_lever;  // m: of the patch; what spinning resistance adds to the twist's lever
  Vec8 friction_impulse;          // N s, world
  Row8 size;                      // m: of the lighter partner
  Row8 spring_rate, damping_ratio, mass_share;  // of the push-out spring: springSoftness
  float dt;                                     // s: the internal step
  // Where floats stand in memory side by side, four or a multiple a lane: the normal (and one more), the
  // points' arms, gaps, forces along the normal; the bodies' masses as a BodyBrief begins.
  const float *normal[kLanes], *arm[kLanes], *gap[kLanes], *force[kLanes], *mass_a[kLanes], *mass_b[kLanes];
};

// The same of a BlockExtra.
struct alignas(32) UnfinishedExtra {
  Vec8 roll_impulse;    // N m s, world
  Mat8 bend_a, bend_b;  // how ellipsoids' surfaces bend away, world; 0 for what is none
};

// A contact that may be hit, with what it takes to pass it over in most internal steps: one cache line. All
// 0: it never is.
struct alignas(64) Watch {
  float normal[3];
  float lever;     // m: no point of the patch is farther from a's centre of mass plus from b's
  float arm_a[3];  // m, to the patch's middle from the centres of mass, at the substep's start
  float spread;    // m: no point is farther from the middle
  float arm_b[3];
  float gap;           // m, the least at the substep's start
  float pull;          // m/s2: by how much more the one is drawn towards the other
  float slow;          // m/s: its least bounce speed
  std::uint32_t a, b;  // the bodies
};
static_assert(sizeof(Watch) == 64);

// How a free body turns: evenly about its spin; as a top, which has two equal moments; or anyhow.
enum class TurnKind { Even, Top, Any };

// Four free bodies of a kind, a lane each; rotations as x, y, z, w. What another kind needs may be unset.
struct alignas(32) Turns4 {
  double turn[4][4], spin[3][4];           // rad/s; both become what they are then
  double principal[4][4], moments[3][4];   // Any: as Traits has them
  double axis[3][4], along[4], across[4];  // Top: likewise
  double start[4][4];                      // at the substep's start
  double round_axis[3][4];
  double turned[4][4];           // out: how the places where it touches have turned since then
  TurnKind kind;                 // of all four
  bool round_axis_only = false;  // of all four: they do not turn with it about round_axis
};

// The impulses of a block, or a change of them: along the normal at each point, along, across, the twist, and
// against rolling along and across.
struct alignas(32) Impulses {
  static constexpr int kAlong = 4, kAcross = 5, kTwist = 6, kRollAlong = 7, kRollAcross = 8, kCount = 9;
  Row8 row[kCount];
};

}  // namespace drubble::solve
