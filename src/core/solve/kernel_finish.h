// SPDX-License-Identifier: Apache-2.0
// A block's rows, eight contacts at a time: frames, masses, springs, levers.
#pragma once
#include "core/solve/kernel_rows.h"

namespace drubble::DRUBBLE_LANES {

constexpr float kFlat =
    1e-6f;  // of its trace squared: a determinant as small as this is that of one direction

// Sizes a second: the fastest that overlaps are eased out.
constexpr float kPushSpeed = 2;

// The spring gives way to the rigid stop over this share of the size about gap 0.
constexpr float kBlend = 1e-4f;

// The inverse mass that an impulse along `e` meets along `d`.
struct Inertia8 {
  v8 mass;  // inverse, both bodies', along the world's axes
  m8 inertia_a, inertia_b;
};
DRUBBLE_INLINE f8 inverseMass(const Inertia8& m, v8 d, v8 turn_a, v8 turn_b, v8 e, v8 turned_a, v8 turned_b) {
  return dot(d, scaled(m.mass, e)) + dot(turn_a, turned_a) + dot(turn_b, turned_b);
}
DRUBBLE_INLINE f8 inverseOrZero(f8 x) {
  return choose(x > f8(0.0f), f8(1.0f) / greatest(x, f8(1e-30f)), f8(0.0f));
}

// A unit vector square to n, chosen by n's smallest component; 0 for 0.
DRUBBLE_INLINE v8 anyNormalTo(v8 n) {
  const f8 x = greatest(n.x, -n.x), y = greatest(n.y, -n.y), z = greatest(n.z, -n.z), none(0.0f);
  const Mask8 not_x = x > least(y, z), not_y = y > z;
  // n times the axis that it looks along least.
  const v8 c{choose(not_x, choose(not_y, n.y, -n.z), none), choose(not_x, choose(not_y, -n.x, none), n.z),
             choose(not_x, choose(not_y, none, n.x), -n.y)};
  return c * (f8(1.0f) / greatest(root(dot(c, c)), f8(1e-30f)));
}

// The patch's middle and how far its points are from it on average.
DRUBBLE_INLINE void finishFriction(ContactBlock& c, const BlockExtra* e, const Unfinished& u,
                                   const Inertia8& m) {
  const f8 count = greatest(read(u.points), f8(1.0f)), none(0.0f);
  v8 middle_a = read(c.middle_a), middle_b = read(c.middle_b);
  f8 radius(0.0f);
  for (std::uint32_t k = 0; k < c.points; ++k) {
    const v8 arm = read(c.point[k].arm);
    radius = radius + choose(count > f8(static_cast<float>(k)), root(dot(arm, arm)), none);
  }
  radius = greatest(radius / count, read(u.least_radius));
  if (e != nullptr) middle_a = middle_a + read(e->lean_a), middle_b = middle_b + read(e->lean_b);
  const v8 n = read(c.normal), s = read(c.along), t = cross(n, s);
  const v8 as = cross(middle_a, s), at = cross(middle_a, t), bs = cross(middle_b, s), bt = cross(middle_b, t);
  const v8 ias = m.inertia_a * as, iat = m.inertia_a * at, ibs = m.inertia_b * bs, ibt = m.inertia_b * bt;
  const f8 xx = inverseMass(m, s, as, bs, s, ias, ibs), xy = inverseMass(m, s, as, bs, t, iat, ibt),
           yy = inverseMass(m, t, at, bt, t, iat, ibt);
  // On the directions that the 2x2 matrix does not send to nothing: those along which nothing can move have
  // no part in its inverse. With one such direction the matrix is its own projection times the trace.
  const f8 det = xx * yy - xy * xy, trace = xx + yy, one = inverseOrZero(det),
           flat = inverseOrZero(trace * trace);
  const Mask8 full = det > f8(kFlat) * trace * trace;
  write(c.slip_xx, choose(full, yy * one, xx * flat));
  write(c.slip_xy, choose(full, none - xy * one, xy * flat));
  write(c.slip_yy, choose(full, xx * one, yy * flat));
  write(c.twist_mass, inverseOrZero(dot(n, m.inertia_a * n) + dot(n, m.inertia_b * n)));
  write(c.twist_lever, read(u.friction_slide) * radius + read(u.spin_lever));
  const v8 force = read(u.friction_impulse);
  write(c.impulse_along, dot(s, force));
  write(c.impulse_across, dot(t, force));
}

// The push-out spring's coefficients: springSoftness, eight at a time.
DRUBBLE_INLINE void finishSpring(ContactBlock& c, const Unfinished& u) {
  const f8 one(1.0f), dt(u.dt), rate = read(u.spring_rate), size = greatest(read(u.size), f8(1e-30f));
  const f8 a1 = read(u.damping_ratio) * f8(2.0f) + dt * rate;
  const f8 a2 = read(u.mass_share) * dt * rate * a1, a3 = one / (one + a2);
  write(c.bias_rate, rate / greatest(a1, f8(1e-30f)));
  write(c.mass_scale, a2 * a3);
  write(c.impulse_scale, a3);
  write(c.push_speed, size * f8(kPushSpeed));
  write(c.inverse_blend, f8(1 / kBlend) / size);
}

DRUBBLE_INLINE void finishRolling(ContactBlock& c, const Inertia8& m, BlockExtra& e,
                                  const UnfinishedExtra& u) {
  const v8 s = read(c.along), t = cross(read(c.normal), s), moment = read(u.roll_impulse);
  const f8 lever = read(e.roll_lever), none(0.0f);
  const f8 along = dot(s, m.inertia_a * s + m.inertia_b * s),
           across = dot(t, m.inertia_a * t + m.inertia_b * t);
  write(e.roll_mass_along, choose(lever > none, inverseOrZero(along), none));
  write(e.roll_mass_across, choose(lever > none, inverseOrZero(across), none));
  write(e.impulse_roll_along, dot(s, moment));
  write(e.impulse_roll_across, dot(t, moment));
  if ((bitsOf(lever > none) | bitsOf(dot(moment, moment) > none)) != 0) c.uses |= kUsesRolling;
  const m8 a = read(u.bend_a), b = read(u.bend_b);
  write(e.bend_a_xx, dot(s, a * s));
  write(e.bend_a_xy, dot(s, a * t));
  write(e.bend_a_yy, dot(t, a * t));
  write(e.bend_b_xx, dot(s, b * s));
  write(e.bend_b_xy, dot(s, b * t));
  write(e.bend_b_yy, dot(t, b * t));
}

// Points that a lane has not got are far apart and without mass, so that they never act.
DRUBBLE_INLINE void gatherPoints(ContactBlock& c, const Unfinished& u) {
  const f8 none(0.0f), count = read(u.points), dt(u.dt);
  f8 normal[4], arm[12], gap[4], force[4];
  gather4(u.normal, normal);
  write(c.normal, v8{normal[0], normal[1], normal[2]});
  for (int k = 0; k < 3; ++k) {
    const float* at[8];
    for (int i = 0; i < 8; ++i) at[i] = u.arm[i] + 4 * k;
    gather4(at, arm + 4 * k);
  }
  gather4(u.gap, gap);
  gather4(u.force, force);
  for (int k = 0; k < 4; ++k) {
    const Mask8 there = count > f8(static_cast<float>(k));
    PointRow& p = c.point[k];
    write(p.arm.x, choose(there, arm[3 * k], none));
    write(p.arm.y, choose(there, arm[3 * k + 1], none));
    write(p.arm.z, choose(there, arm[3 * k + 2], none));
    const f8 apart = choose(there, gap[k], f8(1e9f));
    write(p.gap, apart);
    write(p.gap_now, apart);
    write(p.impulse, choose(there, force[k] * dt, none));
  }
}

DRUBBLE_INLINE void gatherMasses(const float* const from[8], f8 times, Mat8& inertia, Row8& mass) {
  const float* rest[8];
  f8 f[4], g[4];
  gather4(from, f);
  for (int i = 0; i < 8; ++i) rest[i] = from[i] + 4;
  gather4(rest, g);
  write(inertia.xx, times * f[0]);
  write(inertia.xy, times * f[1]);
  write(inertia.xz, times * f[2]);
  write(inertia.yy, times * f[3]);
  write(inertia.yz, times * g[0]);
  write(inertia.zz, times * g[1]);
  write(mass, times * g[2]);
}

DRUBBLE_INLINE bool differ(v8 v) {
  return (bitsOf(v.x > v.y) | bitsOf(v.y > v.x) | bitsOf(v.x > v.z) | bitsOf(v.z > v.x)) != 0;
}

inline void finish(ContactBlock& c, const Unfinished& u, BlockExtra* e, const UnfinishedExtra* extra) {
  c.uses = 0;
  gatherPoints(c, u);
  gatherMasses(u.mass_a, read(u.times_a), c.inverse_inertia_a, c.inverse_mass_a);
  gatherMasses(u.mass_b, read(u.times_b), c.inverse_inertia_b, c.inverse_mass_b);
  Inertia8 m;
  const f8 mass = read(c.inverse_mass_a) + read(c.inverse_mass_b);
  m.mass = e != nullptr ? read(e->inverse_mass_a) + read(e->inverse_mass_b) : v8{mass, mass, mass};
  m.inertia_a = read(c.inverse_inertia_a);
  m.inertia_b = read(c.inverse_inertia_b);
  const v8 n = read(c.normal);
  write(c.along, anyNormalTo(n));
  v8 middle_a = read(c.middle_a), middle_b = read(c.middle_b);
  if (e != nullptr) middle_a = middle_a + read(e->lean_a), middle_b = middle_b + read(e->lean_b);
  const v8 middle_turn_a = cross(middle_a, n), middle_turn_b = cross(middle_b, n);
  for (std::uint32_t k = 0; k < c.points; ++k) {
    const v8 turn = cross(read(c.point[k].arm), n), turn_a = middle_turn_a + turn,
             turn_b = middle_turn_b + turn;
    const f8 inverse = inverseMass(m, n, turn_a, turn_b, n, m.inertia_a * turn_a, m.inertia_b * turn_b);
    const f8 there(static_cast<float>(k));
    write(c.point[k].mass, choose(read(u.points) > there, inverseOrZero(inverse), f8(0.0f)));
  }
  for (std::uint32_t k = c.points; k < 4; ++k) write(c.point[k].mass, f8(0.0f));
  finishFriction(c, e, u, m);
  finishSpring(c, u);
  if (e == nullptr) return;
  finishRolling(c, m, *e, *extra);
  if (differ(read(e->inverse_mass_a)) || differ(read(e->inverse_mass_b))) c.uses |= kUsesLocks;
}

}  // namespace drubble::DRUBBLE_LANES
