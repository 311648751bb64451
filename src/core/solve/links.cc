// SPDX-License-Identifier: Apache-2.0
#include "core/solve/links.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace drubble::solve {

namespace {

constexpr std::size_t kLinksWorthAThread = 256;

// Of the speed of a fall from a tenth of the size: slower contacts are calm.
constexpr double kCalm = 0.1;

// The square of how fast the touching points of a contact move past each other.
double squaredSpeed(const Contact& c, const ActiveBody& a, const ActiveBody& b) {
  double fastest = 0;
  for (std::size_t k = 0; k < c.patch.count; ++k) {
    const Vec3 p = c.patch.place(k);
    const Vec3 v = b.velocity + b.spin.cross(p - b.position) - a.velocity - a.spin.cross(p - a.position);
    fastest = greatest(fastest, v.squaredNorm());
  }
  return fastest;
}

constexpr double kDeep = 0.02;  // of the size
constexpr float kHeavier = 8;   // times the other's mass
constexpr float kLoaded = 4;    // of its weights
constexpr float kStacked = 24;  // of its weights

bool overlapsDeep(const Contact& c, double size) {
  return c.patch.count > 0 && c.patch.leastGap() < -kDeep * size;
}

// Impulses that go through something light reach the end of their way slowly.
bool squeezes(const Contact& c, const BodyBrief& a, const BodyBrief& b) {
  const float light = std::max(a.per_weight, b.per_weight), heavy = std::min(a.per_weight, b.per_weight);
  return heavy > 0 && light >= kHeavier * heavy && c.totalForce() * light >= kLoaded;
}

// So they do through a tall stack: a sweep takes them one piece farther, and what lands on top would sink in
// and be thrown back.
bool underStack(const Contact& c, const BodyBrief& a, const BodyBrief& b) {
  return c.patch.count >= kFace && c.totalForce() * std::max(a.per_weight, b.per_weight) >= kStacked;
}

bool needsExtra(const BlockInput& in, const Contact& c, const BodyBrief& a, const BodyBrief& b) {
  if (c.surfaces.adhesion > 0 || rolls(c) || c.surfaces.friction_rest != c.surfaces.friction_slide)
    return true;
  // Body 0 stands for many.
  const auto special = [&](PieceId p, const BodyBrief& brief) {
    if (in.body_of[p.index()] != 0) return brief.special;
    return !in.traits[p.index()].half_axes.isZero(0);
  };
  return special(c.a, a) || special(c.b, b);
}

// That no points of the two may meet fast enough to be hit within the substep, from what is known of the
// bodies alone: only ever true where Impacts would find none.
bool surelyMissed(const BodyBrief& a, const BodyBrief& b, double most, double h, double gravity) {
  double pull = 0;
  for (int k = 0; k < 3; ++k) {
    const double d = static_cast<double>(a.acceleration[k] - b.acceleration[k]);
    pull += d * d;
  }
  pull = 1.001 * std::sqrt(pull);
  const double slow = 0.499 * leastBounceSpeed(static_cast<double>(std::min(a.size, b.size)), gravity);
  return most * most + 3 * pull * (most + pull * h) * h < slow * slow;
}

void look(const BlockInput& in, const Contact& c, double gravity, Link& out) {
  const std::uint32_t ia = in.body_of[c.a.index()], ib = in.body_of[c.b.index()];
  const BodyBrief &a = (*in.briefs)[ia], &b = (*in.briefs)[ib];
  if (!a.fixed) out.a = ia;
  if (!b.fixed) out.b = ib;
  out.solved = (out.a != 0 && c.surfaces.unmoved != 1) || (out.b != 0 && c.surfaces.unmoved != 2);
  if (!out.solved) return;
  out.extra = needsExtra(in, c, a, b);
  const auto size = static_cast<double>(std::min(a.size, b.size));
  const double calm = kCalm * kCalm * 0.2 * gravity * size;
  const auto most = static_cast<double>(mostSpeed(a, b));
  out.missed = surelyMissed(a, b, most, in.substep, gravity);
  out.lively = !(most * most <= calm) && !(squaredSpeed(c, in.bodies[ia], in.bodies[ib]) <= calm);
  out.deep = overlapsDeep(c, size);
  out.pressed = squeezes(c, a, b) || underStack(c, a, b);
  out.rolling = rolls(c);
  out.two_frictions = c.surfaces.friction_rest != c.surfaces.friction_slide;
}

void colour(Links& links, std::size_t bodies) {
  std::vector<std::uint64_t> used(bodies, 0);
  for (Link& l : links) {
    // What nothing moves takes no colour: its velocity is written back as it was read.
    if (!l.solved) continue;
    const int c = std::countr_one((l.a == 0 ? 0 : used[l.a]) | (l.b == 0 ? 0 : used[l.b]));
    l.colour = static_cast<std::uint8_t>(c < kColours ? c : kOverflow);
    const auto taken = [&](std::uint32_t body) { return body == 0 ? 0 : std::popcount(used[body]); };
    l.crowd_b = c >= kColours && taken(l.b) > taken(l.a);
    if (c >= kColours) continue;
    used[l.a] |= std::uint64_t{1} << c;
    used[l.b] |= std::uint64_t{1} << c;
  }
}

}  // namespace

Links linksOf(const BlockInput& in, double gravity) {
  Links out(in.contacts.size());
  shareOrAlone(in.team, out.size(), kLinksWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) look(in, in.contacts[i], gravity, out[i]);
  });
  colour(out, in.bodies.size());
  return out;
}

}  // namespace drubble::solve
