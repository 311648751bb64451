// SPDX-License-Identifier: Apache-2.0
// Contacts that last: a patch between two pieces with the forces it carried, so that the next substep starts
// from them.
#pragma once
#include <array>
#include <cstdint>
#include <vector>

#include "core/base/id.h"
#include "core/base/pages.h"
#include "core/collide/contact.h"

namespace drubble::solve {

// How two materials meet.
struct Surfaces {
  double friction_rest = 0.5;
  double friction_slide = 0.5;
  double bounce = 0;
  // Resistance, as a lever in shares of the smaller partner's inner radius; rolling of an ellipsoid: of the
  // radius of its surface where it is touched.
  double rolling = 0, spinning = 0;
  double adhesion = 0;       // N/m2
  std::uint8_t unmoved = 0;  // 1: the contact does not move a; 2: it does not move b
};

constexpr float kGoneFar = 1e30f;

struct Contact {
  PieceId a, b;  // a < b
  collide::Manifold patch;
  Surfaces surfaces;
  // History, in newtons, so that it holds for any step. Warm starts the next substep.
  std::array<float, 4> normal_force{};
  Vec3 friction_force = Vec3::Zero();  // world, on b, square to the normal
  float twist_torque = 0;              // N m about the normal, on b
  Vec3 roll_torque = Vec3::Zero();     // N m, on b, square to the normal
  bool sliding = false;                // its friction is that of sliding
  float asleep_force = 0;              // total normal force when one of the two fell asleep
  // m: how far the two have gone past each other since the patch's points were found, and since its face was.
  // Beyond any limit for one that must be looked for again.
  float gone = kGoneFar, strayed = kGoneFar;

  float totalForce() const { return normal_force[0] + normal_force[1] + normal_force[2] + normal_force[3]; }
};

// Sorted by (a, b), patches of one pair in the order the pair test found them.
using Contacts = PagedVector<Contact>;

// Gives each of `fresh` (the patches of one pair) the forces of the old patch it continues: the one whose
// normal agrees best, then points by feature, then by place within `near` metres. What finds no match starts
// from nothing.
void inherit(const Contact* old_begin, const Contact* old_end, Contact* begin, Contact* end, double near);

}  // namespace drubble::solve
