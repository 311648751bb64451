// SPDX-License-Identifier: Apache-2.0
// Closed forms of pendulums, springs, chains and heavy loads on joints, at default settings and at half and
// double quality.
#include <catch2/catch.hpp>
#include <cmath>
#include <cstdio>

#include "../support/laws.h"
#include "../support/stage.h"
#include "core/base/trig.h"

using namespace drubble;
using drubble::test::say;
using drubble::test::Stage;
using solve::JointKind;

namespace {

constexpr double kFrame = 1.0 / 24;

// The complete elliptic integral of the first kind by the arithmetic-geometric mean.
double ellipticK(double k) {
  double a = 1, b = std::sqrt(1 - k * k);
  while (a - b > 1e-15) {
    const double mean = 0.5 * (a + b);
    b = std::sqrt(a * b);
    a = mean;
  }
  return kPi / (2 * a);
}

// The times at which a sampled value crosses zero upwards, by a parabola's straight part.
std::vector<double> crossings(const std::vector<double>& x) {
  std::vector<double> out;
  for (std::size_t i = 1; i < x.size(); ++i)
    if (x[i - 1] < 0 && x[i] >= 0)
      out.push_back(kFrame * (static_cast<double>(i) - x[i] / (x[i] - x[i - 1])));
  return out;
}

double largest(const std::vector<double>& x, std::size_t begin, std::size_t end) {
  double most = 0;
  for (std::size_t i = begin; i < end && i < x.size(); ++i) most = std::max(most, absolute(x[i]));
  return most;
}

}  // namespace

TEST_CASE("law 6: a bar that swings on a hinge is a physical pendulum") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  const double amplitude = GENERATE(5.0, 90.0) * kDegree;
  Stage s;
  s.scene.solver.quality = quality;
  const double length = 1, thick = 0.05;
  const std::size_t bar = s.box(vec3(length, thick, thick), Vec3::Zero());
  const double angle = amplitude - 0.5 * kPi;  // of the bar above the horizontal: it hangs at -90
  s.scene.pieces[bar].start.position = 0.5 * length * vec3(std::cos(angle), std::sin(angle), 0);
  s.scene.pieces[bar].start.turn = turnAbout(Vec3::UnitZ(), angle);
  s.join(JointKind::Hinge, bar, Stage::kWorld, Vec3::Zero(), Vec3::UnitZ());
  const double inertia =
      (length * length + thick * thick) / 12 + 0.25 * length * length;  // of 1 kg, about the pin
  const double law = 4 * ellipticK(std::sin(0.5 * amplitude)) / std::sqrt(9.81 * 0.5 * length / inertia);
  std::vector<double> swing;
  double worst_gap = 0;
  for (int f = 0; f < 24 * 20; ++f) {
    s.frames(1);
    const Vec3 p = s.position(bar);
    swing.push_back(std::atan2(p.x(), -p.y()));
    worst_gap = std::max(worst_gap, absolute(p.norm() - 0.5 * length));
  }
  const std::vector<double> t = crossings(swing);
  REQUIRE(t.size() > 5);
  const double period = (t.back() - t.front()) / static_cast<double>(t.size() - 1);
  say(amplitude > 1 ? "6 pendulum, 90 degrees: period" : "6 pendulum, 5 degrees: period", quality, period,
      law);
  const double early = largest(swing, 0, 60), late = largest(swing, swing.size() - 60, swing.size());
  say("6 its amplitude after 20 s", quality, late, early);
  CHECK(period == Approx(law).epsilon(0.01));
  CHECK(late == Approx(early).epsilon(0.02));
  CHECK(worst_gap < 1e-4 * length);
}

TEST_CASE("law 7: a mass on a spring swings at its own rate and keeps its amplitude") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  const double mass = GENERATE(1.0, 1000.0);
  Stage s;
  s.scene.solver.quality = quality;
  const std::size_t box = s.box(Vec3::Constant(0.1), vec3(0, -1, 0), Vec3::Zero(), 1000 * mass);
  solve::Joint& j = s.tie(JointKind::Spring, box, Stage::kWorld, vec3(0, -1, 0), Vec3::Zero());
  j.stiffness = mass * 4 * kPi * kPi;  // 1 Hz
  const double sag = 9.81 / (4 * kPi * kPi);
  j.length = 1 - sag;  // at rest at -1
  s.scene.pieces[box].velocity = vec3(0, 0.3, 0);
  std::vector<double> y;
  for (int f = 0; f < 24 * 21; ++f) {
    s.frames(1);
    y.push_back(s.position(box).y() + 1);
  }
  const std::vector<double> t = crossings(y);
  REQUIRE(t.size() >= 19);
  const double frequency = static_cast<double>(t.size() - 1) / (t.back() - t.front());
  say("7 spring and mass: frequency", quality, frequency, 1);
  const double law = 0.3 / (2 * kPi), late = largest(y, y.size() - 48, y.size());
  say("7 its amplitude in the 20th period", quality, late, law);
  CHECK(frequency == Approx(1).epsilon(0.01));
  CHECK(late == Approx(law).epsilon(0.05));
}

