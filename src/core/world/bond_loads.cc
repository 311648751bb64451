// SPDX-License-Identifier: Apache-2.0
// What presses on bonded pieces, and what pushes them.
#include <algorithm>
#include <cmath>

#include "core/collide/pairs.h"
#include "core/solve/flight.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr double kSpread = 2;     // cells: how far about it a contact presses
constexpr double kSwing = 0.1;    // of the weakest strength: what spinning asks less than that is no load
constexpr double kComing = 1e-6;  // of how fast the two go: what rounding may make of two that go together
constexpr double kShaken = 0.1;   // m/s2: a carrier that gathers less speed asks nothing

// What a piece (its place among the cluster's) leaves behind as it is carried along.
void addInertia(const Cluster& c, std::size_t n, const solve::Traits& t, const Carriage& carried,
                bond::Load& load) {
  const Quat to_body = c.pose.turn.conjugate();
  load.force -= t.mass() * (to_body * carried.accelerationAt(c.pose.toWorld(c.at[n].position)));
  const Mat3 axes = c.at[n].turn.toRotationMatrix(), inertia = axes * t.inertia * axes.transpose();
  const Vec3 spin = to_body * carried.spin;
  load.torque -= inertia * (to_body * carried.turning) + spin.cross(inertia * spin);
}

}  // namespace

// A force (N, world) at a place: on the piece and, the less the farther they lie, on those bonded to it.
void World::spread(const Cluster& c, std::uint32_t piece, const Vec3& place, const Vec3& force,
                   std::vector<bond::Load>& loads) const {
  const Vec3 at = c.pose.toBody(place), f = c.pose.turn.conjugate() * force;
  const std::uint32_t me = node_of_[piece];
  thread_local std::vector<std::pair<std::uint32_t, double>> some;
  some.clear();
  double cell = 0, near = 0;
  c.eachNeighbour(me, [&](std::uint32_t k) {
    cell += (c.at[k].position - c.at[me].position).norm();
    ++near;
  });
  if (near > 0) cell /= near;
  double sum = 1;
  some.push_back({me, 1});
  c.eachNeighbour(me, [&](std::uint32_t k) {
    const double weight = 1 - (c.at[k].position - at).norm() / (kSpread * cell);
    if (weight <= 0) return;
    some.push_back({k, weight});
    sum += weight;
  });
  for (const auto& [node, weight] : some) {
    const Vec3 part = weight / sum * f;
    loads[node].force += part;
    loads[node].torque += (at - c.at[node].position).cross(part);
  }
}

// The whole takes a share of the blow, and as much more as takes `energy` (J) out of how the two come at each
// other: a push p between them takes p v - p2 / 2m.
void World::shareBlow(const solve::Hit& hit, double share, double energy) {
  double impulse = share * hit.impulse, gives = 0;
  for (const PieceId i : {hit.a, hit.b}) gives += giveOf(i.index(), hit.place, hit.normal);
  const double speed = hit.speed - impulse * gives;
  if (energy > 0 && speed > 0 && gives > 0) {
    const double left = speed * speed - 2 * energy * gives;
    impulse += (speed - (left > 0 ? std::sqrt(left) : 0)) / gives;
  }
  impulse = least(impulse, hit.impulse);
  push(hit.a.index(), hit.place, -impulse * hit.normal);
  push(hit.b.index(), hit.place, impulse * hit.normal);
}

// m/s that a N s along `normal` gives the place where it strikes.
double World::giveOf(std::size_t i, const Vec3& place, const Vec3& normal) const {
  if (!awake(i) || !traits_[i].dynamic) return 0;
  const solve::Traits& t = bodyTraits(i);
  const Pose at = inFreeCluster(i) ? clusters_[cluster_of_[i]].pose : motion_.pose(i);
  const Vec3 lever = (place - at.position).cross(normal);
  return t.inverse_mass * normal.dot(t.free_travel.cwiseProduct(normal)) +
         lever.dot(solve::inverseInertiaWorld(t, at.turn) * lever);
}

// What is awake takes the impulse (N s) before the substep begins.
void World::push(std::size_t i, const Vec3& place, const Vec3& impulse) {
  if (!awake(i) || !traits_[i].dynamic) return;
  const auto take = [&](const solve::Traits& t, const Pose& at, Vec3& velocity, Vec3& spin) {
    velocity += t.inverse_mass * t.free_travel.cwiseProduct(impulse);
    spin += solve::inverseInertiaWorld(t, at.turn) * (place - at.position).cross(impulse);
  };
  if (!inFreeCluster(i)) return take(traits_[i], motion_.pose(i), motion_.velocity[i], motion_.spin[i]);
  Cluster& c = clusters_[cluster_of_[i]];
  take(c.traits, c.pose, c.velocity, c.spin);
  for (const std::uint32_t j : c.pieces) {
    motion_.velocity[j] = c.velocityAt(motion_.position[j]);
    motion_.spin[j] = c.spin;
  }
}

// Whether one of two that nothing can move is driven into the other within h, and bonds are all that keeps
// that one in its place.
bool World::forces(std::size_t a, std::size_t b, double h) const {
  if ((!hangs(a) && !hangs(b)) || (!moving_[a] && !moving_[b])) return false;
  thread_local collide::Manifolds found;
  found.clear();
  collide::collide(shapeOf(a), motion_.pose(a), shapeOf(b), motion_.pose(b), reach(a, b, h), found);
  const auto velocity = [&](std::size_t i, const Vec3& p) {
    return Vec3(motion_.velocity[i] + motion_.spin[i].cross(p - motion_.position[i]));
  };
  double speeds = 0;
  for (const std::size_t i : {a, b})
    speeds += motion_.velocity[i].norm() + motion_.spin[i].norm() * traits_[i].outer_radius;
  for (const collide::Manifold& m : found)
    for (int k = 0; k < m.count; ++k) {
      const collide::Point& p = m.points[static_cast<std::size_t>(k)];
      const double closing = m.normal.dot(velocity(a, p.position) - velocity(b, p.position));
      if (closing > kComing * speeds && p.gap <= closing * h) return true;
    }
  return false;
}

