// SPDX-License-Identifier: Apache-2.0
// Laws of rolling, tumbling, leaning, stacking and of not passing through.
#include <catch2/catch.hpp>
#include <cmath>
#include <cstdio>

#include "../support/laws.h"
#include "../support/stage.h"
#include "core/base/trig.h"
#include "core/measure/penetration.h"

using namespace drubble;
using drubble::test::Stage;
using drubble::test::tilted;

namespace {

// A thick-walled tube along z: its mesh is hollow, its shape a cylinder.
mesh::TriangleMesh tubeMesh(double outer, double inner, double length, int sides) {
  mesh::TriangleMesh m;
  for (int s = 0; s < sides; ++s) {
    const SinCos a = sinCos(2 * kPi * s / sides);
    for (const double r : {outer, inner})
      for (const double z : {-0.5 * length, 0.5 * length})
        m.vertices.push_back(vec3(r * a.cos, r * a.sin, z));
  }
  const auto quad = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c, std::uint32_t d) {
    m.triangles.push_back({a, b, c});
    m.triangles.push_back({a, c, d});
  };
  for (int s = 0; s < sides; ++s) {
    const auto i = static_cast<std::uint32_t>(4 * s), j = static_cast<std::uint32_t>(4 * ((s + 1) % sides));
    quad(i, j, j + 1, i + 1);          // outer side
    quad(i + 2, i + 3, j + 3, j + 2);  // inner side
    quad(i, i + 2, j + 2, j);          // ends
    quad(i + 1, j + 1, j + 3, i + 3);
  }
  return m;
}

}  // namespace

TEST_CASE("law 5: rolling down without slip") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  const int kind = GENERATE(0, 1, 2);
  const bool on_mesh = GENERATE(false, true);
  const double radius = 0.2, angle = 20 * kDegree;
  Stage s;
  s.scene.solver.quality = quality;
  s.scene.gravity = tilted(angle);
  s.surface(0.6, 0);
  if (on_mesh)
    s.add(world::boxPrototype("floor", vec3(60, 1, 4), 1000), vec3(20, -0.5, 0), Vec3::Zero(),
          world::Role::Static);
  else
    s.ground();
  const Vec3 at = vec3(0, radius, 0);
  std::size_t i = 0;
  double share = 0.4;  // I / (m r^2)
  if (kind == 0) i = s.sphere(radius, at);
  if (kind == 1) {
    i = s.add(world::cylinderPrototype("c", radius, 0.5, Vec3::UnitZ(), 1000), at);
    share = 0.5;
  }
  if (kind == 2) {
    const mesh::TriangleMesh tube = tubeMesh(radius, 0.6 * radius, 0.5, 128);
    world::Prototype p = world::meshPrototype("t", tube, world::ShapeChoice::Hull, 1000);
    p.shape = shape::cylinder(radius, 0.5, Vec3::UnitZ());
    const mesh::MassProperties mass = mesh::massProperties(tube);
    world::setMass(p, mass, 1000);
    i = s.add(p, at);
    share = p.traits.inertia(2, 2) * p.traits.inverse_mass / (radius * radius);
    CHECK(share == Approx(0.5 * (1 + 0.36)).epsilon(2e-3));
  }
  s.frames(48);
  const double a = 9.81 * std::sin(angle) / (1 + share), law = 0.5 * a * 4;
  const double measured = s.position(i).x();
  std::printf("  5 %s rolling 20 deg on %s, way in 2 s, quality %-4g measured %.5f law %.5f off %.4f %%\n",
              kind == 0   ? "sphere  "
              : kind == 1 ? "cylinder"
                          : "tube    ",
              on_mesh ? "a box" : "ground", quality, measured, law, 100 * (measured / law - 1));
  CHECK(measured == Approx(law).epsilon(0.02));
}

