// SPDX-License-Identifier: Apache-2.0
// The kernel's code, included once by the file of each instruction set. Two blocks of a colour go side by
// side: one alone waits for its own results.
#pragma once
#include "core/solve/kernel_bodies.h"
#include "core/solve/kernel_finish.h"
#include "core/solve/kernel_meet.h"
#include "core/solve/kernel_turn.h"

namespace drubble::DRUBBLE_LANES {

// The third direction of a patch's frame.
DRUBBLE_INLINE v8 acrossOf(const ContactBlock& c) { return cross(read(c.normal), read(c.along)); }

// By what the end of an arm has come along `n` by the body's own turn, as a form of that arm: n turned back,
// less n.
DRUBBLE_INLINE v8 swing(const Place8& p, v8 n) {
  const v8 t = cross(n, p.turned) * f8(2.0f);
  return t * p.turned_w + cross(t, p.turned);
}

// From the centres of mass to where the patch acts.
struct Lever8 {
  v8 a, b;
};
template <bool extra>
DRUBBLE_INLINE Lever8 leverOf(const ContactBlock& c, const BlockExtra* e) {
  Lever8 out{read(c.middle_a), read(c.middle_b)};
  if (extra) out = {out.a + read(e->lean_a), out.b + read(e->lean_b)};
  return out;
}

DRUBBLE_INLINE v8 pointVelocity(const Body8& b, v8 arm) { return b.velocity + cross(b.spin, arm); }

DRUBBLE_INLINE void turn(const ContactBlock& c, Body8& a, Body8& b, v8 moment) {
  a.spin = a.spin - read(c.inverse_inertia_a) * moment;
  b.spin = b.spin + read(c.inverse_inertia_b) * moment;
}

template <bool extra>
DRUBBLE_INLINE void push(const ContactBlock& c, const BlockExtra* e, Body8& a, Body8& b, v8 arm_a, v8 arm_b,
                         v8 impulse) {
  if (extra && (c.uses & kUsesLocks) != 0) {
    a.velocity = a.velocity - scaled(impulse, read(e->inverse_mass_a));
    b.velocity = b.velocity + scaled(impulse, read(e->inverse_mass_b));
  } else {
    a.velocity = a.velocity - impulse * read(c.inverse_mass_a);
    b.velocity = b.velocity + impulse * read(c.inverse_mass_b);
  }
  a.spin = a.spin - read(c.inverse_inertia_a) * cross(arm_a, impulse);
  b.spin = b.spin + read(c.inverse_inertia_b) * cross(arm_b, impulse);
}

// By how much a pair of impulses of that size must be scaled to be no more than the limit.
DRUBBLE_INLINE f8 withinCone(f8 x, f8 y, f8 limit) {
  const f8 size = root(x * x + y * y);
  return choose(size > limit, limit / greatest(size, f8(1e-30f)), f8(1.0f));
}

// A moment against rolling, about both axes square to the normal.
DRUBBLE_INLINE void solveRolling(const ContactBlock& c, BlockExtra& e, Body8& a, Body8& b, f8 load) {
  const v8 turning = b.spin - a.spin, along_axis = read(c.along), across_axis = acrossOf(c);
  const f8 old_along = read(e.impulse_roll_along), old_across = read(e.impulse_roll_across);
  const f8 along = old_along - read(e.roll_mass_along) * dot(turning, along_axis);
  const f8 across = old_across - read(e.roll_mass_across) * dot(turning, across_axis);
  const f8 scale = withinCone(along, across, read(e.roll_lever) * load);
  write(e.impulse_roll_along, along * scale);
  write(e.impulse_roll_across, across * scale);
  turn(c, a, b, along_axis * (along * scale - old_along) + across_axis * (across * scale - old_across));
}

template <bool extra>
DRUBBLE_INLINE void solveFriction(ContactBlock& c, BlockExtra* e, Body8& a, Body8& b) {
  f8 load = read(c.point[0].impulse);
  for (std::uint32_t k = 1; k < c.points; ++k) load = load + read(c.point[k].impulse);
  if (extra) {
    for (std::uint32_t k = 0; k < c.points; ++k) load = load + read(e->pull);
    if ((c.uses & kUsesRolling) != 0) solveRolling(c, *e, a, b, load);
  }
  // Twist before slip, so that slip has the last word.
  const v8 normal = read(c.normal), along_axis = read(c.along), across_axis = acrossOf(c);
  const f8 limit_twist = read(c.twist_lever) * load, old_twist = read(c.impulse_twist);
  const f8 free_twist = old_twist - read(c.twist_mass) * dot(normal, b.spin - a.spin);
  const f8 twist = greatest(least(free_twist, limit_twist), -limit_twist);
  write(c.impulse_twist, twist);
  turn(c, a, b, normal * (twist - old_twist));

  const Lever8 arm = leverOf<extra>(c, e);
  const v8 slip = pointVelocity(b, arm.b) - pointVelocity(a, arm.a);
  const f8 s = dot(slip, along_axis), t = dot(slip, across_axis);
  const f8 old_along = read(c.impulse_along), old_across = read(c.impulse_across);
  const f8 along = old_along - (read(c.slip_xx) * s + read(c.slip_xy) * t);
  const f8 across = old_across - (read(c.slip_xy) * s + read(c.slip_yy) * t);
  const f8 scale = withinCone(along, across, read(c.friction) * load);
  write(c.impulse_along, along * scale);
  write(c.impulse_across, across * scale);
  push<extra>(c, e, a, b, arm.a, arm.b,
              along_axis * (along * scale - old_along) + across_axis * (across * scale - old_across));
}

// By how much a rolling ellipsoid's surface stays nearer than the material point that touched at first.
DRUBBLE_INLINE f8 bendOf(const ContactBlock& c, const BlockExtra& e, const Place8& a, const Place8& b) {
  const v8 along = read(c.along), across = acrossOf(c);
  const f8 ax = dot(a.turned, along), ay = dot(a.turned, across), bx = dot(b.turned, along),
           by = dot(b.turned, across);
  const f8 two(2.0f);
  // Turned about one axis the normal goes along the other; half of twice the quaternion's part, squared, is
  // two.
  return two *
         (read(e.bend_a_xx) * ay * ay - two * read(e.bend_a_xy) * ax * ay + read(e.bend_a_yy) * ax * ax +
          read(e.bend_b_xx) * by * by - two * read(e.bend_b_xy) * bx * by + read(e.bend_b_yy) * bx * bx);
}

// By how much the two surfaces have come apart since the substep's start: at the patch's middle, and as a
// form of a point's arm from there.
struct Opened8 {
  f8 middle;
  v8 by_arm;
};
template <bool extra>
DRUBBLE_INLINE Opened8 openedOf(const ContactBlock& c, const BlockExtra* e, const Place8& a,
                                const Place8& b) {
  const v8 normal = read(c.normal), swing_a = swing(a, normal), swing_b = swing(b, normal);
  f8 middle =
      dot(b.moved - a.moved, normal) + (dot(swing_b, read(c.middle_b)) - dot(swing_a, read(c.middle_a)));
  if (extra) middle = middle - bendOf(c, *e, a, b);
  return {middle, swing_b - swing_a};
}

DRUBBLE_INLINE void renewGap(PointRow& p, const Opened8& opened) {
  write(p.gap_now, read(p.gap) + (opened.middle + dot(opened.by_arm, read(p.arm))));
}

// `turns`: by which the patch's middle turns the two, pushed along the normal.
template <bool extra, bool push_out, bool measured>
DRUBBLE_INLINE void solvePoint(ContactBlock& c, const BlockExtra* e, PointRow& p, const Lever8& turns,
                               Body8& a, Body8& b, f8 inverse_dt, f8& worst) {
  const v8 normal = read(c.normal), turn = cross(read(p.arm), normal);
  const v8 turn_a = turns.a + turn, turn_b = turns.b + turn;
  const f8 gap = read(p.gap_now);
  const f8 speed = dot(b.velocity - a.velocity, normal) + (dot(b.spin, turn_b) - dot(a.spin, turn_a));
  // Apart: the gap may just close in this step. Overlapping: a soft spring pushes out.
  const f8 open = greatest(gap, f8(0.0f)), old = read(p.impulse);
  const f8 mass = read(p.mass);
  f8 now;
  if (push_out) {
    const f8 ease = greatest(least(gap, f8(0.0f)) * read(c.bias_rate), -read(c.push_speed));
    const f8 share = greatest(least(f8(0.5f) - gap * read(c.inverse_blend), f8(1.0f)),
                              f8(0.0f));  // 1: spring, 0: stop
    const f8 felt = mass + mass * (share * (read(c.mass_scale) - f8(1.0f)));
    const f8 keep = f8(1.0f) - share * read(c.impulse_scale);
    now = old * keep - felt * (speed + (open * inverse_dt + ease));
  } else {
    now = old - mass * (speed + open * inverse_dt);
  }
  f8 floor(0.0f);
  if (extra) {
    const f8 pull = read(e->pull);
    floor = choose(f8(1.0f) > gap * read(c.inverse_blend), -pull, floor);
  }
  now = greatest(now, floor);
  // What has not met yet is the next step's affair: settling must not brake it beforehand.
  if (!push_out) now = choose(open > greatest(old, -old) * f8(1e30f), f8(0.0f), now);
  write(p.impulse, now);
  if (measured) {
    const f8 change = (now - old) / greatest(mass, f8(1e-30f));
    worst = greatest(worst, greatest(change, -change));
  }
  const f8 more = now - old;
  if (extra && (c.uses & kUsesLocks) != 0) {
    a.velocity = a.velocity - scaled(normal * more, read(e->inverse_mass_a));
    b.velocity = b.velocity + scaled(normal * more, read(e->inverse_mass_b));
  } else if (extra) {
    const v8 along = normal * more;
    a.velocity = a.velocity - along * read(c.inverse_mass_a);
    b.velocity = b.velocity + along * read(c.inverse_mass_b);
  } else {
    a.velocity = a.velocity - normal * (more * read(c.inverse_mass_a));
    b.velocity = b.velocity + normal * (more * read(c.inverse_mass_b));
  }
  a.spin = a.spin - read(c.inverse_inertia_a) * (turn_a * more);
  b.spin = b.spin + read(c.inverse_inertia_b) * (turn_b * more);
}

template <int W, bool extra, bool push_out, bool measured, bool moved>
DRUBBLE_INLINE void solveSideBySide(const BlockRange& r, std::size_t first, f8 inverse_dt, bool backward,
                                    f8& worst) {
  ContactBlock* c = r.blocks + first;
  BlockExtra* e = extra ? r.extras + first : nullptr;
  Body8 a[W], b[W];
  Opened8 opened[W];
  Lever8 turns[W];
#pragma GCC unroll 2
  for (int w = 0; w < W; ++w) {
    loadBody(r.rows, c[w].body_a, a[w]);
    loadBody(r.rows, c[w].body_b, b[w]);
  }
  const Body8 a_before = a[0], b_before = b[0];
#pragma GCC unroll 2
  for (int w = 0; w < W; ++w) solveFriction<extra>(c[w], extra ? e + w : e, a[w], b[w]);
#pragma GCC unroll 2
  for (int w = 0; moved && w < W; ++w) {
    Place8 place_a, place_b;
    loadPlace(r.rows, c[w].body_a, a[w], place_a);
    loadPlace(r.rows, c[w].body_b, b[w], place_b);
    opened[w] = openedOf<extra>(c[w], extra ? e + w : e, place_a, place_b);
  }
#pragma GCC unroll 2
  for (int w = 0; w < W; ++w) {
    const Lever8 lever = leverOf<extra>(c[w], extra ? e + w : e);
    turns[w] = {cross(lever.a, read(c[w].normal)), cross(lever.b, read(c[w].normal))};
  }
  std::uint32_t points = c[0].points;
  if (W == 2 && c[W - 1].points > points) points = c[W - 1].points;
  for (std::uint32_t n = 0; n < points; ++n) {
    const std::uint32_t k = backward ? points - 1 - n : n;
#pragma GCC unroll 2
    for (int w = 0; moved && w < W; ++w)
      if (k < c[w].points) renewGap(c[w].point[k], opened[w]);
#pragma GCC unroll 2
    for (int w = 0; w < W; ++w)
      solvePoint<extra, push_out, measured>(c[w], extra ? e + w : e, c[w].point[k], turns[w], a[w], b[w],
                                            inverse_dt, worst);
  }
#pragma GCC unroll 2
  for (int w = 0; w < W; ++w) {
    if (W == 1) {
      storeBodies(r, c[0], a_before, b_before, a[0], b[0]);
      continue;
    }
    storeBody(r.rows, c[w].body_a, c[w].moves_a, a[w]);
    storeBody(r.rows, c[w].body_b, c[w].moves_b, b[w]);
  }
}

// Rows of bodies two blocks ahead, and blocks farther ahead into the second cache.
DRUBBLE_INLINE void prefetch(const BlockRange& r, std::size_t n) {
  constexpr std::size_t kAhead = 4, kFar = 8;
  if (n + kFar < r.count) {
    // Those of a colour are sorted by their points: most have as many as this one.
    const ContactBlock& now = r.blocks[n];
    const auto* p = reinterpret_cast<const char*>(r.blocks + n + kFar);
    const std::size_t points = offsetof(ContactBlock, point) + now.points * sizeof(PointRow);
    for (std::size_t k = 0; k < points; k += 64) __builtin_prefetch(p + k, 1, 2);
    for (std::size_t k = offsetof(ContactBlock, middle_a); k < sizeof(ContactBlock); k += 64)
      __builtin_prefetch(p + k, 1, 2);
    if (r.extras != nullptr) {
      const auto* e = reinterpret_cast<const char*>(r.extras + n + kFar);
      for (std::size_t k = now.uses != 0 ? 0 : offsetof(BlockExtra, pull); k < sizeof(BlockExtra); k += 64)
        __builtin_prefetch(e + k, 1, 2);
    }
  }
  if (n + kAhead < r.count) {
    const ContactBlock& c = r.blocks[n + kAhead];
    for (int i = 0; i < 8; ++i) {
      __builtin_prefetch(r.rows + c.body_a[i], 1, 3);
      __builtin_prefetch(r.rows + c.body_b[i], 1, 3);
    }
  }
}

template <bool extra, bool push_out, bool measured, bool moved>
float sweepRange(const BlockRange& r, float inverse_dt, bool backward) {
  f8 worst(0.0f);
  const f8 rate(inverse_dt);
  std::size_t n = 0;
  if (r.apart) {
    for (; n + 2 <= r.count; n += 2) {
      prefetch(r, n);
      prefetch(r, n + 1);
      solveSideBySide<2, extra, push_out, measured, moved>(r, n, rate, backward, worst);
    }
  }
  for (std::size_t k = n; k < r.count; ++k)
    solveSideBySide<1, extra, push_out, measured, moved>(r, backward ? r.count - 1 - (k - n) : k, rate,
                                                         backward, worst);
  if (!measured) return 0;
  alignas(32) float lanes[8];
  store8(lanes, worst);
  float most = 0;
  for (int i = 0; i < 8; ++i) most = lanes[i] > most ? lanes[i] : most;
  return most;
}

template <bool extra, bool push_out, bool measured>
DRUBBLE_INLINE float sweepMoved(const BlockRange& r, const Sweep& s) {
  return s.moved ? sweepRange<extra, push_out, measured, true>(r, s.inverse_dt, s.backward)
                 : sweepRange<extra, push_out, measured, false>(r, s.inverse_dt, s.backward);
}

template <bool measured>
DRUBBLE_INLINE float sweepAny(const BlockRange& r, const Sweep& s) {
  if (r.extras != nullptr)
    return s.pass == Pass::PushOut ? sweepMoved<true, true, measured>(r, s)
                                   : sweepMoved<true, false, measured>(r, s);
  return s.pass == Pass::PushOut ? sweepMoved<false, true, measured>(r, s)
                                 : sweepMoved<false, false, measured>(r, s);
}

inline void sweep(const BlockRange& r, const Sweep& s) { sweepAny<false>(r, s); }
inline float measuredSweep(const BlockRange& r, const Sweep& s) { return sweepAny<true>(r, s); }

template <bool extra>
DRUBBLE_INLINE void giveOne(const BlockRange& r, std::size_t n, const Row8* const row[Impulses::kCount]) {
  const ContactBlock& c = r.blocks[n];
  const BlockExtra* e = extra ? r.extras + n : nullptr;
  Body8 a, b;
  loadBody(r.rows, c.body_a, a);
  loadBody(r.rows, c.body_b, b);
  const Body8 a_before = a, b_before = b;
  const v8 normal = read(c.normal), along = read(c.along), across = acrossOf(c);
  f8 load(0.0f);
  v8 by_arm{load, load, load};
  for (std::uint32_t k = 0; k < c.points; ++k) {
    const f8 impulse = read(*row[k]);
    load = load + impulse;
    by_arm = by_arm + read(c.point[k].arm) * impulse;
  }
  const Lever8 lever = leverOf<extra>(c, e);
  push<extra>(
      c, e, a, b, lever.a, lever.b,
      normal * load + (along * read(*row[Impulses::kAlong]) + across * read(*row[Impulses::kAcross])));
  v8 moment = cross(by_arm, normal) + normal * read(*row[Impulses::kTwist]);
  if (extra)
    moment = moment + along * read(*row[Impulses::kRollAlong]) + across * read(*row[Impulses::kRollAcross]);
  turn(c, a, b, moment);
  storeBodies(r, c, a_before, b_before, a, b);
}

// `rows_of(n, row)` tells where block n's impulses stand.
template <class RowsOf>
DRUBBLE_INLINE void giveAll(const BlockRange& r, RowsOf rows_of) {
  for (std::size_t n = 0; n < r.count; ++n) {
    const Row8* row[Impulses::kCount];
    prefetch(r, n);
    rows_of(n, row);
    if (r.extras != nullptr)
      giveOne<true>(r, n, row);
    else
      giveOne<false>(r, n, row);
  }
}

inline void warmStart(const BlockRange& r) {
  giveAll(r, [&](std::size_t n, const Row8** row) {
    const ContactBlock& c = r.blocks[n];
    for (int k = 0; k < 4; ++k) row[k] = &c.point[k].impulse;
    row[Impulses::kAlong] = &c.impulse_along;
    row[Impulses::kAcross] = &c.impulse_across;
    row[Impulses::kTwist] = &c.impulse_twist;
    if (r.extras == nullptr) return;
    row[Impulses::kRollAlong] = &r.extras[n].impulse_roll_along;
    row[Impulses::kRollAcross] = &r.extras[n].impulse_roll_across;
  });
}

inline void give(const BlockRange& r, const Impulses* impulses) {
  giveAll(r, [&](std::size_t n, const Row8** row) {
    for (int k = 0; k < Impulses::kCount; ++k) row[k] = &impulses[n].row[k];
  });
}

constexpr solve::Kernel kKernel = {sweep, measuredSweep, finish, warmStart, give, turnFour, mayMeet};

}  // namespace drubble::DRUBBLE_LANES
