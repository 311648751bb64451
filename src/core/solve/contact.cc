// SPDX-License-Identifier: Apache-2.0
#include "core/solve/contact.h"

#include <cstdint>

namespace drubble::solve {

namespace {

constexpr double kSamePatch = 0.9;  // cosine between the normals

// Index of the unused old point that p continues, or -1.
int match(const Contact& old, const collide::Point& p, unsigned used, double near) {
  for (int i = 0; i < old.patch.count; ++i)
    if (!(used >> i & 1u) && old.patch.points[static_cast<std::size_t>(i)].feature == p.feature) return i;
  int best = -1;
  double least_squared = near * near;
  for (int i = 0; i < old.patch.count; ++i) {
    const double d = (old.patch.points[static_cast<std::size_t>(i)].position - p.position).squaredNorm();
    if (!(used >> i & 1u) && d < least_squared) least_squared = d, best = i;
  }
  return best;
}

}  // namespace

void inherit(const Contact* old_begin, const Contact* old_end, Contact* begin, Contact* end, double near) {
  std::uint64_t taken = 0;
  for (Contact* c = begin; c != end; ++c) {
    const Contact* old = nullptr;
    double best = kSamePatch;
    for (const Contact* o = old_begin; o != old_end; ++o) {
      if (o->patch.part != c->patch.part) continue;
      const auto slot = static_cast<unsigned>(o - old_begin) & 63u;
      const double agree = o->patch.normal.dot(c->patch.normal);
      if (agree > best && !(taken >> slot & 1u)) best = agree, old = o;
    }
    if (old == nullptr) continue;
    taken |= std::uint64_t{1} << (static_cast<unsigned>(old - old_begin) & 63u);
    c->friction_force = old->friction_force;
    c->twist_torque = old->twist_torque;
    c->roll_torque = old->roll_torque;
    c->sliding = old->sliding;
    c->asleep_force = old->asleep_force;
    unsigned used = 0;
    for (int i = 0; i < c->patch.count; ++i) {
      const int m = match(*old, c->patch.points[static_cast<std::size_t>(i)], used, near);
      if (m < 0) continue;
      used |= 1u << m;
      c->normal_force[static_cast<std::size_t>(i)] = old->normal_force[static_cast<std::size_t>(m)];
    }
  }
}

}  // namespace drubble::solve
