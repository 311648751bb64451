// SPDX-License-Identifier: Apache-2.0
// What the two partners of a hit give each other.
#include <cmath>

#include "core/solve/impact.h"

namespace drubble::solve {

namespace {

constexpr double kTouching = 1e-3;  // of the size: points this near count as struck together
constexpr int kMostExchanges = 80;
constexpr double kExchanged = 1e-9;  // of the speed: a change this small ends the exchange of a blow

double inverseMassAlong(const ActiveBody& b, const Vec3& arm, const Vec3& d) {
  const Vec3 c = arm.cross(d);
  return d.dot(b.inverse_mass.cwiseProduct(d)) + c.dot(b.inverse_inertia * c);
}

// The rows of a struck patch, three a point (along the normal and two tangents), and how an impulse along one
// changes the speed along another.
struct Rows {
  static constexpr std::size_t kMost = 12;
  std::size_t count = 0;
  std::array<Vec3, kMost> direction, arm_a, arm_b;
  std::array<double, kMost> speed{}, impulse{};
  std::array<std::array<double, kMost>, kMost> response;

  void add(const ActiveBody& a, const ActiveBody& b, const Vec3& ra, const Vec3& rb, const Vec3& d) {
    direction[count] = d;
    arm_a[count] = ra.cross(d);
    arm_b[count] = rb.cross(d);
    speed[count] = d.dot(pointVelocity(b, rb) - pointVelocity(a, ra));
    ++count;
  }
  void respond(const ActiveBody& a, const ActiveBody& b) {
    const Vec3 mass = a.inverse_mass + b.inverse_mass;
    for (std::size_t j = 0; j < count; ++j) {
      const Vec3 straight = mass.cwiseProduct(direction[j]), turn_a = a.inverse_inertia * arm_a[j],
                 turn_b = b.inverse_inertia * arm_b[j];
      for (std::size_t i = 0; i < count; ++i)
        response[j][i] = direction[i].dot(straight) + arm_a[i].dot(turn_a) + arm_b[i].dot(turn_b);
    }
  }
  void push(std::size_t j, double change) {
    impulse[j] += change;
    for (std::size_t i = 0; i < count; ++i) speed[i] += response[j][i] * change;
  }
  // What would bring the speed along row j to `wanted`.
  double missing(std::size_t j, double wanted) const {
    return response[j][j] > 0 ? (wanted - speed[j]) / response[j][j] : 0;
  }
  // Newton's law at several points at once, or with friction, may ask for more energy than there was: then
  // all impulses are so much smaller that it stays. `before`: the speeds at first.
  void keepEnergy(const std::array<double, kMost>& before) {
    double spent = 0, gained = 0;
    for (std::size_t j = 0; j < count; ++j) {
      spent += impulse[j] * before[j];
      gained += 0.5 * impulse[j] * (speed[j] - before[j]);
    }
    if (!(spent < 0) || spent + gained <= 0) return;
    for (double& x : impulse) x *= -spent / gained;
  }
  void give(ActiveBody& a, ActiveBody& b) const {
    Vec3 straight = Vec3::Zero(), turn_a = straight, turn_b = straight;
    for (std::size_t j = 0; j < count; ++j) {
      straight += impulse[j] * direction[j];
      turn_a += impulse[j] * arm_a[j];
      turn_b += impulse[j] * arm_b[j];
    }
    a.velocity -= a.inverse_mass.cwiseProduct(straight);
    a.spin -= a.inverse_inertia * turn_a;
    b.velocity += b.inverse_mass.cwiseProduct(straight);
    b.spin += b.inverse_inertia * turn_b;
  }
};

// Brings friction at a point as near to sticking as its cone allows.
void rub(Rows& rows, std::size_t j, const SurfacesOf<float>& surfaces) {
  const double t = rows.impulse[j + 1] + rows.missing(j + 1, 0),
               u = rows.impulse[j + 2] + rows.missing(j + 2, 0);
  const double size = std::sqrt(t * t + u * u), load = rows.impulse[j];
  const auto rest = static_cast<double>(surfaces.friction_rest),
             slide = static_cast<double>(surfaces.friction_slide);
  const double scale = size > rest * load ? slide * load / size : 1;
  const double change_t = t * scale - rows.impulse[j + 1], change_u = u * scale - rows.impulse[j + 2];
  rows.push(j + 1, change_t);
  rows.push(j + 2, change_u);
}

}  // namespace

// Projected Gauss-Seidel over the points of one patch, in double, to the last digits.
void Impacts::exchange(ActiveBody& a, ActiveBody& b, const Contact& c, double time, double pull, Hit& hit) {
  const Vec3 n = c.patch.normal(), t = anyNormalTo(n), u = n.cross(t);
  const double near = kTouching * least(a.fixed() ? 1e300 : in_.traits[c.a.index()].size,
                                        b.fixed() ? 1e300 : in_.traits[c.b.index()].size);
  const double slow = leastSpeed(c), gained = pull * time;
  Rows rows;
  std::array<double, 4> wanted{};
  std::array<std::size_t, 4> point{};
  for (std::size_t k = 0; k < c.patch.count; ++k) {
    const PointState& s = state_[k];
    if (!(s.gap - s.closing * time - 0.5 * pull * time * time < near)) continue;
    if (!(inverseMassAlong(a, s.ra, n) + inverseMassAlong(b, s.rb, n) > 0)) continue;
    point[rows.count / 3] = k;
    for (const Vec3& d : {n, t, u}) rows.add(a, b, s.ra, s.rb, d);
    const std::size_t row = rows.count - 3;
    const double at_hit = gained - rows.speed[row];  // gravity has made it faster by the time of the hit
    wanted[row / 3] = (at_hit > slow ? static_cast<double>(c.surfaces.bounce) * at_hit : 0) + gained;
  }
  rows.respond(a, b);
  const std::array<double, Rows::kMost> before = rows.speed;
  for (int round = 0; round < kMostExchanges; ++round) {
    double change = 0;
    for (std::size_t j = 0; j < rows.count; j += 3) {
      const double now = greatest(rows.impulse[j] + rows.missing(j, wanted[j / 3]), 0);
      change = greatest(change, absolute(now - rows.impulse[j]) * rows.response[j][j]);
      rows.push(j, now - rows.impulse[j]);
      rub(rows, j, c.surfaces);
    }
    if (change < kExchanged * hit.speed) break;
  }
  rows.keepEnergy(before);
  rows.give(a, b);
  double most = -1;
  for (std::size_t j = 0; j < rows.count; j += 3) {
    hit.impulse += rows.impulse[j];
    if (rows.impulse[j] > most) most = rows.impulse[j], hit.place = c.patch.place(point[j / 3]);
  }
}

}  // namespace drubble::solve
