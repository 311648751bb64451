// SPDX-License-Identifier: Apache-2.0
// What a world tells of a frame.
#pragma once
#include <cstdint>

#include "core/base/id.h"
#include "core/bond/bond.h"
#include "core/solve/joint.h"

namespace drubble::world {

// Why a frame was cut as finely as it was.
enum class Asks : std::uint8_t {
  Nothing,   // the least that is done, or what the setup says
  Travel,    // a piece in flight
  Sliding,   // pieces that move past each other where they touch
  Bending,   // a surface that changes its form
  Load,      // what a contact bears, in weights of what bears it
  Turning,   // a joined piece that turns fast
  Springing  // a stiff spring
};

const char* asksName(Asks a);  // "travel", ...; empty for Nothing

// What takes most of its strength among the bonds.
struct BondWorst {
  double share = 0;        // 1: it goes
  std::uint32_t bond = 0;  // in the scene's list
  bond::Why why = bond::Why::Tension;
};

// What has gone farthest of the bonds that yield: by what it gave for good, then by what it bears.
struct YieldWorst {
  double strain = 0;       // as a share of that at which it parts
  double load = 0;         // as a share of that from which on it gives
  std::uint32_t bond = 0;  // in the scene's list
};

struct FrameStats {
  int frame = 0;
  int substeps = 0, iterations = 0;
  Asks asks = Asks::Nothing;  // of the cut that was the finest
  PieceId asking;             // the piece that asked for it
  double work = 0;            // J: what motors and keyed springs put in
  double seconds = 0;         // simulated, since the first frame
  std::uint32_t awake = 0, asleep = 0, contacts = 0;
  double kinetic = 0, potential = 0;  // J
  BondWorst bond_worst;               // in the frame
  YieldWorst yield_worst;             // in the frame, of those that hold
};

// How finely a frame would be cut by the state as it is now: a power of two, times the quality.
struct Steps {
  int substeps = 4, iterations = 8;
  Asks asks = Asks::Nothing;
  PieceId asking;
};

// A joint that gave way.
struct JointBreak {
  std::uint32_t joint = 0;  // in the scene's list
  solve::JointLoad load;    // under which it did: its size a running mean
  Vec3 place = Vec3::Zero();
};

// A bond that gave way.
struct BondBreak {
  std::uint32_t bond = 0;  // in the scene's list
  bond::Why why = bond::Why::Tension;
  double share = 0;                                  // of its strength, when it went
  Vec3 place = Vec3::Zero(), normal = Vec3::Zero();  // world; from a to b
};

}  // namespace drubble::world
