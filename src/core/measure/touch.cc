// SPDX-License-Identifier: Apache-2.0
#include "core/measure/touch.h"

#include <algorithm>
#include <cmath>

namespace drubble::measure {

namespace {

// Of points in a plane in any order: the largest of the ways to go round.
double areaOf(const solve::Patch& p) {
  const auto at = [&](std::size_t k) { return p.place(k); };
  const auto triangle = [&](std::size_t i, std::size_t j, std::size_t k) {
    return Vec3(0.5 * (at(j) - at(i)).cross(at(k) - at(i)));
  };
  if (p.count < 3) return 0;
  if (p.count == 3) return triangle(0, 1, 2).norm();
  double most = 0;
  for (const auto& [i, j, k, l] : {std::array<std::size_t, 4>{0, 1, 2, 3}, {0, 2, 1, 3}, {0, 1, 3, 2}})
    most = greatest(most, (triangle(i, j, k) + triangle(i, k, l)).norm());
  return most;
}

Vec3 speedAt(const world::World& w, PieceId p, const Vec3& place) {
  const std::size_t i = p.index();
  return w.motion().velocity[i] + w.motion().spin[i].cross(place - w.motion().position[i]);
}

void add(const solve::Contact& c, std::vector<Touch>& out) {
  const double force = static_cast<double>(c.totalForce());
  if (!(force > 0)) return;
  if (out.empty() || out.back().a != c.a || out.back().b != c.b) out.push_back({c.a, c.b});
  Touch& t = out.back();
  Vec3 middle = Vec3::Zero();
  for (std::size_t k = 0; k < c.patch.count; ++k)
    middle += static_cast<double>(c.normal_force[k]) * c.patch.place(k);
  t.place += middle;  // times the force, until all are in
  t.normal += force * c.patch.normal();
  t.force += force;
  t.area += areaOf(c.patch);
}

}  // namespace

std::vector<Touch> touches(const world::World& w, std::span<const PieceId> who) {
  std::vector<Touch> out;
  const auto watched = [&](PieceId p) { return std::binary_search(who.begin(), who.end(), p); };
  w.eachContact([&](const solve::Contact& c) {
    if (watched(c.a) || watched(c.b)) add(c, out);
  });
  for (Touch& t : out) {
    t.place /= t.force;
    t.normal = t.normal.norm() > 0 ? Vec3(t.normal.normalized()) : Vec3(Vec3::UnitY());
    const Vec3 speed = speedAt(w, t.b, t.place) - speedAt(w, t.a, t.place);
    t.speed = speed.norm();
    t.sliding = (speed - speed.dot(t.normal) * t.normal).norm();
  }
  return out;
}

}  // namespace drubble::measure