TEST_CASE("law 8: a torque-free box about its middle axis flips as Euler's equations say") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  Stage s;
  s.scene.solver.quality = quality;
  s.scene.gravity = Vec3::Zero();
  const std::size_t i = s.box(vec3(0.1, 0.2, 0.3), Vec3::Zero());
  s.scene.pieces[i].spin = turnAbout(Vec3::UnitX(), 0.1) * vec3(0, 10, 0);
  const solve::Traits& t = s.scene.prototypes[0].traits;
  const auto energy = [&](const Vec3& w) { return 0.5 * w.dot(t.inertia * w); };
  // The reference: Euler's equations in the body's frame, by small Runge-Kutta steps.
  Vec3 w = s.scene.pieces[i].spin;
  const Vec3 moments = t.inertia.diagonal();
  const auto slope = [&](const Vec3& v) {
    return Vec3((moments.cwiseProduct(v)).cross(v).cwiseQuotient(moments));
  };
  std::vector<double> law_flips, flips;
  const auto note = [](std::vector<double>& list, double before, double now, double time, double dt) {
    if (before * now < 0) list.push_back(time - dt * now / (now - before));
  };
  const double dt = 1e-4;
  for (int k = 1; k <= 200000; ++k) {
    const Vec3 k1 = slope(w), k2 = slope(w + 0.5 * dt * k1), k3 = slope(w + 0.5 * dt * k2),
               k4 = slope(w + dt * k3);
    const double before = w.y();
    w += dt / 6 * (k1 + 2 * k2 + 2 * k3 + k4);
    note(law_flips, before, w.y(), k * dt, dt);
  }
  const Vec3 momentum = t.inertia * s.scene.pieces[i].spin;
  const double e0 = energy(s.scene.pieces[i].spin);
  double before = s.scene.pieces[i].spin.y(), worst_energy = 0, worst_momentum = 0;
  for (int frame = 1; frame <= 480; ++frame) {
    s.frames(1);
    const Quat q = s.world().motion().turn[i];
    const Vec3 body = q.conjugate() * s.world().motion().spin[i];
    note(flips, before, body.y(), frame / 24.0, 1 / 24.0);
    before = body.y();
    worst_energy = greatest(worst_energy, absolute(energy(body) / e0 - 1));
    worst_momentum = greatest(worst_momentum, (q * (t.inertia * body) - momentum).norm() / momentum.norm());
  }
  REQUIRE(flips.size() == law_flips.size());
  REQUIRE(flips.size() > 4);
  const double period = (flips.back() - flips.front()) / static_cast<double>(flips.size() - 1);
  const double law = (law_flips.back() - law_flips.front()) / static_cast<double>(law_flips.size() - 1);
  std::printf(
      "  8 middle axis, half period, quality %-4g measured %.5f law %.5f off %.3f %%; momentum %.1e energy "
      "%.1e\n",
      quality, period, law, 100 * (period / law - 1), worst_momentum, worst_energy);
  CHECK(period == Approx(law).epsilon(0.03));
  CHECK(worst_momentum < 1e-3);
  CHECK(worst_energy < 1e-2);
}

TEST_CASE("law 11: a leaning stack stands just within the harmonic overhang and falls just beyond",
          "[slow]") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  const int n = GENERATE(3, 4, 5, 6, 7, 8);
  const double length = 0.4, height = 0.1;
  for (const double share : {0.97, 1.03}) {
    Stage s;
    s.scene.solver.quality = quality;
    s.surface(0.6, 0);
    // The table ends at x = 0; block k from the top hangs over the one below by length / (2 k).
    s.add(world::boxPrototype("table", vec3(2, 0.5, 1), 1000), vec3(-1, -0.25, 0), Vec3::Zero(),
          world::Role::Static);
    std::vector<std::size_t> blocks;
    double reach = 0;  // of the right end of the block below the one being placed
    for (int k = n; k >= 1; --k) {
      reach += share * length / (2 * k);
      blocks.push_back(
          s.box(vec3(length, height, 0.3),
                vec3(reach - 0.5 * length, height * (0.5 + static_cast<double>(blocks.size())), 0)));
    }
    s.frames(240);
    const double dropped = height * (n - 0.5) - s.position(blocks.back()).y();
    std::printf("  11 stack of %d at %.2f of the overhang, quality %-4g: top sank %.6f m\n", n, share,
                quality, dropped);
    if (share < 1)
      CHECK(dropped < 0.1 * height);
    else
      CHECK(dropped > 0.5 * height);
  }
}

TEST_CASE("law 12: a tower of twenty, a pyramid of twenty rows, and 1000 kg on 1 kg stand and sleep",
          "[slow]") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  const int kind = GENERATE(0, 1, 2);
  Stage s;
  s.scene.solver.quality = quality;
  s.surface(0.5, 0.1);
  s.ground();
  const double side = 0.3;
  if (kind == 0)
    for (int i = 0; i < 20; ++i) s.box(Vec3::Constant(side), vec3(0, side * (i + 0.5), 0));
  if (kind == 1)
    for (int row = 0; row < 20; ++row)
      for (int i = 0; i < 20 - row; ++i)
        s.box(Vec3::Constant(side), vec3(1.05 * side * (i + 0.5 * row), side * (row + 0.5), 0));
  if (kind == 2) {
    s.box(Vec3::Constant(side), vec3(0, 0.5 * side, 0), Vec3::Zero(), 1 / (side * side * side));
    s.box(Vec3::Constant(side), vec3(0, 1.5 * side, 0), Vec3::Zero(), 1000 / (side * side * side));
  }
  const std::size_t n = s.scene.pieces.size();
  std::vector<Vec3> start;
  for (std::size_t i = 0; i < n; ++i) start.push_back(s.scene.pieces[i].start.position);
  s.frames(72);
  std::size_t asleep = 0;
  for (std::size_t i = 1; i < n; ++i) asleep += s.asleep(i);
  s.frames(480 - 72);
  double drift = 0;
  for (std::size_t i = 1; i < n; ++i) {
    const Vec3 d = s.position(i) - start[i];
    drift = greatest(drift, vec3(d.x(), 0, d.z()).norm() / side);
  }
  measure::PenetrationMeter meter;
  const double depth = meter.measure(s.world()).worst / side;
  std::printf(
      "  12 %s, quality %-4g: %zu of %zu asleep after 3 s, sideways %.4f %%, penetration %.4f %% of a box\n",
      kind == 0   ? "tower of 20"
      : kind == 1 ? "pyramid of 20 rows"
                  : "1000 kg on 1 kg",
      quality, asleep, n - 1, 100 * drift, 100 * depth);
  CHECK(asleep == n - 1);
  CHECK(drift < 0.005);
  CHECK(depth < 0.01);
}

