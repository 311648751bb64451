// SPDX-License-Identifier: Apache-2.0
// A thousand to one: heavy things on light machines and stacks. And what quality may not change.
#include <catch2/catch.hpp>
#include <cmath>

#include "../support/laws.h"
#include "../support/stage.h"
#include "core/base/trig.h"
#include "core/measure/penetration.h"

using namespace drubble;
using drubble::test::say;
using drubble::test::Stage;
using solve::JointKind;

namespace {

double volumeOf(const Vec3& size) { return size.prod(); }

std::size_t boxOf(Stage& s, const Vec3& size, const Vec3& at, double mass) {
  return s.box(size, at, Vec3::Zero(), mass / volumeOf(size));
}

// Where the pieces of a stack of twenty boxes (0.3 m) stand once they sleep: the top one's height.
double stackHeight(double quality, bool heavy_on_top) {
  Stage s;
  s.scene.solver.quality = quality;
  s.ground();
  std::size_t top = 0;
  for (int k = 0; k < 20; ++k)
    top = boxOf(s, Vec3::Constant(0.3), vec3(0, 0.15 + 0.3 * k, 0), heavy_on_top && k == 19 ? 1000 : 27);
  s.frames(96);
  CHECK(s.asleep(top));
  return s.position(top).y();
}

struct Look {
  double bounce = 0, slide = 0, fall = 0;
};

// How high the third bounce goes, how far a box slides, and where a tumbling plank comes to rest.
Look lookAt(double quality) {
  Look out;
  Stage b;
  b.scene.solver.quality = quality;
  b.surface(0.5, 0.7);
  b.ground();
  const std::size_t ball = b.sphere(0.1, vec3(0, 1.1, 0));
  int bounces = 0;
  for (int f = 0; f < 96; ++f) {
    const double before = b.velocity(ball).y();
    b.frames(1);
    const double v = b.velocity(ball).y();
    bounces += before < 0 && v > 0;
    if (bounces == 3) out.bounce = std::max(out.bounce, b.position(ball).y() - 0.1 + v * v / (2 * 9.81));
    if (bounces > 3) break;
  }
  Stage s;
  s.scene.solver.quality = quality;
  s.surface(0.35, 0);
  s.ground();
  const std::size_t box = s.box(vec3(0.4, 0.2, 0.3), vec3(0, 0.1, 0), vec3(4, 0, 1));
  s.frames(96);
  CHECK(s.asleep(box));
  out.slide = s.position(box).norm();
  // A plank that tips over the edge of a block: when it lets go of the edge hangs on friction and contact.
  Stage p;
  p.scene.solver.quality = quality;
  p.surface(0.5, 0.2);
  p.ground();
  const std::size_t block = p.box(vec3(1, 1, 1), vec3(0, 0.5, 0));
  p.scene.pieces[block].role = world::Role::Static;
  const std::size_t plank = p.box(vec3(1.2, 0.06, 0.3), vec3(0.55, 1.03, 0));
  for (int f = 0; f < 96; ++f) {
    p.frames(1);
    for (const solve::Hit& h : p.world().hits())
      if (h.a.index() == 0 && h.b.index() == plank && out.fall == 0) out.fall = h.place.x();
  }
  return out;
}

}  // namespace

TEST_CASE("a thousand kilograms on a chain of one-kilogram links hang where they are let go") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  Stage s;
  s.scene.solver.quality = quality;
  std::size_t before = Stage::kWorld;
  for (int k = 0; k < 10; ++k) {
    const std::size_t now = boxOf(s, vec3(0.05, 0.2, 0.05), vec3(0, -0.2 * (k + 0.5), 0), 1);
    s.join(JointKind::Ball, now, before, vec3(0, -0.2 * k, 0));
    before = now;
  }
  const std::size_t load = boxOf(s, Vec3::Constant(0.5), vec3(0, -2.25, 0), 1000);
  s.join(JointKind::Ball, load, before, vec3(0, -2, 0));
  const double start = s.position(load).y();
  double worst = 0;
  for (int f = 0; f < 72; ++f) {
    s.frames(1);
    worst = std::max(worst, absolute(s.position(load).y() - start));
  }
  say("1000 kg on ten links of 1 kg: stretch, share of 2 m", quality, worst / 2, 0);
  CHECK(worst < 0.001 * 2);
  CHECK(s.asleep(load));
}

