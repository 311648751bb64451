// SPDX-License-Identifier: Apache-2.0
// On which side of the bisector of two sites something lies: always the exact answer, never a tie.
//
// Space: a lattice of whole numbers, on which meshes and sites are put first. There every form below is exact
// in double precision, and what is made of several forms is decided by a filtered sum or, where that cannot
// tell, by whole numbers of 192 bits. Ties are broken as if each site had a weight of its own, the first
// site's by far the greatest, the next one's by far greater than all that follow (Edelsbrunner and Muecke,
// Simulation of simplicity, 1990): so no two planes ever fall together, no four meet in a point that others
// share.
#pragma once
#include <array>
#include <cstdint>
#include <span>

#include "core/base/vec.h"

namespace drubble::cut {

// Whole numbers from -kRange to kRange.
inline constexpr double kRange = 4194304;

class Lattice {
 public:
  // For everything within `all`. Steps are in proportion to `stretch`: what is as near as something else on
  // the lattice is farther away along a greater one.
  explicit Lattice(const Box& all, const Vec3& stretch = Vec3::Ones());
  Vec3 measure(const Vec3& p) const { return (p - centre_).cwiseQuotient(step_); }  // in its measure
  Vec3 on(const Vec3& p) const;  // the nearest lattice point
  Vec3 off(const Vec3& lattice) const { return centre_ + step_.cwiseProduct(lattice); }  // where it is
  // How far apart lattice points are, at most.
  double step() const { return step_.maxCoeff(); }
  // Of a plane that looks along `normal` on the lattice: which way it looks.
  Vec3 normalOff(const Vec3& normal) const { return normal.cwiseQuotient(step_).normalized(); }

 private:
  Vec3 centre_, step_;
};

// The squared distance of x to site a less that to site b: negative on a's side. Exact on the lattice.
inline double nearer(const Vec3& a, const Vec3& b, const Vec3& x) { return (b - a).dot(2 * x - a - b); }

// Whether a's or b's side is meant by a tie of the two: -1 or 1, as `nearer`.
inline int tie(std::uint32_t a, std::uint32_t b) { return a < b ? 1 : -1; }

// The form `nearer(cell, other, .)` at the three corners of a triangle.
struct Corners {
  std::uint32_t other = 0;
  std::array<double, 3> at{};
};

// The sign at corner k.
int signAt(std::uint32_t cell, const Corners& f, std::size_t k);

// Where form `on` is zero between corners p and q (of which it has different signs): the sign of form `f`.
int signOnEdge(std::uint32_t cell, const Corners& on, const Corners& f, std::size_t p, std::size_t q);

// Where forms a and b are zero within the triangle: the sign of form f, times that of turning(a, b).
int signInside(std::uint32_t cell, const Corners& a, const Corners& b, const Corners& f);

// The sense in which the gradients of a and b turn about the triangle's normal; 0 where they are parallel.
int turning(const Corners& a, const Corners& b);

// A plane of a cell in space: normal . x + offset, negative inside; exact on the lattice.
struct Plane {
  Vec3 normal = Vec3::Zero();
  double offset = 0;
  std::uint32_t other = 0;  // the site on its other side, or a wall
};
inline constexpr std::uint32_t kFirstWall = 0xfffffff0u;
inline bool isWall(std::uint32_t other) { return other >= kFirstWall; }

Plane planeBetween(const Vec3& site, const Vec3& other_site, std::uint32_t other);
// What closes the outermost cells: k from 0 to 5, beyond -x, +x, -y, ..., at that whole number.
Plane wall(int k, double at);

// The sense of three normals: the sign of their triple product.
int sense(const Plane& a, const Plane& b, const Plane& c);

// Where planes a, b and c of `cell` meet, which have a sense: the sign of plane d there.
int signAtMeeting(std::uint32_t cell, const Plane& a, const Plane& b, const Plane& c, const Plane& d);

// That place, rounded once.
Vec3 meeting(const Plane& a, const Plane& b, const Plane& c);

}  // namespace drubble::cut