TEST_CASE("law 10: of five hanging balls the last one takes the blow of the first") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  Stage s;
  s.scene.solver.quality = quality;
  s.surface(0, 1);
  const double r = 0.1, length = 1;
  std::vector<std::size_t> balls;
  for (int k = 0; k < 5; ++k) {
    const double angle = k == 0 ? 0.5 : 0;
    const Vec3 pin = vec3(2 * r * k, length, 0);
    const Vec3 at = pin + length * vec3(-std::sin(angle), -std::cos(angle), 0);
    balls.push_back(s.sphere(r, at));
    s.tie(JointKind::Rope, balls.back(), Stage::kWorld, at, pin);
  }
  const double law = std::sqrt(2 * 9.81 * length * (1 - std::cos(0.5)));
  double last = 0, others = 0;
  for (int f = 0; f < 24; ++f) {
    s.frames(1);
    if (s.velocity(balls[4]).norm() <= last) continue;
    last = s.velocity(balls[4]).norm();
    others = 0;
    for (int k = 0; k < 4; ++k)
      others = std::max(others, s.velocity(balls[static_cast<std::size_t>(k)]).norm());
  }
  // The frame's end lies up to a frame after the blow: by then gravity has taken a little.
  say("10 hanging balls: the last one's speed", quality, last, law);
  say("10 the others', as a share", quality, others / law, 0);
  CHECK(last == Approx(law).epsilon(0.05));
  CHECK(others < 0.05 * law);
}

TEST_CASE("a chain of fifty links with two hundred links' weight on its end hardly stretches", "[slow]") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  Stage s;
  s.scene.solver.quality = quality;
  const double link = 0.1;
  std::size_t before = Stage::kWorld;
  for (int k = 0; k < 50; ++k) {
    const std::size_t now = s.box(vec3(0.04, link, 0.04), vec3(0, -link * (k + 0.5), 0));
    s.join(JointKind::Ball, now, before, vec3(0, -link * k, 0));
    before = now;
  }
  const double mass = 1000 * 0.04 * 0.04 * link * 200;
  const std::size_t load =
      s.box(Vec3::Constant(0.3), vec3(0, -50 * link - 0.15, 0), Vec3::Zero(), mass / 0.027);
  s.join(JointKind::Ball, load, before, vec3(0, -50 * link, 0));
  const double start = s.position(load).y();
  double worst = 0;
  for (int f = 0; f < 72; ++f) {
    s.frames(1);
    worst = std::max(worst, absolute(s.position(load).y() - start));
  }
  say("chain of 50, 200 links' weight: stretch, share", quality, worst / (50 * link), 0);
  CHECK(worst < 0.01 * 50 * link);
  CHECK(s.asleep(load));
}

