// SPDX-License-Identifier: Apache-2.0
// How finely time is cut.
#include <algorithm>
#include <cmath>

#include "core/solve/spring.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

// Limits of what may happen within one substep, for a piece on its own and for one that is in touch with
// others: geometry is looked at once a substep, and must not have changed much by its end.
constexpr double kFreeTravel = 1.5;   // of the inner radius
constexpr double kTouchTravel = 0.3;  // of the inner radius
constexpr double kBendTravel = 0.5;   // of the inner radius: what a bending surface may come nearer
constexpr int kMostSubsteps = 128;
constexpr int kMostIterations = 8;

// How fast its outside changes place by turning: something round looks the same however it turns about its
// axis.
double rimSpeed(const solve::Traits& t, const Quat& turn, const Vec3& spin) {
  if (t.roundness == shape::Roundness::Ball) return 0;
  const bool axis = t.roundness == shape::Roundness::Axis;
  return (axis ? (turn * t.round_axis).cross(spin) : spin).norm() * t.outer_radius;
}

// The most that any contact of a piece bears, in weights of the piece: what stands on it comes to.
std::vector<double> loadsBorne(const World& w) {
  std::vector<double> borne(w.motion().size(), 1);
  for (const solve::Contact& c : w.contacts())
    for (const PieceId p : {c.a, c.b})
      if (const double weight = w.traits()[p.index()].weight; weight > 0)
        borne[p.index()] = greatest(borne[p.index()], static_cast<double>(c.totalForce()) / weight);
  return borne;
}

// How fast touching pieces move past each other, a piece. Over a plane geometry stays as it is however fast
// the motion, but for an ellipsoid that rolls.
std::vector<double> touchSpeeds(const World& w) {
  std::vector<double> speeds(w.motion().size(), 0);
  for (const solve::Contact& c : w.contacts()) {
    const std::size_t a = c.a.index(), b = c.b.index();
    const shape::Kind ka = w.scene().prototypeOf(a).shape.kind, kb = w.scene().prototypeOf(b).shape.kind;
    const bool on_plane = ka == shape::Kind::Plane || kb == shape::Kind::Plane;
    if (on_plane && ka != shape::Kind::Ellipsoid && kb != shape::Kind::Ellipsoid) continue;
    double speed = on_plane ? 0 : (w.motion().velocity[a] - w.motion().velocity[b]).norm();
    speed += w.bendSpeed(a) + w.bendSpeed(b);
    for (const std::size_t i : {a, b})
      if (w.traits()[i].dynamic) speed += rimSpeed(w.traits()[i], w.motion().turn[i], w.motion().spin[i]);
    for (const std::size_t i : {a, b}) speeds[i] = greatest(speeds[i], speed);
  }
  return speeds;
}

// The fastest surface of a bending mesh that may come by within the frame, a piece.
std::vector<double> bendSpeeds(const World& w) {
  const Scene& s = w.scene();
  std::vector<double> speeds(w.motion().size(), 0);
  for (const std::uint32_t j : w.bendingPieces()) {
    const double speed = w.bendSpeed(j);
    if (speed == 0) continue;
    const Box box = shape::boundsAt(w.shapeOf(j), w.motion().pose(j)).grown(speed * s.frameSeconds());
    for (std::size_t i = 0; i < speeds.size(); ++i)
      if (w.sleepOf(i) == Sleep::Awake &&
          box.grown(w.traits()[i].outer_radius).contains(w.motion().position[i]))
        speeds[i] = greatest(speeds[i], speed);
  }
  return speeds;
}

}  // namespace

Steps chooseSteps(const World& w) {
  const Scene& s = w.scene();
  const double frame = s.frameSeconds(), gravity = s.gravity.norm();
  const std::vector<double> touch = touchSpeeds(w), borne = loadsBorne(w), bends = bendSpeeds(w);
  double wanted = 2, internal = 2;
  for (std::size_t i = 0; i < touch.size(); ++i) {
    if (w.sleepOf(i) != Sleep::Awake) continue;
    const solve::Traits& t = w.traits()[i];
    const double travel = w.motion().velocity[i].norm() * frame;
    wanted = greatest(wanted, (travel + gravity * frame * frame) / (kFreeTravel * t.inner_radius));
    wanted = greatest(wanted, bends[i] * frame / (kBendTravel * t.inner_radius));
    wanted = greatest(wanted, touch[i] * frame / (kTouchTravel * t.inner_radius));
    if (gravity > 0)
      internal = greatest(internal, frame * solve::stepsForRate(t.spring_rate) * solve::stiffening(borne[i]));
  }
  wanted = greatest(wanted, internal / kMostIterations);
  int n = 2;
  while (n < wanted && n < kMostSubsteps) n *= 2;
  Steps out;
  const int scaled = static_cast<int>(n * s.solver.quality + 0.5);
  out.substeps = s.solver.substeps > 0 ? s.solver.substeps : (scaled < 2 ? 2 : scaled);
  // Fewer substeps look at geometry less often; springs are followed as closely as ever.
  const double steps = std::ceil(internal / least(n, out.substeps));
  out.iterations = s.solver.iterations > 0 ? s.solver.iterations
                                           : static_cast<int>(clamped(steps, 2, 2 * kMostIterations));
  return out;
}

}  // namespace drubble::world
