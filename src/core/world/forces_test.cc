// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>
#include <cmath>

#include "../../../tests/support/bonds.h"
#include "core/world/bonding.h"

namespace drubble::world {

namespace {

using act::Force;
using act::ForceKind;
using act::ForceUnit;
using test::Stage;

Force& force(Stage& s, ForceKind kind, ForceUnit as, double strength, const std::vector<std::size_t>& who) {
  Force& f = s.scene.forces.emplace_back();
  f.name = "f" + std::to_string(s.scene.forces.size());
  f.kind = kind;
  f.as = as;
  f.strength = strength;
  f.direction = Vec3::UnitX();
  for (const std::size_t i : who) f.who.push_back(PieceId(i));
  return f;
}

}  // namespace

TEST_CASE("a push: by mass as its unit says, and it adds up to what it did", "[force]") {
  for (const ForceUnit as : {ForceUnit::Acceleration, ForceUnit::Force, ForceUnit::Impulse}) {
    Stage s;
    s.scene.gravity = Vec3::Zero();
    const std::size_t light = s.box(Vec3(0.1, 0.1, 0.1), Vec3(0, 0, 0)),
                      heavy = s.box(Vec3(0.2, 0.2, 0.2), Vec3(0, 5, 0)),
                      other = s.box(Vec3(0.2, 0.2, 0.2), Vec3(0, 9, 0));
    Force& f = force(s, ForceKind::Push, as, 3, {light, heavy});
    f.from = 3;
    f.to = 9;
    Watcher nobody;
    double work = 0, kinetic = 0;
    for (int k = 0; k < 12; ++k) {
      const FrameStats now = s.world().advance(nobody);
      work += now.work;
      kinetic = now.kinetic;
    }
    const double seconds = 6.0 / 24;
    const auto speed = [&](double mass) {
      return as == ForceUnit::Acceleration ? 3 * seconds
             : as == ForceUnit::Force      ? 3 * seconds / mass
                                           : 3 / mass;
    };
    CHECK(s.velocity(light).x() == Approx(speed(1)).epsilon(1e-9));
    CHECK(s.velocity(heavy).x() == Approx(speed(8)).epsilon(1e-9));
    CHECK(s.velocity(other).norm() == 0);
    CHECK(work == Approx(kinetic).epsilon(1e-6));
  }
}

TEST_CASE("in air that stands still a fall ends at the speed that its weight and face give it", "[force]") {
  Stage s;
  const std::size_t sheet = s.box(Vec3(0.5, 0.01, 0.4), Vec3(0, 500, 0));
  force(s, ForceKind::Wind, ForceUnit::Air, 0, {sheet});
  s.frames(24 * 12);
  const double mass = 1000 * 0.5 * 0.01 * 0.4;
  CHECK(-s.velocity(sheet).y() == Approx(std::sqrt(2 * mass * 9.81 / (1.2 * 0.2))).epsilon(1e-3));
}

TEST_CASE("drag slows as its coefficients say, travel and spin, and never turns a motion round", "[force]") {
  Stage s;
  s.scene.gravity = Vec3::Zero();
  const std::size_t slow = s.sphere(0.1, Vec3(0, 0, 0), Vec3(2, 0, 0)),
                    stuck = s.sphere(0.1, Vec3(0, 3, 0), Vec3(2, 0, 0)),
                    fast = s.sphere(0.1, Vec3(0, 6, 0), Vec3(2, 0, 0));
  s.scene.pieces[slow].spin = Vec3(0, 0, 5);
  Force& f = force(s, ForceKind::Drag, ForceUnit::Acceleration, 1, {slow});
  f.linear = 0.5;
  f.spin = 1;
  force(s, ForceKind::Drag, ForceUnit::Acceleration, 1, {stuck}).linear = 1e6;
  force(s, ForceKind::Drag, ForceUnit::Acceleration, 1, {fast}).quadratic = 0.5;
  s.scene.solver.substeps = 32;
  s.frames(24);
  CHECK(s.velocity(slow).x() == Approx(2 * std::exp(-0.5)).epsilon(2e-3));
  CHECK(s.world().motion().spin[slow].z() == Approx(5 * std::exp(-1.0)).epsilon(2e-3));
  CHECK(s.velocity(stuck).x() >= 0);
  CHECK(s.velocity(stuck).x() < 1e-6);
  CHECK(s.velocity(fast).x() == Approx(2 / (1 + 0.5 * 2)).epsilon(2e-3));  // v / (1 + c v t)
}

TEST_CASE("a force wakes what it changes, lets it sleep again, and leaves what is held alone", "[force]") {
  Stage s;
  s.ground();
  const std::size_t block = s.box(Vec3(0.3, 0.3, 0.3), Vec3(0, 0.15, 0)),
                    held = s.box(Vec3(0.3, 0.3, 0.3), Vec3(0, 0.15, 2)),
                    shaken = s.box(Vec3(0.3, 0.3, 0.3), Vec3(0, 0.15, 4));
  s.scene.pieces[held].start_state = s.scene.pieces[shaken].start_state = Start::Held;
  // Held by friction of a half: at a quarter of gravity it stays, at three quarters it goes.
  force(s, ForceKind::Push, ForceUnit::Acceleration, 0.25 * 9.81, {block}).from = 40;
  Force& hard = force(s, ForceKind::Push, ForceUnit::Acceleration, 0.5 * 9.81, {block, held, shaken});
  hard.from = 100;
  force(s, ForceKind::Push, ForceUnit::Acceleration, 0.5 * 9.81, {shaken}).wakes_held = true;
  s.scene.forces.back().from = 100;
  s.frames(38);
  REQUIRE(s.asleep(block));
  s.frames(2);
  CHECK_FALSE(s.asleep(block));
  s.frames(50);
  CHECK(s.asleep(block));
  const Vec3 at = s.position(block);
  CHECK(at.x() < 0.005);
  s.frames(40);
  CHECK_FALSE(s.asleep(block));
  CHECK(s.position(block).x() - at.x() > 1);
  CHECK(s.world().sleepOf(held) == Sleep::Held);
  CHECK(s.position(held).x() == 0);
  CHECK(s.world().sleepOf(shaken) != Sleep::Held);
}

TEST_CASE("bonded pieces are pushed each by itself: they turn as a whole, and may break", "[force][bond]") {
  for (const double strength : {0.0, 400.0, 40000.0}) {
    Stage s;
    s.scene.gravity = Vec3::Zero();
    s.material(test::stone(1e5));
    for (int k = 0; k < 8; ++k) s.box(Vec3(0.3, 0.3, 0.3), Vec3(0.3 * k - 1.05, 0, 0), Vec3::Zero(), 2000);
    test::bondAll(s);
    Force& f = force(s, ForceKind::Push, ForceUnit::Force, strength, {7});
    f.direction = Vec3::UnitY();
    s.frames(3);
    if (strength == 0) CHECK(s.world().motion().velocity[0].norm() == 0);
    if (strength == 400) {
      const double mass = 8 * 54, about = mass * (2.4 * 2.4 + 0.09) / 12, t = 0.125;
      CHECK(s.world().clusters().size() == 1);
      CHECK(s.world().motion().spin[0].z() == Approx(400 * 1.05 / about * t).epsilon(0.01));
      const Vec3 v = 0.5 * (s.velocity(3) + s.velocity(4));
      CHECK(v.y() == Approx(400 / mass * t).epsilon(0.01));
    }
    if (strength == 40000) CHECK(s.world().bondBroken(6));
  }
}

TEST_CASE("forces are where they were in a restored world", "[force]") {
  const auto made = [] {
    auto s = std::make_unique<Stage>();
    s->ground();
    std::vector<std::size_t> who;
    for (int k = 0; k < 5; ++k) who.push_back(s->box(Vec3(0.2, 0.2, 0.2), Vec3(0.5 * k, 0.1, 0)));
    Force& f = force(*s, ForceKind::Turbulence, ForceUnit::Air, 25, who);
    f.size = 0.6;
    f.from = 16;
    f.to = 24;
    return s;
  };
  const auto straight = made();
  for (int f = 0; f < 36; ++f) {
    const auto other = made();
    other->world().restore(straight->world().save());
    straight->frames(1);
    other->frames(1);
    CAPTURE(f);
    REQUIRE(other->world().save() == straight->world().save());
  }
}

}  // namespace drubble::world