namespace {

// A boom on a hinge against a spring, let go from the horizontal: its lowest and highest angle.
std::pair<double, double> sprungBoom(double quality) {
  Stage s;
  s.scene.solver.quality = quality;
  const std::size_t boom = s.box(vec3(2, 0.1, 0.1), vec3(1, 0, 0));
  s.join(JointKind::Hinge, boom, Stage::kWorld, Vec3::Zero(), Vec3::UnitZ());
  solve::Joint& j = s.tie(JointKind::Spring, boom, Stage::kWorld, vec3(2, 0, 0), vec3(1, 2, 0));
  j.stiffness = 300;
  j.damping = 5;
  double low = 0, high = -10;
  for (int f = 0; f < 72; ++f) {
    s.frames(1);
    const double angle = std::atan2(s.position(boom).y(), s.position(boom).x());
    if (high < -5 && angle >= low) high = angle;
    if (high < -5) low = std::min(low, angle);
    if (high > -5) high = std::max(high, angle);
  }
  return {low, high};
}

// A load thrown by a driven slider, and where it lands.
double thrownLoad(double quality) {
  Stage s;
  s.scene.solver.quality = quality;
  s.surface(1, 0.3);
  s.ground();
  const std::size_t arm = s.box(vec3(0.3, 0.05, 0.3), vec3(0, 1, 0), Vec3::Zero(), 2000),
                    load = s.box(Vec3::Constant(0.2), vec3(0, 1.126, 0));
  solve::Joint& j = s.join(JointKind::Slider, arm, Stage::kWorld, vec3(0, 1, 0), vec3(1, 1, 0).normalized());
  j.low = 0;
  j.high = 0.8;
  j.motor_speed = 5;
  j.motor_strength = 600;
  for (int f = 0; f < 120; ++f) {
    s.frames(1);
    for (const solve::Hit& h : s.world().hits())
      if (h.a.index() == 0 && h.b.index() == load) return h.place.x();
  }
  return 0;
}

// Pieces thrown over the ground, one by one: where each touches it first.
std::vector<Vec3> landings(double time_scale) {
  Stage s;
  s.scene.time_scale = time_scale;
  s.surface(0.5, 0.3);
  s.ground();
  for (int k = 0; k < 24; ++k) {
    const double turn = 0.7 * k;
    const std::size_t i = s.box(vec3(0.2, 0.1, 0.15), vec3(3.0 * (k % 6), 1 + 0.1 * (k % 5), 4.0 * (k / 6)),
                                vec3(0.8 * std::cos(turn), 1 + 0.1 * (k % 7), 0.8 * std::sin(turn)));
    s.scene.pieces[i].spin = vec3(3 * std::sin(turn), 2, 5 * std::cos(turn));
  }
  std::vector<Vec3> out(s.scene.pieces.size(), Vec3::Zero());
  std::vector<char> landed(out.size(), 0);
  for (int f = 0; f < static_cast<int>(48 / time_scale); ++f) {
    s.frames(1);
    for (const solve::Hit& h : s.world().hits())
      if (!landed[h.b.index()])
        landed[h.b.index()] = 1, out[h.b.index()] = h.place - s.scene.pieces[h.b.index()].start.position;
  }
  return out;
}

}  // namespace

TEST_CASE("half and double quality: a sprung boom swings as far, a thrown load lands in the same place") {
  const auto [low, high] = sprungBoom(1);
  const double thrown = thrownLoad(1);
  REQUIRE(low < -0.3);
  REQUIRE(thrown > 1);
  for (const double quality : {0.5, 2.0}) {
    const auto [lower, higher] = sprungBoom(quality);
    say("sprung boom: how far it goes down", quality, lower, low);
    say("sprung boom: how far it comes up again", quality, higher - lower, high - low);
    say("thrown load: where it lands", quality, thrownLoad(quality), thrown);
    CHECK(lower == Approx(low).epsilon(0.02));
    CHECK(higher - lower == Approx(high - low).epsilon(0.02));
    CHECK(thrownLoad(quality) == Approx(thrown).epsilon(0.02));
  }
}

TEST_CASE("the same drop at half and at a quarter of the time lands in the same places", "[slow]") {
  const std::vector<Vec3> full = landings(1);
  double spread = 0;
  for (const Vec3& p : full) spread = std::max(spread, vec3(p.x(), 0, p.z()).norm());
  for (const double scale : {0.5, 0.25}) {
    const std::vector<Vec3> slow = landings(scale);
    double worst = 0;
    for (std::size_t i = 0; i < full.size(); ++i) worst = std::max(worst, (slow[i] - full[i]).norm());
    std::printf("  slowed to %-4g: landing places off by at most %.4f %% of the spread\n", scale,
                100 * worst / spread);
    CHECK(worst < 0.03 * spread);
  }
}

TEST_CASE("a shot slowed by keys is the same event") {
  const auto run = [](bool slowed) {
    Stage s;
    s.surface(0.4, 0.5);
    s.ground();
    const std::size_t ball = s.sphere(0.1, vec3(0, 2, 0), vec3(1, 0, 0));
    if (slowed) s.scene.time_scales.keys = {{1, vec3(1, 0, 0)}, {13, vec3(0.5, 0, 0)}, {25, vec3(0.5, 0, 0)}};
    // Twelve frames that slow to half are nine at full speed.
    s.frames(slowed ? 24 : 15);
    CHECK(s.scene.secondsAt(s.world().frame()) == Approx(15.0 / 24));
    return s.position(ball);
  };
  const Vec3 straight = run(false), slow = run(true);
  CHECK((straight - slow).norm() < 1e-3);
}
