// SPDX-License-Identifier: Apache-2.0
// Where poured pieces come from: a place, a turn, a speed and a spin for each, drawn at random.
#pragma once
#include <array>
#include <optional>
#include <vector>

#include "core/base/random.h"
#include "core/mesh/tree.h"

namespace drubble::place {

enum class SourceKind { Point, Disc, Box, Ball, Surface, Volume };

// Lengths in m, angles in rad; all in the source's own space.
struct Source {
  SourceKind kind = SourceKind::Point;
  Vec3 at = Vec3::Zero();     // its middle
  Vec3 axis = Vec3::UnitY();  // of a disc; unit
  double radius = 0;          // of a disc or a ball
  Vec3 size = Vec3::Zero();   // of a box: full
  mesh::TriangleMesh mesh;    // of a surface or a volume; of a volume closed
  Vec3 down = -Vec3::UnitY();
  std::optional<Vec3> direction;  // unit; none: away from a surface, along a disc's axis, else down
  double spread = 0;              // half the cone's angle
  std::array<double, 2> speed{0, 0}, spin{0, 0};  // least and greatest; spin about any axis
  bool any_turn = true;                           // else as `turn` and `vary_turn` say
  Quat turn = Quat::Identity();
  Vec3 vary_turn = Vec3::Zero();

  // To be called once the rest is set. Cost: about n log n in the mesh's triangles.
  void prepare();
  // The box about all places that may be drawn; without what stands off a surface.
  Box bounds() const;
  // One piece's start; `off`: how far (m) its centre stands off a surface. Of the stream it takes as many
  // numbers as it needs.
  struct Start {
    Pose pose;  // of the piece's centre
    Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();
  };
  Start draw(RandomStream& random, double off) const;
  // A place of it alone, and which way it sends from there.
  struct Spot {
    Vec3 at, normal;
  };
  Spot spot(RandomStream& random) const;

 private:
  std::vector<double> areas_;  // running sums
  mesh::Tree tree_;
};

// Uniform within a cone about `axis` (unit) of half angle `spread`.
Vec3 directionWithin(const Vec3& axis, double spread, RandomStream& random);

}  // namespace drubble::place