// How the driven piece that it hangs on gathers speed about a shot frame: from its places a frame before and
// a frame after, as keys tell no more than that. What is before the scene's start, or after its release,
// tells nothing: there it is as next to it.
Carriage World::carriageOf(const Cluster& c, double frame) const {
  const std::uint32_t leader = c.anchored() ? leaderOf(c) : kNoCluster;
  if (leader == kNoCluster || !moving_[leader]) return {};
  const auto led = std::find_if(scene_.movers.begin(), scene_.movers.end(),
                                [&](const Mover& m) { return m.piece.value == leader; });
  if (led == scene_.movers.end()) return {};  // it only changes its form
  const double first = scene_.first_frame + 1;
  double at = frame;
  if (led->release_frame) at = least(at, *led->release_frame - 1);
  at = greatest(at, first);
  const auto mover = static_cast<std::size_t>(led - scene_.movers.begin());
  const Pose before = moverPose(mover, at - 1), now = moverPose(mover, at), after = moverPose(mover, at + 1);
  const double come = scene_.seconds(at - 1, at), goes = scene_.seconds(at, at + 1);
  if (!(come > 0 && goes > 0)) return {};
  const Vec3 travel_in = (now.position - before.position) / come,
             travel_out = (after.position - now.position) / goes,
             turn_in = turnBetween(before.turn, now.turn) / come,
             turn_out = turnBetween(now.turn, after.turn) / goes;
  const double half = 0.5 * (come + goes);
  return {moverPose(mover, frame).position, (travel_out - travel_in) / half, 0.5 * (turn_in + turn_out),
          (turn_out - turn_in) / half};
}

// Whether that asks anything worth a look of what hangs on it.
bool World::shaken(const Cluster& c, const Carriage& carried) const {
  const double arm = (c.pose.position - carried.place).norm() + c.traits.outer_radius;
  return carried.acceleration.norm() + (carried.turning.norm() + carried.spin.squaredNorm()) * arm > kShaken;
}

// What presses on the cluster's pieces, contacts at rest among them, their weight, and what the carrier's
// gathering speed asks of them.
std::vector<bond::Load> World::loadsOn(std::uint32_t k, const solve::Proposal& p,
                                       const std::vector<std::uint32_t>& touching,
                                       const Carriage& carried) const {
  const Cluster& c = clusters_[k];
  std::vector<bond::Load> loads(c.pieces.size() + c.anchors.size());
  const Vec3 down = c.pose.turn.conjugate() * scene_.gravity;
  const bool pulled = shaken(c, carried);
  for (std::size_t n = 0; n < c.pieces.size(); ++n) {
    const solve::Traits& t = scene_.prototypeOf(c.pieces[n]).traits;
    loads[n].force += t.mass() * t.gravity_share * down;
    if (!pushes_.empty()) loads[n].force += c.pose.turn.conjugate() * pushes_[c.pieces[n]];
    if (pulled) addInertia(c, n, scene_.prototypeOf(c.pieces[n]).traits, carried, loads[n]);
  }
  const auto take = [&](const solve::Contact& x) {
    const double total = static_cast<double>(x.totalForce());
    if (!(total > 0)) return;
    Vec3 place = Vec3::Zero();
    for (std::size_t n = 0; n < x.patch.count; ++n)
      place += static_cast<double>(x.normal_force[n]) / total * x.patch.place(n);
    const Vec3 force = total * x.patch.normal() + x.friction_force.cast<double>();
    if (cluster_of_[x.a.index()] == k) spread(c, x.a.value, place, -force, loads);
    if (cluster_of_[x.b.index()] == k) spread(c, x.b.value, place, force, loads);
  };
  for (const std::uint32_t n : touching) take(p.contacts[n]);
  // What joints and yielding bonds do to its pieces, at their ends.
  for (std::size_t n = 0; n < p.joint_loads.size(); ++n) {
    const solve::Joint& j = joints_[n];
    for (const auto& [side, load] :
         {std::pair(&j.a, &p.joint_loads[n].on_a), std::pair(&j.b, &p.joint_loads[n].on_b)}) {
      if (!side->piece.valid() || cluster_of_[side->piece.index()] != k) continue;
      const std::uint32_t i = side->piece.value;
      spread(c, i, motion_.pose(i).toWorld(side->at), load->force, loads);
      loads[node_of_[i]].torque += c.pose.turn.conjugate() * load->torque;
    }
  }
  if (resting_.size() > 0)
    for (const std::uint32_t i : c.pieces)
      resting_.eachContact(i, [&](const solve::Contact& x) {
        if (!together(x.a.index(), x.b.index())) take(x);
      });
  return loads;
}

// Whether its spin alone may ask something of its bonds: a ring of its size would bear density times speed
// squared.
bool World::whirls(const Cluster& c) const {
  const double speed = c.spin.norm() * c.traits.outer_radius;
  if (speed == 0) return false;
  double weakest = bond::kUnbreakable;
  for (const std::uint32_t b : c.bonds) weakest = least(weakest, scene_.bonds[b].strength.tension);
  const Prototype& p = scene_.prototypeOf(c.pieces[0]);
  const double density = p.volume > 0 ? p.traits.mass() / p.volume : 0;
  return density * speed * speed > kSwing * weakest;
}

}  // namespace drubble::world
