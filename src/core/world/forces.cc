// SPDX-License-Identifier: Apache-2.0
// What pushes pieces without touching them.
//
// A force is found for every piece by itself, also of a cluster, so that it can break what bonds hold; a body
// has the sum of its pieces'. What drags is taken implicitly: it never turns a motion round.
#include <algorithm>

#include "core/solve/flight.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr double kAir = 1.2;         // kg/m3
constexpr double kDragOf = 1;        // of a blunt thing
constexpr double kForceShare = 0.1;  // of the weight: a change that wakes
constexpr std::size_t kPushedWorthAThread = 256;

}  // namespace

// m2, of the three sides of a body's axes: what is convex shows so much of itself along each.
Vec3 facesOf(const mesh::TriangleMesh& m) {
  Vec3 out = Vec3::Zero();
  for (const auto& t : m.triangles) {
    const Vec3 &a = m.vertices[t[0]], &b = m.vertices[t[1]], &c = m.vertices[t[2]];
    out += 0.25 * (b - a).cross(c - a).cwiseAbs();
  }
  return out;
}

// N and 1/s, a piece, for a moment: what pushes it, and what takes its spin.
void World::findPushes(double frame, double h) {
  pushes_.clear();
  spin_drags_.clear();
  const auto on = [&](const act::Force& f) { return f.on(frame); };
  if (std::none_of(scene_.forces.begin(), scene_.forces.end(), on)) return;
  pushes_.assign(motion_.size(), Vec3::Zero());
  const double seconds = scene_.secondsAt(frame);
  for (const act::Force& f : scene_.forces) {
    if (!f.on(frame)) continue;
    const double begun = scene_.secondsAt(f.from < scene_.first_frame ? scene_.first_frame : f.from);
    const double span = f.as == act::ForceUnit::Impulse ? scene_.secondsAt(f.to) - begun : 1;
    if (f.kind == act::ForceKind::Drag) spin_drags_.resize(motion_.size(), 0);
    team_.share(f.who.size(), kPushedWorthAThread, [&](std::size_t, std::size_t begin, std::size_t end) {
      for (std::size_t n = begin; n < end; ++n) {
        const std::size_t i = f.who[n].index();
        const Sleep state = sleep_[i];
        if (!own_[i] || state == Sleep::Unborn || (state == Sleep::Held && !f.wakes_held)) continue;
        pushes_[i] += pushOf(f, i, frame, seconds, begun, span, h);
        if (f.kind == act::ForceKind::Drag) spin_drags_[i] += f.spin;
      }
    });
  }
}

Vec3 World::pushOf(const act::Force& f, std::size_t i, double frame, double seconds, double begun,
                   double span, double h) const {
  const Prototype& p = scene_.prototypeOf(i);
  const double mass = p.traits.mass();
  const Vec3& velocity = motion_.velocity[i];
  if (f.kind == act::ForceKind::Drag) {
    if (f.box && !f.box->contains(motion_.position[i])) return Vec3::Zero();
    const double rate = f.strengthAt(frame) * (f.linear + f.quadratic * velocity.norm());
    return -mass * rate / (1 + rate * h) * velocity;
  }
  const Vec3 field = act::fieldAt(f, motion_.position[i], frame, seconds, begun);
  switch (f.as) {
    case act::ForceUnit::Acceleration:
      return mass * field;
    case act::ForceUnit::Force:
      return field;
    case act::ForceUnit::Impulse:
      return span > 0 ? Vec3(field / span) : Vec3(Vec3::Zero());
    case act::ForceUnit::Air:
      break;
  }
  const Vec3 past = field - velocity;
  const double speed = past.norm();
  if (!(speed > 0)) return Vec3::Zero();
  const Vec3 body = (motion_.turn[i].conjugate() * past).cwiseAbs() / speed;
  const double rate = 0.5 * kAir * kDragOf * body.dot(faces_[scene_.pieces[i].prototype.index()]) * speed;
  return rate / (1 + rate * h / mass) * past;
}

// What sleeps wakes when what pushes it is another than when it fell asleep.
void World::wakeForPushes() {
  if (scene_.forces.empty()) return;
  for (std::uint32_t i = 0; i < sleep_.size(); ++i) {
    const bool held = sleep_[i] == Sleep::Held;
    if (sleep_[i] != Sleep::Asleep && !held) continue;
    const Vec3 now = pushes_.empty() ? Vec3(Vec3::Zero()) : pushes_[i];
    const double weight =
        scene_.prototypeOf(i).traits.mass() * (scene_.gravity.norm() + restSpeedOf(i) / 0.1);
    if ((now - asleep_pushes_[i]).norm() > kForceShare * weight) wake(i);
  }
}

// Of the bodies that move, in their order; empty: nothing is pushed.
std::vector<solve::BodyPush> World::bodyPushes(double h) const {
  std::vector<solve::BodyPush> out;
  if (pushes_.empty()) return out;
  out.resize(active_.size());
  const auto dragOf = [&](std::size_t i) { return spin_drags_.empty() ? 0 : spin_drags_[i]; };
  for (std::size_t k = 0; k < active_.size(); ++k) {
    const std::uint32_t id = active_[k];
    const solve::Traits& t = traits_[id];
    if (!t.dynamic) continue;
    Vec3 force = Vec3::Zero(), torque = Vec3::Zero();
    double drag = 0;
    if (id < scene_.pieces.size()) {
      force = pushes_[id];
      drag = dragOf(id);
    } else {
      const Cluster& c = clusters_[id - scene_.pieces.size()];
      for (const std::uint32_t i : c.pieces) {
        force += pushes_[i];
        torque += (motion_.position[i] - c.pose.position).cross(pushes_[i]);
        drag += dragOf(i) * scene_.prototypeOf(i).traits.mass() / t.mass();
      }
    }
    out[k].acceleration = t.free_travel.cwiseProduct(t.inverse_mass * force);
    out[k].spin =
        solve::inverseInertiaWorld(t, motion_.turn[id]) * torque - drag / (1 + drag * h) * motion_.spin[id];
  }
  return out;
}

// J: what the pushes did in the substep that was committed.
void World::countPushes() {
  if (pushes_.empty()) return;
  for (const std::uint32_t i : moved_)
    work_ += pushes_[i].dot(motion_.position[i] - looked_from_.position[i]);
}

// m/s2, at most, of gravity and pushes.
double World::pullOn(std::size_t i) const {
  const double gravity = scene_.gravity.norm();
  return pushes_.empty() || i >= pushes_.size() ? gravity
                                                : gravity + traits_[i].inverse_mass * pushes_[i].norm();
}

}  // namespace drubble::world
