// SPDX-License-Identifier: Apache-2.0
// Pieces that are born over time, as data. They stand in the scene from the start, and wait.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/place/source.h"
#include "core/world/rule.h"

namespace drubble::world {

// What is born at once: pieces that stand to each other as their poses say.
struct PourKit {
  std::vector<Pose> parts;           // of body frames, in the kit's space
  std::vector<Vec3> velocity, spin;  // of its parts, on top of the source's
  Vec3 centre = Vec3::Zero();        // of mass, kit's space
  double radius = 0;                 // m: about its origin, all of it
};

struct Birth {
  double frame = 0;  // shot frame from which it is due
  std::uint32_t kit = 0;
  std::uint32_t first = 0;  // of its pieces, which stand side by side in the scene
  double life = 0;          // s; 0: for ever
};

// What ends a pour: how full a region is, of all that lies in it.
struct FullWhen {
  Region in;
  std::optional<std::uint32_t> count;
  std::optional<double> share;   // of the region's volume, by the volume of the pieces
  std::optional<double> height;  // m above its lowest point, which what lies in it has come to
};

struct Pour {
  std::string name;
  std::uint64_t seed = 0;
  place::Source source;             // prepared
  PieceId from;                     // valid: the source moves with that piece
  Vec3 from_origin = Vec3::Zero();  // of the source's space, in that piece's body space
  double hand_on = 1;               // share of the source's own motion that its pieces are born with
  std::vector<PourKit> kits;
  std::vector<Birth> births;  // by frame
  bool waits = true;          // for room; else what finds none is not born
  double clear = 0;           // m: free distance at birth
  double collide_after = 0;   // s
  std::optional<FullWhen> until;
};

}  // namespace drubble::world