TEST_CASE("law 15: nothing passes a thin plate", "[slow]") {
  const int substeps = GENERATE(1, 2, 4, 0);
  const double speed = GENERATE(5.0, 50.0, 300.0);
  const bool brick = GENERATE(false, true);
  const int plate_kind = GENERATE(0, 1, 2, 3);  // static, kinematic at rest, dynamic, static mesh
  Stage s;
  s.scene.solver.substeps = substeps;
  s.scene.gravity = Vec3::Zero();
  s.surface(0.4, 0.3);
  const Vec3 size = vec3(0.001, 0.6, 0.6);
  const world::Role role = plate_kind == 2   ? world::Role::Dynamic
                           : plate_kind == 1 ? world::Role::Kinematic
                                             : world::Role::Static;
  const std::size_t plate = s.add(plate_kind == 3 ? world::surfacePrototype("plate", mesh::boxMesh(size))
                                                  : world::boxPrototype("plate", size, 7800),
                                  vec3(2.03, 0.01, 0.02), Vec3::Zero(), role);
  const std::size_t i = brick ? s.box(vec3(0.02, 0.04, 0.03), vec3(0, 0, 0), vec3(speed, 0, 0), 2000)
                              : s.sphere(0.01, vec3(0, 0, 0), vec3(speed, 0, 0), 2000);
  if (brick) s.scene.pieces[i].spin = vec3(13, 40, 29);
  const int frames = 4 + static_cast<int>(std::ceil(2.03 / speed * 24));
  bool passed = false;
  double fastest = 0;
  for (int f = 0; f < frames; ++f) {
    s.frames(1);
    const Vec3 d = s.world().motion().pose(plate).toBody(s.position(i));
    // Beside the plate is no side of it.
    passed = passed || (d.x() > 0 && absolute(d.y()) < 0.3 && absolute(d.z()) < 0.3);
    fastest = greatest(fastest, s.velocity(i).norm());
  }
  INFO("substeps " << substeps << " speed " << speed << (brick ? " brick" : " sphere") << " plate "
                   << plate_kind);
  CHECK_FALSE(passed);
  CHECK(fastest < speed * (1 + 1e-3) + (brick ? 50 * 0.025 : 0));
}

TEST_CASE("law 15: a thin plate that is swept fast through resting things takes them along", "[slow]") {
  const int substeps = GENERATE(1, 2, 4, 0);
  const double speed = GENERATE(5.0, 50.0, 300.0);
  const int kind = GENERATE(0, 1, 2);  // ball, brick, brick that tumbles
  const bool mesh_plate = GENERATE(false, true);
  Stage s;
  s.scene.solver.substeps = substeps;
  s.scene.gravity = Vec3::Zero();
  s.surface(0.4, 0);
  const Vec3 size = vec3(0.001, 0.6, 0.6);
  const std::size_t plate = s.add(mesh_plate ? world::surfacePrototype("plate", mesh::boxMesh(size))
                                             : world::boxPrototype("plate", size, 7800),
                                  vec3(-1.3, 0.02, 0.01), Vec3::Zero(), world::Role::Kinematic);
  const std::size_t i =
      kind == 0 ? s.sphere(0.01, Vec3::Zero()) : s.box(vec3(0.02, 0.04, 0.03), Vec3::Zero());
  if (kind == 2) s.scene.pieces[i].spin = vec3(13, 40, 29);
  world::Mover m;
  m.piece = PieceId(plate);
  m.path.rest = s.scene.pieces[plate].start;
  m.path.at.keys = {{1, vec3(-1.3, 0.02, 0.01)}, {25, vec3(-1.3 + speed, 0.02, 0.01)}};
  s.scene.movers.push_back(m);
  bool passed = false;
  for (int f = 0; f < 12; ++f) {
    s.frames(1);
    const Vec3 d = s.world().motion().pose(plate).toBody(s.position(i));
    passed = passed || (d.x() < 0 && absolute(d.y()) < 0.3 && absolute(d.z()) < 0.3);
  }
  INFO("substeps " << substeps << " speed " << speed << " kind " << kind << (mesh_plate ? " mesh" : " box"));
  CHECK_FALSE(passed);
  CHECK(s.velocity(i).norm() < 1.3 * speed + 2);
}