TEST_CASE("a lever of one kilogram balances a thousand at its short arm") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  for (const double more : {0.97, 1.03}) {
    Stage s;
    s.scene.solver.quality = quality;
    s.surface(0.8, 0);
    const std::size_t beam = boxOf(s, vec3(2.4, 0.05, 0.4), vec3(0.9, 1, 0), 1);
    // The pin carries it where its own weight is in balance, too: the law counts it.
    s.join(JointKind::Hinge, beam, Stage::kWorld, vec3(0, 1, 0), Vec3::UnitZ());
    const double short_arm = 0.15, long_arm = 1.8, beam_arm = 0.9;
    const double wanted = (1000 * short_arm - 1 * beam_arm) / long_arm;
    const std::size_t heavy = boxOf(s, vec3(0.25, 0.8, 0.4), vec3(-short_arm, 1.425, 0), 1000);
    const std::size_t light = boxOf(s, Vec3::Constant(0.3), vec3(long_arm, 1.175, 0), wanted * more);
    s.frames(8);
    // From rest it goes as its moment about the pin says.
    const double moment = 9.81 * (1000 * short_arm - 1 * beam_arm - wanted * more * long_arm);
    const double spin = s.world().motion().spin[beam].z();
    say(more < 1 ? "lever, 3 % too little: goes up" : "lever, 3 % too much: goes down", quality, spin,
        moment > 0 ? 1 : -1);
    CHECK(spin * moment > 0);
    CHECK(absolute(spin) > 1e-3);
    measure::PenetrationMeter meter;
    CHECK(meter.measure(s.world()).worst < 0.01 * 0.25);
    CHECK(s.position(heavy).y() > 1);
    CHECK(s.position(light).y() > 0.5);
  }
}

TEST_CASE("a table of one kilogram, its legs joined to it, bears a thousand") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  Stage s;
  s.scene.solver.quality = quality;
  s.surface(0.6, 0);
  s.ground();
  const std::size_t top = boxOf(s, vec3(0.8, 0.04, 0.8), vec3(0, 0.62, 0), 0.6);
  for (const double x : {-0.35, 0.35})
    for (const double z : {-0.35, 0.35}) {
      const std::size_t leg = boxOf(s, vec3(0.05, 0.6, 0.05), vec3(x, 0.3, z), 0.1);
      s.join(JointKind::Fixed, leg, top, vec3(x, 0.6, z));
    }
  const std::size_t load = boxOf(s, Vec3::Constant(0.5), vec3(0.05, 0.89, 0.03), 1000);
  s.frames(96);
  const double sag = 0.89 - s.position(load).y();
  say("1000 kg on a table of 1 kg: sag, share of its height", quality, sag / 0.64, 0);
  CHECK(absolute(sag) < 0.005 * 0.64);
  CHECK(vec3(s.position(load).x() - 0.05, 0, s.position(load).z() - 0.03).norm() < 0.005 * 0.5);
  CHECK(s.asleep(load));
  CHECK(s.asleep(top));
}

