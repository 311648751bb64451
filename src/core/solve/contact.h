// SPDX-License-Identifier: Apache-2.0
// Contacts that last: a patch between two pieces with the forces it carried, so that the next substep starts
// from them.
#pragma once
#include <array>
#include <bit>
#include <cstdint>
#include <vector>

#include "core/base/id.h"
#include "core/base/pages.h"
#include "core/collide/contact.h"

namespace drubble::solve {

// How two materials meet.
template <class Real>
struct SurfacesOf {
  Real friction_rest = Real(0.5);
  Real friction_slide = Real(0.5);
  Real bounce = 0;
  // Resistance, as a lever in shares of the smaller partner's inner radius; rolling of an ellipsoid: of the
  // radius of its surface where it is touched.
  Real rolling = 0, spinning = 0;
  Real adhesion = 0;         // N/m2
  std::uint8_t unmoved = 0;  // 1: the contact does not move a; 2: it does not move b

  SurfacesOf<float> kept() const {
    const auto f = [](Real x) { return static_cast<float>(x); };
    return {f(friction_rest), f(friction_slide), f(bounce), f(rolling), f(spinning), f(adhesion), unmoved};
  }
};
using Surfaces = SurfacesOf<double>;

// A manifold as it is kept: its points by where they are from the middle.
struct Patch {
  Vec3 middle = Vec3::Zero();       // world
  Vec3f direction = Vec3f::Zero();  // world, unit, from a to b
  std::array<Vec3f, 4> arm;         // m, from the middle; of a patch of one point exactly 0
  std::array<float, 4> gap{};       // m along the normal; negative: overlap
  std::array<std::uint32_t, 4> feature{};
  std::uint32_t sub = 0, part = 0;
  std::uint8_t count = 0;
  collide::FaceOf face_of = collide::FaceOf::Neither;

  Patch() { arm.fill(Vec3f::Zero()); }
  explicit Patch(const collide::Manifold& m);
  collide::Manifold manifold() const;

  Vec3 normal() const { return direction.cast<double>(); }
  Vec3 place(std::size_t k) const { return middle + arm[k].cast<double>(); }
  double gapAt(std::size_t k) const { return static_cast<double>(gap[k]); }
  double leastGap() const;  // infinity when there are no points
};

constexpr float kGoneFar = 1e30f;

struct Contact {
  PieceId a, b;  // a < b
  Patch patch;
  SurfacesOf<float> surfaces;
  // History, in newtons, so that it holds for any step. Warm starts the next substep.
  std::array<float, 4> normal_force{};
  Vec3f friction_force = Vec3f::Zero();  // world, on b, square to the normal
  float twist_torque = 0;                // N m about the normal, on b
  Vec3f roll_torque = Vec3f::Zero();     // N m, on b, square to the normal
  bool sliding = false;                  // its friction is that of sliding
  std::uint16_t graded = 0;              // the upper half of gradedForce()
  float asleep_force = 0;                // total normal force when one of the two fell asleep
  // m: how far the two have gone past each other since the patch's points were found, and since its face was.
  // Beyond any limit for one that must be looked for again.
  float gone = kGoneFar, strayed = kGoneFar;

  float totalForce() const { return normal_force[0] + normal_force[1] + normal_force[2] + normal_force[3]; }
  // What its springs are as stiff for, N: no less than the load (to a hundredth: 16 bits) and no more than
  // three times it, and else as it was. Of a load that swings about a grade of stiffening (spring.h) they
  // would be soft as it sinks in and stiff as it comes back, and it would swing for ever.
  float gradedForce() const { return std::bit_cast<float>(std::uint32_t{graded} << 16); }
  void grade();
};

// Sorted by (a, b), patches of one pair in the order the pair test found them.
using Contacts = PagedVector<Contact>;

// Gives each of `fresh` (the patches of one pair) the forces of the old patch it continues: the one whose
// normal agrees best, then points by feature, then by place within `near` metres. What finds no match starts
// from nothing.
void inherit(const Contact* old_begin, const Contact* old_end, Contact* begin, Contact* end, double near);

}  // namespace drubble::solve
