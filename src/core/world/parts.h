// SPDX-License-Identifier: Apache-2.0
// What a world keeps of pieces, pairs, rules and joints, and what its stages hand to each other.
#pragma once
#include <cstdint>
#include <utility>
#include <vector>

#include "core/base/pages.h"
#include "core/collide/pairs.h"
#include "core/solve/contact.h"
#include "core/world/frame_stats.h"
#include "core/world/scene.h"

namespace drubble::world {

// Fixed: static pieces. Driven: kinematic ones. Held: stay put until hit hard enough. Frozen: stopped by a
// rule, for good. Gone: removed by one, or at its life's end; touches nothing. Unborn: yet to be poured.
enum class Sleep : std::uint8_t { Awake, Asleep, Fixed, Driven, Held, Frozen, Gone, Unborn };

struct Rest {  // since when, and from where, a piece has hardly moved
  Vec3 position = Vec3::Zero();
  Quat turn = Quat::Identity();
  double seconds = 0;
  bool rested = false;     // the time before that was long enough, too
  std::uint8_t wakes = 0;  // so often in a row it fell asleep and was woken by a changed force
};

// A pair whose shapes overlapped where it started although its meshes did not: that much is its zero.
struct RestOverlap {
  PieceId a, b;
  double depth = 0;  // m; only shrinks
};

struct PairApart {
  PieceId a, b;
  collide::Apart apart;
};

struct FoundContacts {
  solve::Contacts contacts;
  PagedVector<PairApart> apart;
  std::vector<std::uint32_t> forced;  // hang on something, and something driven is driven into them
};

// What one substep has already judged.
struct BondJudge {
  int rounds = 0;
  std::vector<char> struck;          // a piece: the blow that its cluster had is dealt with
  std::vector<std::uint8_t> solves;  // a piece: of what lasts, in which bonds of what it was part of went
  std::vector<BondBreak> breaks;
  std::vector<std::pair<std::uint32_t, std::uint32_t>> ruled;  // rule and piece: done already
};

// How a mover's piece stands to what its path says, once a rule had it driven.
struct Handed {
  bool taken = false;
  Vec3 before = Vec3::Zero();  // m, in the world
  Pose after;                  // of its body frame, in the one that the path leads
};

// How far a pour is.
struct PourState {
  struct Waiting {
    std::uint32_t birth = 0, tries = 0;
  };
  std::uint32_t next = 0;        // the births before it have come up
  std::vector<Waiting> waiting;  // those of them that have found no room yet
  std::uint32_t born = 0, skipped = 0;
  bool over = false;  // it is full
};
inline constexpr double kUnborn = -1;  // s: when a piece that waits was born

// When something happens to pieces that were born together.
struct PourTerm {
  double due = 0;  // s, since the first frame
  std::uint32_t first = 0, count = 0;
};

// The space of a source, and how it moves.
struct SourceFrame {
  Pose pose;
  Vec3 centre = Vec3::Zero(), velocity = Vec3::Zero(), spin = Vec3::Zero();
};

// What lies in a region.
struct Filled {
  std::uint32_t count = 0;
  double volume = 0;  // m3, of the pieces
  double share = 0;   // of the region's volume
  double height = 0;  // m above the region's base: below it what lies still fills two fifths of the room,
                      // at least, and it is nearly all
};

// Points that stand for a cell (m3) each, body space.
struct Lattice {
  std::vector<Vec3> points;
  double cell = 0;
};

// Of a mesh: the outline that holds all of it.
struct Outline {
  shape::Polyhedron hull;
  Lattice room;
};

// Of a mesh with some volume; a closed one's own walls are no room. Cost: some thousand tests against it.
Outline outlineOf(const mesh::TriangleMesh& m);

// What of a region is below a height (along the scene's up), m3; and where its lowest point is.
struct RoomBelow {
  double base = 0, cell = 0;
  std::vector<double> heights;  // of points that stand for a cell each, ascending
  double straight = 0;          // m3; above 0: of a box, whose heights are its two ends
  double below(double height) const;
};

// How far a rule is with one of its pieces.
struct RuleState {
  double held = 0;     // s: for so long it has held
  double due = -1;     // s until it is done; negative: not on its way
  bool holds = false;  // in the substep before
  bool done = false;   // and never again
};

// A mesh that changes its form: as it is, and how its vertices go (m/s, body space).
struct Bend {
  std::uint32_t prototype = 0;
  shape::Shape shape;
  double at = 0;  // the shot frame of `shape`
  std::vector<Vec3> velocity;
  double speed = 0;  // the fastest
};

struct SurfaceMotion {
  Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();
};

struct Carried {  // a contact's side that a carrier stands for
  std::uint32_t contact = 0;
  bool first = false;
  PieceId piece;
};

// What the joints of awake pieces ask for, in internal steps a second, and for which piece.
struct JointRate {
  double rate = 0;
  Asks asks = Asks::Nothing;
  PieceId asking;
};

// How what carries a hanging cluster gathers speed, in world axes; zeros where nothing carries it.
struct Carriage {
  Vec3 place = Vec3::Zero();                                                      // where the carrier is
  Vec3 acceleration = Vec3::Zero(), spin = Vec3::Zero(), turning = Vec3::Zero();  // turning: 1/s2

  Vec3 accelerationAt(const Vec3& at) const {
    const Vec3 r = at - place;
    return acceleration + turning.cross(r) + spin.cross(spin.cross(r));
  }
};

// A body that passed through another by the end of the substep, and how far it must be set back.
struct Passing {
  std::uint32_t body = 0;
  Vec3 shift = Vec3::Zero();
};

// What of a contact is asked for most: a contact is long.
struct Touch {
  std::uint32_t a = 0, b = 0;
  float force = 0;   // N, of all its points
  float graded = 0;  // N: solve::Contact::gradedForce
};

// How far a piece has come since contacts were found last.
struct Way {
  Mat3 turn = Mat3::Identity();
  Vec3 from = Vec3::Zero(), to = Vec3::Zero();
  double turned = 0;  // rad, about
  Vec3 now(const Vec3& p) const { return turn * (p - from) + to; }
};

// Of what FrameStats counts, a piece's, J.
struct PieceEnergy {
  double kinetic = 0, potential = 0;
  double sum() const { return kinetic + potential; }
};

// Pairs whose shapes overlap where they start.
struct StartOverlap {
  PieceId a, b;
  double felt = 0;  // m: of the shapes, their margins counted
  double real = 0;  // m: of that, what the meshes overlap; sampled unless both shapes are exact
};
std::vector<StartOverlap> startOverlaps(const Scene& s);

}  // namespace drubble::world