// The chest's support is a row of the table's joints, what lies on it is not: both count, and at six metres a
// second its momentum is counted again (solve/accounts.h).
TEST_CASE("the same table on a tray that goes bears a chest with a cask on it") {
  const double speed = 6;
  Stage s;
  s.surface(0.6, 0);
  const std::size_t tray = s.box(vec3(3, 0.1, 3), vec3(0, -0.05, 0));
  s.scene.pieces[tray].role = world::Role::Kinematic;
  world::Mover m;
  m.piece = PieceId(tray);
  m.path.rest = s.scene.pieces[tray].start;
  m.path.at.keys = {{1, vec3(0, -0.05, 0)}, {1 + 48, vec3(2 * speed, -0.05, 0)}};
  s.scene.movers.push_back(m);
  const std::size_t top = boxOf(s, vec3(0.8, 0.04, 0.8), vec3(0, 0.62, 0), 0.6);
  for (const double x : {-0.35, 0.35})
    for (const double z : {-0.35, 0.35}) {
      const std::size_t leg = boxOf(s, vec3(0.05, 0.6, 0.05), vec3(x, 0.3, z), 0.1);
      s.join(JointKind::Fixed, leg, top, vec3(x, 0.6, z));
    }
  const std::size_t chest = boxOf(s, Vec3::Constant(0.5), vec3(0.05, 0.89, 0.03), 200);
  const std::size_t cask = boxOf(s, Vec3::Constant(0.3), vec3(0, 1.29, 0), 30);
  for (std::size_t i = 1; i < s.scene.pieces.size(); ++i) s.scene.pieces[i].velocity = vec3(speed, 0, 0);
  s.frames(40);
  const double sunk = 0.89 - s.position(chest).y();
  say("200 kg on a table of 1 kg that goes: sag, share of its height", 1, sunk / 0.64, 0);
  CHECK(absolute(sunk) < 0.005 * 0.64);
  CHECK(absolute(1.29 - s.position(cask).y()) < 0.005 * 0.64);
  CHECK(s.velocity(chest).x() == Approx(speed).epsilon(0.001));
}

TEST_CASE("a flywheel that drives a slider of ten times its mass runs on and gains nothing") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  Stage s;
  s.scene.solver.quality = quality;
  s.scene.gravity = Vec3::Zero();
  const double crank = 0.2, rod = 0.8, spin = 6, radius = 0.25, thick = 0.1;
  const std::size_t wheel =
      s.add(world::cylinderPrototype("w", radius, thick, Vec3::UnitZ(), 20 / (kPi * radius * radius * thick)),
            Vec3::Zero());
  const std::size_t link = boxOf(s, vec3(rod, 0.04, 0.04), vec3(crank + 0.5 * rod, 0, 0.1), 1);
  const std::size_t block = boxOf(s, Vec3::Constant(0.4), vec3(crank + rod, 0, 0.4), 200);
  s.join(JointKind::Hinge, wheel, Stage::kWorld, Vec3::Zero(), Vec3::UnitZ());
  s.join(JointKind::Hinge, link, wheel, vec3(crank, 0, 0.1), Vec3::UnitZ());
  s.join(JointKind::Hinge, block, link, vec3(crank + rod, 0, 0.1), Vec3::UnitZ());
  s.join(JointKind::Slider, block, Stage::kWorld, vec3(crank + rod, 0, 0), Vec3::UnitX());
  // At its dead centre: the block stands, and only the wheel and the rod go.
  s.scene.pieces[wheel].spin = vec3(0, 0, spin);
  s.scene.pieces[link].spin = vec3(0, 0, -spin * crank / rod);
  s.scene.pieces[link].velocity = vec3(0, 0.5 * crank * spin, 0);
  const double start = s.world().stats().kinetic;
  double low = start, high = start;
  for (int f = 0; f < 24 * 20; ++f) {
    s.frames(1);
    low = std::min(low, s.world().stats().kinetic);
    high = std::max(high, s.world().stats().kinetic);
  }
  say("flywheel and slider 1:10: least energy in 20 s, share", quality, low / start, 1);
  say("flywheel and slider 1:10: greatest", quality, high / start, 1);
  CHECK(low > 0.99 * start);
  CHECK(high < 1.01 * start);
}

