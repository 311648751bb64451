// SPDX-License-Identifier: Apache-2.0
// How fresh contacts go on from what the old ones of their pair carried.
#include <catch2/catch.hpp>

#include "core/solve/contact.h"
#include "core/solve/spring.h"

using namespace drubble;
using namespace drubble::solve;

namespace {

Contact contact(const Vec3& normal, std::initializer_list<std::pair<std::uint32_t, double>> points) {
  Contact c;
  c.a = PieceId{0};
  c.b = PieceId{1};
  c.patch.direction = normal.cast<float>();
  for (const auto& [feature, x] : points) {
    c.patch.arm[c.patch.count] = vec3(x, 0, 0).cast<float>();
    c.patch.feature[c.patch.count++] = feature;
  }
  return c;
}

}  // namespace

TEST_CASE("points go on by feature before place, and each old point once") {
  Contact old = contact(Vec3::UnitY(), {{1, 0.0}, {2, 1.0}});
  old.normal_force = {10, 20, 0, 0};
  // The first is where the old second was, but the second has its feature.
  Contact fresh = contact(Vec3::UnitY(), {{9, 0.99}, {2, 0.5}, {1, 5.0}});
  inherit(&old, &old + 1, &fresh, &fresh + 1, 0.1);
  CHECK(fresh.normal_force[0] == 0);
  CHECK(fresh.normal_force[1] == 20);
  CHECK(fresh.normal_force[2] == 10);
  Contact moved = contact(Vec3::UnitY(), {{7, 0.95}, {8, 0.98}, {9, 0.3}});
  inherit(&old, &old + 1, &moved, &moved + 1, 0.1);
  CHECK(moved.normal_force[0] == 20);  // taken: the next finds nothing within reach
  CHECK(moved.normal_force[1] == 0);
  CHECK(moved.normal_force[2] == 0);
}

TEST_CASE("a patch goes on from the old one that looks most its way, of the same parts, or from none") {
  std::array<Contact, 3> old = {contact(Vec3::UnitY(), {{1, 0.0}}), contact(Vec3::UnitX(), {{1, 0.0}}),
                                contact(Vec3::UnitY(), {{1, 0.0}})};
  old[0].normal_force[0] = 1;
  old[1].normal_force[0] = 2;
  old[2].normal_force[0] = 3;
  old[2].patch.part = 4;
  old[1].friction_force = Vec3f(0, 0, 5);
  old[1].sliding = true;
  std::array<Contact, 3> fresh = {contact(vec3(1, 0.1, 0).normalized(), {{1, 0.0}}),
                                  contact(Vec3::UnitY(), {{1, 0.0}}), contact(Vec3::UnitZ(), {{1, 0.0}})};
  fresh[1].patch.part = 4;
  inherit(old.data(), old.data() + 3, fresh.data(), fresh.data() + 3, 0.1);
  CHECK(fresh[0].normal_force[0] == 2);
  CHECK(fresh[0].friction_force == Vec3f(0, 0, 5));
  CHECK(fresh[0].sliding);
  CHECK(fresh[1].normal_force[0] == 3);
  CHECK(fresh[2].normal_force[0] == 0);
}

TEST_CASE("a spring bears the same at the same depth whether its partner is fixed or free") {
  // At rest the row's impulse is what its leak takes: impulse_scale * impulse = mass * mass_scale * bias.
  const double rate = 300, dt = 1e-3, damping = 2, depth = 1e-4;
  const auto force = [&](double mass, double share) {
    const Softness s = springSoftness(rate, dt, damping, share);
    return mass * s.mass_scale * s.bias_rate * depth / (s.impulse_scale * dt);
  };
  const double free = force(0.5, 1);  // two of 1 kg: half a kilogram between them
  CHECK(force(1.0, 0.5) == Approx(free).epsilon(1e-12));
  CHECK(force(1.0, 1.0) == Approx(2 * free).epsilon(1e-12));
}
