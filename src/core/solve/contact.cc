// SPDX-License-Identifier: Apache-2.0
#include "core/solve/contact.h"

#include <cstdint>
#include <limits>

namespace drubble::solve {

Patch::Patch(const collide::Manifold& m)
    : direction(m.normal.cast<float>()),
      sub(m.sub),
      part(m.part),
      count(static_cast<std::uint8_t>(m.count)),
      face_of(m.face_of) {
  arm.fill(Vec3f::Zero());
  for (std::size_t k = 0; k < count; ++k) middle += m.points[k].position;
  if (count > 1) middle /= count;
  for (std::size_t k = 0; k < count; ++k) {
    const collide::Point& p = m.points[k];
    arm[k] = (p.position - middle).cast<float>();
    gap[k] = static_cast<float>(p.gap);
    feature[k] = p.feature;
  }
}

collide::Manifold Patch::manifold() const {
  collide::Manifold m;
  m.normal = normal().normalized();
  for (std::size_t k = 0; k < count; ++k) m.points[k] = {place(k), gapAt(k), feature[k]};
  m.count = count;
  m.sub = sub;
  m.part = part;
  m.face_of = face_of;
  return m;
}

double Patch::leastGap() const {
  double out = std::numeric_limits<double>::infinity();
  for (std::size_t k = 0; k < count; ++k) out = least(out, gapAt(k));
  return out;
}

namespace {

constexpr double kSamePatch = 0.9;  // cosine between the normals

// Which old point each fresh one continues, or -1: the one of the same feature, else the nearest within
// `near`. An old point is continued once.
std::array<int, 4> matches(const Patch& old, const Patch& fresh, double near) {
  std::array<int, 4> out{-1, -1, -1, -1};
  unsigned used = 0;
  const auto each = [&](auto find) {
    for (std::size_t k = 0; k < static_cast<std::size_t>(fresh.count); ++k) {
      if (out[k] >= 0) continue;
      out[k] = find(k);
      if (out[k] >= 0) used |= 1u << out[k];
    }
  };
  each([&](std::size_t k) {
    for (std::size_t i = 0; i < old.count; ++i)
      if (!(used >> i & 1u) && old.feature[i] == fresh.feature[k]) return static_cast<int>(i);
    return -1;
  });
  each([&](std::size_t k) {
    int best = -1;
    double least_squared = near * near;
    for (std::size_t i = 0; i < old.count; ++i) {
      const double d = (old.place(i) - fresh.place(k)).squaredNorm();
      if (!(used >> i & 1u) && d < least_squared) least_squared = d, best = static_cast<int>(i);
    }
    return best;
  });
  return out;
}

}  // namespace

void Contact::grade() {
  constexpr float kBand = 3;
  const float force = totalForce(), last = gradedForce();
  if (!(force > last) && !(kBand * force < last)) return;
  graded =
      static_cast<std::uint16_t>(std::bit_cast<std::uint32_t>(force > last ? force : kBand * force) >> 16);
}

void inherit(const Contact* old_begin, const Contact* old_end, Contact* begin, Contact* end, double near) {
  std::uint64_t taken = 0;
  for (Contact* c = begin; c != end; ++c) {
    const Contact* old = nullptr;
    double best = kSamePatch;
    for (const Contact* o = old_begin; o != old_end; ++o) {
      if (o->patch.part != c->patch.part) continue;
      const auto slot = static_cast<unsigned>(o - old_begin) & 63u;
      const double agree = o->patch.normal().dot(c->patch.normal());
      if (agree > best && !(taken >> slot & 1u)) best = agree, old = o;
    }
    if (old == nullptr) continue;
    taken |= std::uint64_t{1} << (static_cast<unsigned>(old - old_begin) & 63u);
    c->friction_force = old->friction_force;
    c->twist_torque = old->twist_torque;
    c->roll_torque = old->roll_torque;
    c->sliding = old->sliding;
    c->graded = old->graded;
    c->asleep_force = old->asleep_force;
    const std::array<int, 4> from = matches(old->patch, c->patch, near);
    for (std::size_t k = 0; k < c->patch.count; ++k)
      if (from[k] >= 0) c->normal_force[k] = old->normal_force[static_cast<std::size_t>(from[k])];
  }
}

}  // namespace drubble::solve
