// SPDX-License-Identifier: Apache-2.0
// How free bodies turn, four at a time: spinFreely and touchTurn (flight.h), operation by operation, so that
// a body's bits are the same in company and alone.
#pragma once
#include "core/base/lanes4.h"
#include "core/solve/kernel_rows.h"

namespace drubble::DRUBBLE_LANES {

struct dv4 {
  d4 x, y, z;
};
struct q4 {  // a rotation: vector and real part
  dv4 v;
  d4 w;
};

DRUBBLE_INLINE dv4 operator+(dv4 a, dv4 b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
DRUBBLE_INLINE dv4 operator*(d4 s, dv4 a) { return {s * a.x, s * a.y, s * a.z}; }
DRUBBLE_INLINE dv4 each(dv4 a, dv4 b) { return {a.x * b.x, a.y * b.y, a.z * b.z}; }
DRUBBLE_INLINE d4 dot(dv4 a, dv4 b) { return a.x * b.x + (a.y * b.y + a.z * b.z); }
DRUBBLE_INLINE dv4 cross(dv4 a, dv4 b) {
  return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
DRUBBLE_INLINE q4 back(const q4& q) { return {{-q.v.x, -q.v.y, -q.v.z}, q.w}; }
DRUBBLE_INLINE q4 operator*(const q4& a, const q4& b) {
  return {{a.w * b.v.x + a.v.x * b.w + a.v.y * b.v.z - a.v.z * b.v.y,
           a.w * b.v.y + a.v.y * b.w + a.v.z * b.v.x - a.v.x * b.v.z,
           a.w * b.v.z + a.v.z * b.w + a.v.x * b.v.y - a.v.y * b.v.x},
          a.w * b.w - a.v.x * b.v.x - a.v.y * b.v.y - a.v.z * b.v.z};
}
DRUBBLE_INLINE dv4 operator*(const q4& q, dv4 v) {
  const dv4 t = cross(q.v, v), twice = t + t;
  return v + q.w * twice + cross(q.v, twice);
}
// Of any length but 0.
DRUBBLE_INLINE q4 unit(const q4& q) {
  const d4 length = root((q.v.x * q.v.x + q.v.y * q.v.y) + (q.v.z * q.v.z + q.w * q.w));
  return {{q.v.x / length, q.v.y / length, q.v.z / length}, q.w / length};
}

DRUBBLE_INLINE dv4 load3(const double (&from)[3][4]) {
  return {load4(from[0]), load4(from[1]), load4(from[2])};
}
DRUBBLE_INLINE q4 loadTurn(const double (&from)[4][4]) {
  return {{load4(from[0]), load4(from[1]), load4(from[2])}, load4(from[3])};
}
DRUBBLE_INLINE void storeTurn(double (&to)[4][4], const q4& q) {
  store4(to[0], q.v.x), store4(to[1], q.v.y), store4(to[2], q.v.z), store4(to[3], q.w);
}

// tan(angle/2) / angle for small angles, as a series in angle squared.
DRUBBLE_INLINE d4 halfTangentShare(d4 x) {
  return d4(0.5) +
         x * (d4(1.0 / 24) + x * (d4(1.0 / 240) + x * (d4(17.0 / 40320) +
                                                       x * (d4(31.0 / 725760) + x * d4(691.0 / 159667200)))));
}

// The rotation by `angle` times any length.
DRUBBLE_INLINE q4 longTurnBy(dv4 angle) {
  const d4 share = halfTangentShare(dot(angle, angle));
  return {{angle.x * share, angle.y * share, angle.z * share}, d4(1.0)};
}

DRUBBLE_INLINE void turnEvenly(q4& turn, dv4 spin, d4 dt) {
  turn = unit(unit(longTurnBy({spin.x * dt, spin.y * dt, spin.z * dt})) * turn);
}

DRUBBLE_INLINE void turnTop(const Turns4& t, q4& turn, dv4& spin, d4 dt) {
  const dv4 own = load3(t.axis), axis = turn * own;
  const d4 moment_across = load4(t.across), moment_along = load4(t.along), one(1.0);
  const dv4 momentum = moment_across * spin + ((moment_along - moment_across) * dot(axis, spin)) * axis;
  const d4 across = one / moment_across, more = one / moment_along - across;
  turn = unit(longTurnBy((dt * across) * momentum) *
              (longTurnBy((dt * more * dot(axis, momentum)) * axis) * turn));
  const dv4 now = turn * own;
  spin = across * momentum + (more * dot(now, momentum)) * now;
}

// turnAboutPrincipal of flight.cc: of v the third component is that about which it goes.
DRUBBLE_INLINE void turnAbout(d4 dt, d4 inverse, d4& v_i, d4& v_j, d4& v_k, d4& w, d4& at_i, d4& at_j,
                              d4 at_k) {
  const d4 one(1.0), angle = dt * at_k * inverse;
  const d4 t = angle * halfTangentShare(angle * angle), share = one / (one + t * t);
  const d4 cosine = (one - t * t) * share, sine = d4(2.0) * t * share;
  const d4 i = at_i, j = at_j;
  at_i = cosine * i + sine * j;
  at_j = cosine * j - sine * i;
  const d4 a = v_i, b = v_j, c = v_k, real = w;
  w = real - t * c;
  v_i = a + t * b;
  v_j = b - t * a;
  v_k = c + t * real;
}

DRUBBLE_INLINE void turnAny(const Turns4& b, q4& turn, dv4& spin, d4 dt) {
  const q4 principal = loadTurn(b.principal);
  const dv4 moments = load3(b.moments);
  const d4 one(1.0), half = d4(0.5) * dt;
  const dv4 inverse{one / moments.x, one / moments.y, one / moments.z};
  q4 f = turn * principal;
  dv4 m = each(back(f) * spin, moments);
  const dv4 world = f * m;
  turnAbout(half, inverse.x, f.v.y, f.v.z, f.v.x, f.w, m.y, m.z, m.x);
  turnAbout(half, inverse.y, f.v.z, f.v.x, f.v.y, f.w, m.z, m.x, m.y);
  turnAbout(dt, inverse.z, f.v.x, f.v.y, f.v.z, f.w, m.x, m.y, m.z);
  turnAbout(half, inverse.y, f.v.z, f.v.x, f.v.y, f.w, m.z, m.x, m.y);
  turnAbout(half, inverse.x, f.v.y, f.v.z, f.v.x, f.w, m.y, m.z, m.x);
  f = unit(f);
  spin = f * each(back(f) * world, inverse);
  turn = unit(f * back(principal));
}

inline void turnFour(Turns4& t, double seconds) {
  q4 turn = loadTurn(t.turn);
  dv4 spin = load3(t.spin);
  const d4 dt(seconds);
  if (t.kind == TurnKind::Even) {
    turnEvenly(turn, spin, dt);
  } else {
    if (t.kind == TurnKind::Top)
      turnTop(t, turn, spin, dt);
    else
      turnAny(t, turn, spin, dt);
    store4(t.spin[0], spin.x), store4(t.spin[1], spin.y), store4(t.spin[2], spin.z);
  }
  storeTurn(t.turn, turn);
  const q4 start = loadTurn(t.start);
  if (!t.round_axis_only) {
    storeTurn(t.turned, turn * back(start));
    return;
  }
  const dv4 own = load3(t.round_axis), from = start * own, to = turn * own;
  storeTurn(t.turned, unit({cross(from, to), d4(1.0) + dot(from, to)}));
}

}  // namespace drubble::DRUBBLE_LANES
