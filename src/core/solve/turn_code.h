// SPDX-License-Identifier: Apache-2.0
// How a free body turns (flight.h), for numbers of any kind: one double, or a lane of them a body. The same
// operations in the same order: a body's bits are the same in company and alone.
#pragma once

#ifndef DRUBBLE_INLINE
#define DRUBBLE_INLINE inline
#endif

namespace drubble::solve::turning {

DRUBBLE_INLINE double root(double x) { return __builtin_sqrt(x); }

template <class N>
struct Vector {
  N x, y, z;
};
template <class N>
struct Rotation {  // vector and real part
  Vector<N> v;
  N w;
};

template <class N>
DRUBBLE_INLINE Vector<N> operator+(Vector<N> a, Vector<N> b) {
  return {a.x + b.x, a.y + b.y, a.z + b.z};
}
template <class N>
DRUBBLE_INLINE Vector<N> operator*(N s, Vector<N> a) {
  return {s * a.x, s * a.y, s * a.z};
}
template <class N>
DRUBBLE_INLINE Vector<N> each(Vector<N> a, Vector<N> b) {
  return {a.x * b.x, a.y * b.y, a.z * b.z};
}
template <class N>
DRUBBLE_INLINE N dot(Vector<N> a, Vector<N> b) {
  return a.x * b.x + (a.y * b.y + a.z * b.z);
}
template <class N>
DRUBBLE_INLINE Vector<N> cross(Vector<N> a, Vector<N> b) {
  return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
template <class N>
DRUBBLE_INLINE Rotation<N> back(const Rotation<N>& q) {
  return {{-q.v.x, -q.v.y, -q.v.z}, q.w};
}
template <class N>
DRUBBLE_INLINE Rotation<N> operator*(const Rotation<N>& a, const Rotation<N>& b) {
  return {{a.w * b.v.x + a.v.x * b.w + a.v.y * b.v.z - a.v.z * b.v.y,
           a.w * b.v.y + a.v.y * b.w + a.v.z * b.v.x - a.v.x * b.v.z,
           a.w * b.v.z + a.v.z * b.w + a.v.x * b.v.y - a.v.y * b.v.x},
          a.w * b.w - a.v.x * b.v.x - a.v.y * b.v.y - a.v.z * b.v.z};
}
template <class N>
DRUBBLE_INLINE Vector<N> operator*(const Rotation<N>& q, Vector<N> v) {
  const Vector<N> t = cross(q.v, v), twice = t + t;
  return v + q.w * twice + cross(q.v, twice);
}
// Of any length but 0.
template <class N>
DRUBBLE_INLINE Rotation<N> unit(const Rotation<N>& q) {
  const N length = root((q.v.x * q.v.x + q.v.y * q.v.y) + (q.v.z * q.v.z + q.w * q.w));
  return {{q.v.x / length, q.v.y / length, q.v.z / length}, q.w / length};
}

// tan(angle/2) / angle for small angles, as a series in angle squared.
template <class N>
DRUBBLE_INLINE N halfTangentShare(N x) {
  return N(0.5) +
         x * (N(1.0 / 24) +
              x * (N(1.0 / 240) + x * (N(17.0 / 40320) + x * (N(31.0 / 725760) + x * N(691.0 / 159667200)))));
}

// The rotation by `angle` times any length: its axis times tan(angle/2) is the vector part (Cayley).
template <class N>
DRUBBLE_INLINE Rotation<N> longTurnBy(Vector<N> angle) {
  return {halfTangentShare(dot(angle, angle)) * angle, N(1.0)};
}

template <class N>
DRUBBLE_INLINE void turnEvenly(N dt, Rotation<N>& turn, Vector<N> spin) {
  turn = unit(unit(longTurnBy(dt * spin)) * turn);
}

// A top with two equal moments goes round its momentum and about its own axis, both evenly: exact.
template <class N>
DRUBBLE_INLINE void turnTop(N dt, Vector<N> own_axis, N moment_along, N moment_across, Rotation<N>& turn,
                            Vector<N>& spin) {
  const Vector<N> axis = turn * own_axis;
  const Vector<N> momentum = moment_across * spin + ((moment_along - moment_across) * dot(axis, spin)) * axis;
  const N across = N(1.0) / moment_across, more = N(1.0) / moment_along - across;
  turn = unit(longTurnBy((dt * across) * momentum) *
              (longTurnBy((dt * more * dot(axis, momentum)) * axis) * turn));
  const Vector<N> now = turn * own_axis;
  spin = across * momentum + (more * dot(now, momentum)) * now;
}

// Turns the frame by the angle that momentum about the principal axis k gives in dt, and the momentum the
// other way; i and j are the next axes. The frame's length grows: it is for the caller to norm, once.
template <class N>
DRUBBLE_INLINE void turnAboutPrincipal(N dt, N inverse_moment, N& frame_i, N& frame_j, N& frame_k, N& frame_w,
                                       N& momentum_i, N& momentum_j, N momentum_k) {
  const N one(1.0), angle = dt * momentum_k * inverse_moment;
  const N t = angle * halfTangentShare(angle * angle), share = one / (one + t * t);
  const N cosine = (one - t * t) * share, sine = N(2.0) * t * share;
  const N at_i = momentum_i, at_j = momentum_j;
  momentum_i = cosine * at_i + sine * at_j;
  momentum_j = cosine * at_j - sine * at_i;
  const N i = frame_i, j = frame_j, k = frame_k, w = frame_w;
  frame_w = w - t * k;
  frame_i = i + t * j;
  frame_j = j - t * i;
  frame_k = k + t * w;
}

template <class N>
DRUBBLE_INLINE void turnAny(N dt, const Rotation<N>& principal, Vector<N> moments, Rotation<N>& turn,
                            Vector<N>& spin) {
  const N one(1.0), half = N(0.5) * dt;
  const Vector<N> inverse{one / moments.x, one / moments.y, one / moments.z};
  Rotation<N> f = turn * principal;
  Vector<N> m = each(back(f) * spin, moments);
  const Vector<N> momentum_world = f * m;
  turnAboutPrincipal(half, inverse.x, f.v.y, f.v.z, f.v.x, f.w, m.y, m.z, m.x);
  turnAboutPrincipal(half, inverse.y, f.v.z, f.v.x, f.v.y, f.w, m.z, m.x, m.y);
  turnAboutPrincipal(dt, inverse.z, f.v.x, f.v.y, f.v.z, f.w, m.x, m.y, m.z);
  turnAboutPrincipal(half, inverse.y, f.v.z, f.v.x, f.v.y, f.w, m.z, m.x, m.y);
  turnAboutPrincipal(half, inverse.x, f.v.y, f.v.z, f.v.x, f.w, m.y, m.z, m.x);
  f = unit(f);
  // The world's momentum is taken from before, so that rounding does not add up in it.
  spin = f * each(back(f) * momentum_world, inverse);
  turn = unit(f * back(principal));
}

// From `start` to `now`, but for the turning about an axis of the body's own.
template <class N>
DRUBBLE_INLINE Rotation<N> turnOfAxis(const Rotation<N>& start, const Rotation<N>& now, Vector<N> own_axis) {
  const Vector<N> from = start * own_axis, to = now * own_axis;
  return unit(Rotation<N>{cross(from, to), N(1.0) + dot(from, to)});
}

}  // namespace drubble::solve::turning
