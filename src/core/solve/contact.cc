// SPDX-License-Identifier: Apache-2.0
#include "core/solve/contact.h"

#include <cstdint>

namespace drubble::solve {

namespace {

constexpr double kSamePatch = 0.9;  // cosine between the normals

// Which old point each fresh one continues, or -1: the one of the same feature, else the nearest within
// `near`. An old point is continued once.
std::array<int, 4> matches(const Contact& old, const collide::Manifold& fresh, double near) {
  std::array<int, 4> out{-1, -1, -1, -1};
  unsigned used = 0;
  const auto each = [&](auto find) {
    for (std::size_t k = 0; k < static_cast<std::size_t>(fresh.count); ++k) {
      if (out[k] >= 0) continue;
      out[k] = find(fresh.points[k]);
      if (out[k] >= 0) used |= 1u << out[k];
    }
  };
  const auto oldPoint = [&](int i) -> const collide::Point& {
    return old.patch.points[static_cast<std::size_t>(i)];
  };
  each([&](const collide::Point& p) {
    for (int i = 0; i < old.patch.count; ++i)
      if (!(used >> i & 1u) && oldPoint(i).feature == p.feature) return i;
    return -1;
  });
  each([&](const collide::Point& p) {
    int best = -1;
    double least_squared = near * near;
    for (int i = 0; i < old.patch.count; ++i) {
      const double d = (oldPoint(i).position - p.position).squaredNorm();
      if (!(used >> i & 1u) && d < least_squared) least_squared = d, best = i;
    }
    return best;
  });
  return out;
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
    const std::array<int, 4> from = matches(*old, c->patch, near);
    for (std::size_t k = 0; k < static_cast<std::size_t>(c->patch.count); ++k)
      if (from[k] >= 0) c->normal_force[k] = old->normal_force[static_cast<std::size_t>(from[k])];
  }
}

}  // namespace drubble::solve