TEST_CASE("a motor on a crank of one kilogram drives a slider of a thousand where the crank has it") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  Stage s;
  s.scene.solver.quality = quality;
  s.scene.gravity = Vec3::Zero();
  const double crank = 0.2, rod = 0.8;
  const std::size_t wheel = boxOf(s, vec3(crank, 0.04, 0.04), vec3(0.5 * crank, 0, 0), 1);
  const std::size_t link = boxOf(s, vec3(rod, 0.04, 0.04), vec3(crank + 0.5 * rod, 0, 0), 1);
  const std::size_t block = boxOf(s, Vec3::Constant(0.4), vec3(crank + rod, 0, 0), 1000);
  solve::Joint& motor = s.join(JointKind::Hinge, wheel, Stage::kWorld, Vec3::Zero(), Vec3::UnitZ());
  motor.motor_speed = 2;  // rad/s: the block needs up to 160 N m
  motor.motor_strength = 400;
  s.join(JointKind::Hinge, link, wheel, vec3(crank, 0, 0), Vec3::UnitZ());
  s.join(JointKind::Hinge, block, link, vec3(crank + rod, 0, 0), Vec3::UnitZ());
  s.join(JointKind::Slider, block, Stage::kWorld, vec3(crank + rod, 0, 0), Vec3::UnitX());
  double worst_place = 0, worst_speed = 0, turned = 0;
  for (int f = 0; f < 24 * 10; ++f) {
    s.frames(1);
    const auto& m = s.world().motion();
    const Vec3 pin = m.pose(wheel).toWorld(vec3(0.5 * crank, 0, 0));
    const double reach = std::sqrt(rod * rod - pin.y() * pin.y()), spin = m.spin[wheel].z();
    const double place = pin.x() + reach, speed = spin * (-pin.y() - pin.y() * pin.x() / reach);
    worst_place = std::max(worst_place, absolute(m.position[block].x() - place));
    worst_speed = std::max(worst_speed, absolute(m.velocity[block].x() - speed));
    if (f > 12) CHECK(spin == Approx(2).epsilon(0.01));
    turned += spin / 24;
  }
  say("crank and slider 1:1000: the slider off its place, m", quality, worst_place, 0);
  say("crank and slider 1:1000: its speed off, share", quality, worst_speed / (2 * crank), 0);
  CHECK(worst_place < 1e-5);
  CHECK(worst_speed < 0.002 * 2 * crank);
  CHECK(turned > 2.5 * 2 * kPi);
}

TEST_CASE("a heavy load on a light ramp of joints holds or slides as friction says") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  for (const double mu : {0.3, 0.57, 0.585}) {
    Stage s;
    s.scene.solver.quality = quality;
    s.surface(mu, 0);
    const double slope = 30 * kDegree;  // its tangent: 0.5774
    s.scene.gravity = 9.81 * vec3(std::sin(slope), -std::cos(slope), 0);
    // Two planks side by side, hinged to each other, held at three places.
    const std::size_t left = boxOf(s, vec3(4, 0.04, 0.5), vec3(2, -0.02, -0.25), 1),
                      right = boxOf(s, vec3(4, 0.04, 0.5), vec3(2, -0.02, 0.25), 1);
    s.join(JointKind::Hinge, left, right, vec3(2, 0, 0), Vec3::UnitX());
    s.join(JointKind::Fixed, left, Stage::kWorld, vec3(0, 0, -0.25));
    s.join(JointKind::Ball, right, Stage::kWorld, vec3(4, 0, 0.5));
    const std::size_t load = boxOf(s, vec3(0.4, 0.2, 0.6), vec3(0.6, 0.1, 0), 500);
    s.frames(24);
    const double moved = s.position(load).x() - 0.6;
    const double law = mu < std::tan(slope) ? 0.5 * 9.81 * (std::sin(slope) - mu * std::cos(slope)) : 0;
    say("500 kg on planks of 1 kg: how far it slides in 1 s", quality, moved, law);
    if (mu < 0.5) CHECK(moved == Approx(law).epsilon(0.02));
    if (law == 0) CHECK(absolute(moved) < 1e-3);
    if (law > 0) CHECK(moved > 0.5 * law);
  }
}

