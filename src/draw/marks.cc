// SPDX-License-Identifier: Apache-2.0
#include "draw/marks.h"

#include <array>

#include "core/base/trig.h"
#include "draw/joints.h"

namespace drubble::draw {

namespace {

constexpr int kArcs = 24;

std::array<Vec3, 2> across(const Vec3& axis) {
  Eigen::Index least = 0;
  axis.cwiseAbs().minCoeff(&least);
  const Vec3 u = axis.cross(Vec3::Unit(least)).normalized();
  return {u, axis.cross(u)};
}

}  // namespace

void Marks::line(const Vec3& a, const Vec3& b, double times) { addRod(mesh_, a, b, times * thin_); }

void Marks::ring(const Vec3& at, const Vec3& axis, double radius) {
  const auto [u, v] = across(axis);
  Vec3 before = at + radius * u;
  for (int k = 1; k <= kArcs; ++k) {
    const SinCos a = sinCos(2 * kPi * k / kArcs);
    const Vec3 next = at + radius * (a.cos * u + a.sin * v);
    line(before, next);
    before = next;
  }
}

void Marks::frame(const Box& b) {
  for (int axis = 0; axis < 3; ++axis)
    for (int corner = 0; corner < 4; ++corner) {
      Vec3 from = b.low;
      if (corner & 1) from[(axis + 1) % 3] = b.high[(axis + 1) % 3];
      if (corner & 2) from[(axis + 2) % 3] = b.high[(axis + 2) % 3];
      Vec3 to = from;
      to[axis] = b.high[axis];
      line(from, to);
    }
}

void Marks::arrow(const Vec3& from, const Vec3& way) {
  const double length = way.norm();
  if (!(length > 0)) return;
  const Vec3 tip = from + way, ahead = way / length;
  line(from, tip, 1.5);
  const double barb = least(0.3 * length, 10 * thin_);
  const auto [u, v] = across(ahead);
  for (const Vec3& side : {u, Vec3(-u), v, Vec3(-v)}) line(tip, tip - barb * ahead + 0.5 * barb * side, 1.5);
}

}  // namespace drubble::draw
