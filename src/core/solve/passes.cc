// SPDX-License-Identifier: Apache-2.0
#include "core/solve/passes.h"

namespace drubble::solve {

namespace {

struct Body8 {
  v8 velocity, spin;
};
struct Place8 {
  v8 moved, turned;
  f8 turned_w;
};

using Indices = std::array<std::uint32_t, kLanes>;

f8 gather(const std::vector<BodyRow>& rows, const Indices& at, std::size_t field) {
  alignas(32) float x[kLanes];
  for (std::size_t i = 0; i < kLanes; ++i) x[i] = reinterpret_cast<const float*>(&rows[at[i]])[field];
  return load8(x);
}

v8 gather3(const std::vector<BodyRow>& rows, const Indices& at, std::size_t field) {
  return {gather(rows, at, field), gather(rows, at, field + 1), gather(rows, at, field + 2)};
}

Body8 loadBody(const std::vector<BodyRow>& rows, const Indices& at) {
  return {gather3(rows, at, 0), gather3(rows, at, 3)};
}

Place8 loadPlace(const std::vector<BodyRow>& rows, const Indices& at) {
  return {gather3(rows, at, 6), gather3(rows, at, 9), gather(rows, at, 12)};
}

// Body 0 never changes: nothing is written to it.
void storeBody(std::vector<BodyRow>& rows, const Indices& at, const Body8& b) {
  alignas(32) float x[6][kLanes];
  store8(x[0], b.velocity.x);
  store8(x[1], b.velocity.y);
  store8(x[2], b.velocity.z);
  store8(x[3], b.spin.x);
  store8(x[4], b.spin.y);
  store8(x[5], b.spin.z);
  for (std::size_t i = 0; i < kLanes; ++i) {
    if (at[i] == 0) continue;
    BodyRow& row = rows[at[i]];
    for (std::size_t k = 0; k < 3; ++k) {
      row.velocity[k] = x[k][i];
      row.spin[k] = x[k + 3][i];
    }
  }
}

// How far the end of `arm` has come by the body's own turn.
v8 swung(const Place8& p, v8 arm) {
  const v8 t = cross(p.turned, arm) * f8(2.0f);
  return t * p.turned_w + cross(p.turned, t);
}

v8 pointVelocity(const Body8& b, v8 arm) { return b.velocity + cross(b.spin, arm); }

void push(const ContactBlock& c, Body8& a, Body8& b, v8 arm_a, v8 arm_b, v8 impulse) {
  a.velocity = a.velocity - scaled(impulse, c.inverse_mass_a);
  a.spin = a.spin - c.inverse_inertia_a * cross(arm_a, impulse);
  b.velocity = b.velocity + scaled(impulse, c.inverse_mass_b);
  b.spin = b.spin + c.inverse_inertia_b * cross(arm_b, impulse);
}

f8 clampAbout(f8 x, f8 limit) { return greatest(least(x, limit), -limit); }

// A moment against rolling, about both axes square to the normal.
void solveRolling(ContactBlock& c, Body8& a, Body8& b, f8 load) {
  const v8 turning = b.spin - a.spin;
  const f8 old_along = c.impulse_roll_along, old_across = c.impulse_roll_across;
  const f8 along = old_along - c.roll_mass_along * dot(turning, c.along);
  const f8 across = old_across - c.roll_mass_across * dot(turning, c.across);
  const f8 size = root(along * along + across * across), limit = c.roll_lever * load;
  const f8 scale = choose(size > limit, limit / greatest(size, f8(1e-30f)), f8(1.0f));
  c.impulse_roll_along = along * scale;
  c.impulse_roll_across = across * scale;
  const v8 moment =
      c.along * (c.impulse_roll_along - old_along) + c.across * (c.impulse_roll_across - old_across);
  a.spin = a.spin - c.inverse_inertia_a * moment;
  b.spin = b.spin + c.inverse_inertia_b * moment;
}

void solveFriction(ContactBlock& c, Body8& a, Body8& b) {
  f8 load = c.point[0].impulse;
  for (int k = 1; k < c.points; ++k) load = load + c.point[static_cast<std::size_t>(k)].impulse;
  if (c.sticks)
    for (int k = 0; k < c.points; ++k) load = load + c.pull;
  if (c.rolls) solveRolling(c, a, b, load);
  // Twist before slip, so that slip has the last word.
  const f8 twist_limit = c.twist_lever * load;
  const f8 turning = dot(c.normal, b.spin - a.spin);
  const f8 old_twist = c.impulse_twist;
  c.impulse_twist = clampAbout(old_twist - c.twist_mass * turning, twist_limit);
  const v8 twist = c.normal * (c.impulse_twist - old_twist);
  a.spin = a.spin - c.inverse_inertia_a * twist;
  b.spin = b.spin + c.inverse_inertia_b * twist;

  const v8 slip = pointVelocity(b, c.friction_arm_b) - pointVelocity(a, c.friction_arm_a);
  const f8 s = dot(slip, c.along), t = dot(slip, c.across);
  const f8 old_along = c.impulse_along, old_across = c.impulse_across;
  const f8 along = old_along - (c.slip_xx * s + c.slip_xy * t);
  const f8 across = old_across - (c.slip_xy * s + c.slip_yy * t);
  const f8 size = root(along * along + across * across);
  const f8 limit = c.friction * load;
  const f8 scale = choose(size > limit, limit / greatest(size, f8(1e-30f)), f8(1.0f));
  c.impulse_along = along * scale;
  c.impulse_across = across * scale;
  push(c, a, b, c.friction_arm_a, c.friction_arm_b,
       c.along * (c.impulse_along - old_along) + c.across * (c.impulse_across - old_across));
}

// By how much a rolling ellipsoid's surface stays nearer than the material point that touched at first.
f8 bendOf(const ContactBlock& c, const Place8& a, const Place8& b) {
  const f8 ax = dot(a.turned, c.along), ay = dot(a.turned, c.across), bx = dot(b.turned, c.along),
           by = dot(b.turned, c.across);
  const f8 two(2.0f);
  // Turned about one axis the normal goes along the other; half of twice the quaternion's part, squared, is
  // two.
  return two * (c.bend_a_xx * ay * ay - two * c.bend_a_xy * ax * ay + c.bend_a_yy * ax * ax +
                c.bend_b_xx * by * by - two * c.bend_b_xy * bx * by + c.bend_b_yy * bx * bx);
}

template <Pass pass, bool measured>
void solveNormals(ContactBlock& c, Body8& a, Body8& b, const Place8& place_a, const Place8& place_b,
                  f8 inverse_dt, bool backward, f8& worst) {
  const v8 moved = place_b.moved - place_a.moved;
  const f8 bend = c.bends ? bendOf(c, place_a, place_b) : f8(0.0f);
  for (int k = 0; k < c.points; ++k) {
    PointRow& p = c.point[static_cast<std::size_t>(backward ? c.points - 1 - k : k)];
    const v8 shift = moved + swung(place_b, p.arm_b) - swung(place_a, p.arm_a);
    const f8 gap = p.gap + dot(shift, c.normal) - bend;
    const v8 arm_a = c.bends ? p.arm_a + c.lean_a : p.arm_a, arm_b = c.bends ? p.arm_b + c.lean_b : p.arm_b;
    const f8 speed = dot(pointVelocity(b, arm_b) - pointVelocity(a, arm_a), c.normal);
    // Apart: the gap may just close in this step. Overlapping: a soft spring pushes out.
    const f8 stop = greatest(gap, f8(0.0f)) * inverse_dt;
    f8 wanted = stop, mass = p.mass, keep = f8(1.0f);
    if constexpr (pass == Pass::PushOut) {
      const f8 ease = greatest(least(gap, f8(0.0f)) * c.bias_rate, -c.push_speed);
      const f8 share = greatest(least(f8(0.5f) - gap / c.blend, f8(1.0f)), f8(0.0f));  // 1: spring, 0: stop
      wanted = wanted + ease;
      mass = mass * (f8(1.0f) + share * (c.mass_scale - f8(1.0f)));
      keep = f8(1.0f) - share * c.impulse_scale;
    }
    const f8 old = p.impulse;
    const f8 floor = c.sticks ? choose(c.blend > gap, -c.pull, f8(0.0f)) : f8(0.0f);
    f8 now = greatest(old * keep - mass * (speed + wanted), floor);
    // What has not met yet is the next step's affair: settling must not brake it beforehand.
    if constexpr (pass == Pass::Settle)
      now = choose(greatest(gap, f8(0.0f)) > greatest(old, -old) * f8(1e30f), f8(0.0f), now);
    p.impulse = now;
    if constexpr (measured) {
      const f8 change = (now - old) / greatest(p.mass, f8(1e-30f));
      worst = greatest(worst, greatest(change, -change));
    }
    push(c, a, b, arm_a, arm_b, c.normal * (p.impulse - old));
  }
}

template <Pass pass, bool measured>
double sweepAll(std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows, f8 inverse_dt, bool backward) {
  f8 worst(0.0f);
  for (std::size_t n = 0; n < blocks.size(); ++n) {
    ContactBlock& c = blocks[backward ? blocks.size() - 1 - n : n];
    Body8 a = loadBody(rows, c.body_a), b = loadBody(rows, c.body_b);
    const Place8 place_a = loadPlace(rows, c.body_a), place_b = loadPlace(rows, c.body_b);
    solveFriction(c, a, b);
    solveNormals<pass, measured>(c, a, b, place_a, place_b, inverse_dt, backward, worst);
    storeBody(rows, c.body_a, a);
    storeBody(rows, c.body_b, b);
  }
  alignas(32) float lanes[kLanes];
  store8(lanes, worst);
  double most = 0;
  for (const float x : lanes) most = greatest(most, static_cast<double>(x));
  return most;
}

}  // namespace

void sweep(std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows, double dt, Pass pass) {
  if (pass == Pass::PushOut)
    sweepAll<Pass::PushOut, false>(blocks, rows, f8(static_cast<float>(1 / dt)), false);
  else
    sweepAll<Pass::Settle, false>(blocks, rows, f8(static_cast<float>(1 / dt)), false);
}

double measuredSweep(std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows, double dt, Pass pass,
                     bool backward) {
  if (pass == Pass::PushOut)
    return sweepAll<Pass::PushOut, true>(blocks, rows, f8(static_cast<float>(1 / dt)), backward);
  return sweepAll<Pass::Settle, true>(blocks, rows, f8(static_cast<float>(1 / dt)), backward);
}

void judgeSliding(std::vector<ContactBlock>& blocks) {
  for (ContactBlock& c : blocks) {
    if (!c.slips) continue;
    f8 load = c.point[0].impulse;
    for (int k = 1; k < c.points; ++k) load = load + c.point[static_cast<std::size_t>(k)].impulse;
    const f8 size = root(c.impulse_along * c.impulse_along + c.impulse_across * c.impulse_across);
    c.friction = choose(c.friction * load * f8(0.999f) > size, c.friction_rest, c.friction_slide);
  }
}

namespace {

void applyImpulses(const ContactBlock& c, const Impulses& x, std::vector<BodyRow>& rows) {
  Body8 a = loadBody(rows, c.body_a), b = loadBody(rows, c.body_b);
  for (std::size_t k = 0; k < static_cast<std::size_t>(c.points); ++k)
    push(c, a, b, c.bends ? c.point[k].arm_a + c.lean_a : c.point[k].arm_a,
         c.bends ? c.point[k].arm_b + c.lean_b : c.point[k].arm_b, c.normal * x.normal[k]);
  push(c, a, b, c.friction_arm_a, c.friction_arm_b, c.along * x.along + c.across * x.across);
  const v8 moment = c.normal * x.twist + c.along * x.roll_along + c.across * x.roll_across;
  a.spin = a.spin - c.inverse_inertia_a * moment;
  b.spin = b.spin + c.inverse_inertia_b * moment;
  storeBody(rows, c.body_a, a);
  storeBody(rows, c.body_b, b);
}

// Visits the nine impulses of a block beside those of `x`.
template <class Visit>
void eachImpulse(ContactBlock& c, Impulses& x, Visit visit) {
  for (std::size_t k = 0; k < 4; ++k) visit(c.point[k].impulse, x.normal[k]);
  visit(c.impulse_along, x.along);
  visit(c.impulse_across, x.across);
  visit(c.impulse_twist, x.twist);
  visit(c.impulse_roll_along, x.roll_along);
  visit(c.impulse_roll_across, x.roll_across);
}

double sumOf(f8 x) {
  alignas(32) float lanes[kLanes];
  store8(lanes, x);
  double sum = 0;
  for (const float v : lanes) sum += static_cast<double>(v);
  return sum;
}

}  // namespace

Impulses impulsesOf(const ContactBlock& c) {
  return {{c.point[0].impulse, c.point[1].impulse, c.point[2].impulse, c.point[3].impulse},
          c.impulse_along,
          c.impulse_across,
          c.impulse_twist,
          c.impulse_roll_along,
          c.impulse_roll_across};
}

int sweepUntil(std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows, double dt, Pass pass,
               double enough, int most) {
  if (most == 1) {
    sweep(blocks, rows, dt, pass);
    return 1;
  }
  std::vector<Impulses> before(blocks.size()), direction(blocks.size());
  double last = 0;
  for (int n = 1; n <= most; ++n) {
    for (std::size_t i = 0; i < blocks.size(); ++i) before[i] = impulsesOf(blocks[i]);
    if (measuredSweep(blocks, rows, dt, pass, n % 2 == 0) <= enough || n == most) return n;
    double change = 0;  // what the sweep did, squared; `before` becomes that change
    for (std::size_t i = 0; i < blocks.size(); ++i) {
      f8 squares(0.0f);
      eachImpulse(blocks[i], before[i], [&](f8& now, f8& old) {
        old = now - old;
        squares = squares + old * old;
      });
      change += sumOf(squares);
    }
    const bool restart = n == 1 || !(change < last);
    const f8 share(restart ? 0.0f : static_cast<float>(change / last));
    last = change;
    for (std::size_t i = 0; i < blocks.size(); ++i) {
      Impulses on{};
      if (restart) {
        direction[i] = before[i];
        continue;
      }
      std::size_t k = 0;
      std::array<f8, 9> steps;
      eachImpulse(blocks[i], direction[i], [&](f8& now, f8& d) {
        steps[k] = d * share;
        now = now + steps[k++];
      });
      for (std::size_t m = 0; m < 4; ++m) on.normal[m] = steps[m];
      on.along = steps[4], on.across = steps[5], on.twist = steps[6], on.roll_along = steps[7],
      on.roll_across = steps[8];
      applyImpulses(blocks[i], on, rows);
      k = 0;
      eachImpulse(blocks[i], before[i], [&](f8&, f8& g) { g = g + steps[k++]; });
      direction[i] = before[i];
    }
  }
  return most;
}

void warmStart(const std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows) {
  for (const ContactBlock& c : blocks) applyImpulses(c, impulsesOf(c), rows);
}

}  // namespace drubble::solve