TEST_CASE("half and double quality: bounce, friction and a fall over an edge look the same") {
  const Look normal = lookAt(1);
  REQUIRE(normal.bounce > 0.05);
  REQUIRE(normal.slide > 1);
  REQUIRE(normal.fall > 0.3);
  for (const double quality : {0.5, 2.0}) {
    const Look other = lookAt(quality);
    say("look: height of the third bounce", quality, other.bounce, normal.bounce);
    say("look: distance to a stop", quality, other.slide, normal.slide);
    say("look: where a plank off an edge lands", quality, other.fall, normal.fall);
    CHECK(other.bounce == Approx(normal.bounce).epsilon(0.02));
    CHECK(other.slide == Approx(normal.slide).epsilon(0.02));
    CHECK(other.fall == Approx(normal.fall).epsilon(0.02));
  }
}

TEST_CASE("half and double quality: a stack of twenty sags as much, light or heavy at the top", "[slow]") {
  const bool heavy = GENERATE(false, true);
  const double height = 20 * 0.3, normal = stackHeight(1, heavy);
  say(heavy ? "stack with 1000 kg at the top: sag, share of height" : "stack of twenty: sag, share of height",
      1, (height - 0.15 - normal) / height, 0);
  for (const double quality : {0.5, 2.0}) {
    const double other = stackHeight(quality, heavy);
    say("its difference, share of height", quality, (other - normal) / height, 0);
    CHECK(absolute(other - normal) < 0.001 * height);
  }
}

namespace {

constexpr double kThick = 0.05;

// A disc of 10 kg on a cask of 138 kg; two chests of 112 kg are dropped upon it from a centimetre.
struct Squeezed : Stage {
  double worst = 0;  // overlap, share of the disc's thickness
  explicit Squeezed(double quality) {
    scene.solver.quality = quality;
    surface(0.45, 0.1);
    ground();
    add(world::cylinderPrototype("cask", 0.28, 0.8, Vec3::UnitY(), 700), vec3(0, 0.41, 0));
    add(world::cylinderPrototype("disc", 0.3, kThick, Vec3::UnitY(), 700), vec3(0, 0.86, 0));
    for (int k = 0; k < 2; ++k) box(vec3(0.8, 0.4, 0.5), vec3(0.1, 1.12 + 0.42 * k, 0.12), Vec3::Zero(), 700);
  }
  void run() {
    measure::PenetrationMeter meter;
    for (int f = 0; f < 96; ++f) {
      frames(1);
      worst = std::max(worst, meter.measure(world()).worst / kThick);
    }
  }
};

}  // namespace

TEST_CASE("a thin light disc between a heavy cask and heavy chests bears them: all stands and sleeps") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  Squeezed s(quality);
  s.run();
  measure::PenetrationMeter meter;
  const double rest = meter.measure(s.world()).worst / kThick;
  say("disc of 10 kg under chests of 112: overlap at rest, of 0.05 m", quality, rest, 0);
  CHECK(rest < 0.02);
  CHECK(s.world().stats().awake == 0);
  CHECK(s.world().motion().position[2].y() == Approx(0.825).margin(0.001));
  CHECK(s.world().motion().position[4].y() == Approx(1.45).margin(0.002));
}

// Not held yet, and so left out unless it is asked for: docs/physics.md, "What does not hold yet".
TEST_CASE("nor do they sink into it as they land", "[.squeezed][slow]") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  Squeezed s(quality);
  s.run();
  say("the same: the most on the way, of 0.05 m", quality, s.worst, 0);
  CHECK(s.worst < 0.02);
}
