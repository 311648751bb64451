// SPDX-License-Identifier: Apache-2.0
// Laws of many: a blow through a row, how densely balls lie, masonry that stands.
#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <cstdio>

#include "../support/stage.h"
#include "core/base/random.h"
#include "core/base/trig.h"
#include "core/measure/penetration.h"

using namespace drubble;
using drubble::test::Stage;

// Hanging needs joints: here the five stand in a row without friction, touching or nearly.
TEST_CASE("law 10: of five balls in a row the last leaves with the blow, the others stay") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  const double gap = GENERATE(0.0, 1e-6, 1e-3);
  const bool backward = GENERATE(false, true);  // numbered against the blow
  Stage s;
  s.scene.solver.quality = quality;
  s.surface(0, 1);
  s.ground();
  const double radius = 0.05, speed = 2;
  std::vector<std::size_t> balls;
  for (int k = 0; k < 5; ++k) {
    const int i = backward ? 4 - k : k;
    const double x = i == 0 ? -0.5 : i * (2 * radius + gap);
    balls.push_back(s.sphere(radius, vec3(x, radius, 0), i == 0 ? vec3(speed, 0, 0) : Vec3(Vec3::Zero())));
  }
  if (backward) std::reverse(balls.begin(), balls.end());
  s.frames(24);
  const double last = s.velocity(balls[4]).x();
  std::printf("  10 five balls, gap %-6g quality %-4g %s last leaves with %.4f of the speed\n", gap, quality,
              backward ? "numbered backward," : "", last / speed);
  CHECK(last / speed == Approx(1).margin(0.05));
  for (int k = 0; k < 4; ++k) CHECK(s.velocity(balls[static_cast<std::size_t>(k)]).norm() < 0.05 * speed);
}

namespace {

// What share of the bin's middle the balls fill, by sampling: two diameters and more from walls and bottom,
// three from the top.
double packing(Stage& s, const std::vector<std::size_t>& balls, double radius, double half) {
  double top = 0;
  std::vector<double> heights;
  for (const std::size_t i : balls) heights.push_back(s.position(i).y());
  std::sort(heights.begin(), heights.end());
  top = heights[heights.size() * 9 / 10] - 4 * radius;
  const double bottom = 5 * radius, side = half - 4 * radius;
  RandomStream r(11, "samples");
  int in = 0;
  const int samples = 60000;
  for (int k = 0; k < samples; ++k) {
    const Vec3 p = vec3(r.between(-side, side), r.between(bottom, top), r.between(-side, side));
    for (const std::size_t i : balls)
      if ((s.position(i) - p).squaredNorm() < radius * radius) {
        ++in;
        break;
      }
  }
  return static_cast<double>(in) / samples;
}

void walls(Stage& s, double half, double height) {
  const double t = 0.5;
  for (const double side : {-1.0, 1.0}) {
    s.box(vec3(t, height, 2 * half + 2 * t), vec3(side * (half + 0.5 * t), 0.5 * height, 0));
    s.scene.pieces.back().role = world::Role::Static;
    s.box(vec3(2 * half, height, t), vec3(0, 0.5 * height, side * (half + 0.5 * t)));
    s.scene.pieces.back().role = world::Role::Static;
  }
}

}  // namespace

TEST_CASE("law 13: how densely poured balls lie", "[slow]") {
  const double friction = GENERATE(0.0, 0.5);
  Stage s;
  const double radius = 0.05, half = 0.5;
  s.material({"ball", 1000, friction, friction, 0, true});
  s.ground();
  walls(s, half, 6);
  RandomStream r(13, "pour");
  std::vector<std::size_t> balls;
  // Without friction they are set down close together, with it they fall in.
  const double pitch = friction == 0 ? 2.3 * radius : 2.6 * radius;
  const int row = static_cast<int>(2 * half / pitch);
  for (int k = 0; k < 1500; ++k) {
    const Vec3 cell = vec3(k % row + 0.5, k / (row * row) + 0.5, k / row % row + 0.5) * pitch;
    const double slack = 0.5 * (pitch - 2 * radius);
    const Vec3 vary = slack * vec3(r.between(-1, 1), r.between(-1, 1), r.between(-1, 1));
    balls.push_back(s.sphere(radius, cell + vary - vec3(0.5 * row * pitch, 0, 0.5 * row * pitch)));
    s.scene.pieces.back().velocity = 0.3 * vec3(r.between(-1, 1), 0, r.between(-1, 1));
  }
  s.frames(friction == 0 ? 96 : 72);
  const double share = packing(s, balls, radius, half);
  std::printf("  13 packing of 1500 balls, friction %g: %.4f\n", friction, share);
  if (friction == 0) {
    CHECK(share > 0.62);
    CHECK(share < 0.645);
  } else {
    CHECK(share > 0.56);
    CHECK(share < 0.61);
  }
}

TEST_CASE("law 13 again, by a pour", "[slow]") {
  const double friction = GENERATE(0.0, 0.5);
  Stage s;
  const double radius = 0.05, half = 0.5;
  const int count = 1500;
  s.material({"ball", 1000, friction, friction, 0, true});
  s.ground();
  walls(s, half, 6);
  std::vector<std::size_t> balls;
  world::Pour& p = s.scene.pours.emplace_back();
  p.name = "balls";
  p.seed = 13;
  p.source.kind = place::SourceKind::Box;
  p.source.at = vec3(0, 1.75, 0);
  p.source.size = vec3(0.88, 0.5, 0.88);
  p.clear = 0.002;
  p.kits.push_back({{Pose{}}, {Vec3::Zero()}, {Vec3::Zero()}, Vec3::Zero(), radius});
  for (int k = 0; k < count; ++k) {
    const std::size_t i = s.sphere(radius, p.source.at);
    s.scene.pieces[i].start_state = world::Start::Unborn;
    p.births.push_back({1 + 24 * (k + 0.5) / count, 0, static_cast<std::uint32_t>(i), 0});
    balls.push_back(i);
  }
  p.source.prepare();
  s.frames(friction == 0 ? 120 : 96);
  CHECK(s.world().pourStates()[0].born == count);
  const double share = packing(s, balls, radius, half);
  std::printf("  13 packing of 1500 balls, poured, friction %g: %.4f\n", friction, share);
  CHECK(share > (friction == 0 ? 0.62 : 0.56));
  CHECK(share < (friction == 0 ? 0.645 : 0.61));
}

namespace {

const Vec3 kBlock = vec3(0.5, 0.25, 0.3);

void lay(Stage& s, int layer, double from, double to) {
  s.box(vec3(absolute(to - from), kBlock.y(), kBlock.z()),
        vec3(0.5 * (from + to), (layer + 0.5) * kBlock.y(), 0));
}

// Blocks end to end from `from` towards `to` along x, the first of a given length; what is left at the end is
// part of the last.
void course(Stage& s, int layer, double from, double to, double first) {
  const double way = to > from ? 1 : -1;
  for (double x = from, length = first; way * (to - x) > 1e-9; length = kBlock.x()) {
    if (way * (to - x) < 1.5 * kBlock.x()) length = way * (to - x);
    lay(s, layer, x, x + way * length);
    x += way * length;
  }
}

void wall(Stage& s) {
  for (int layer = 0; layer < 20; ++layer) course(s, layer, 0, 15.25, layer % 2 == 0 ? 0.5 : 0.25);
}

// Courses that come nearer to each other from the seventh on, until two close the way.
void gateway(Stage& s) {
  for (int layer = 0; layer < 12; ++layer) {
    const double open = layer < 6 ? 0.5 : 0.5 - 0.1 * (layer - 5);
    if (layer < 10)
      for (const double side : {-1.0, 1.0})
        course(s, layer, side * open, side * 3, layer < 6 && layer % 2 == 1 ? 0.25 : 0.5);
    else
      course(s, layer, -3, 3, layer % 2 == 0 ? 0.5 : 0.25);
  }
}

// A round tower of dry blocks, each course turned by half a block.
void tower(Stage& s) {
  const int blocks = 16;
  const double radius = kBlock.x() * blocks / (2 * 3.14159265358979);
  for (int layer = 0; layer < 16; ++layer)
    for (int k = 0; k < blocks; ++k) {
      const double angle = 2 * 3.14159265358979 * (k + 0.5 * (layer % 2)) / blocks;
      s.box(vec3(0.86 * kBlock.x(), kBlock.y(), kBlock.z()),
            vec3(radius * std::cos(angle), (layer + 0.5) * kBlock.y(), radius * std::sin(angle)));
      s.scene.pieces.back().start.turn = turnXyz(vec3(0, 1.5707963267949 - angle, 0));
    }
}

}  // namespace

TEST_CASE("dry masonry stands from the first frame on, and sleeps", "[slow]") {
  const auto [name, build] = GENERATE(table<const char*, void (*)(Stage&)>(
      {{"wall of 600 blocks", wall}, {"corbelled gateway", gateway}, {"round tower", tower}}));
  Stage s;
  s.surface(0.6, 0);
  s.ground();
  build(s);
  const auto worst = [&] {
    double most = 0;
    for (std::size_t i = 1; i < s.scene.pieces.size(); ++i)
      most = std::max(most, (s.position(i) - s.scene.pieces[i].start.position).norm());
    return most / kBlock.y();
  };
  s.frames(1);
  const double first = worst();
  s.frames(95);
  std::printf(
      "  %s (%zu blocks): moved by %.4f %% of a block's height in frame one, %.4f %% in four seconds, "
      "%u awake\n",
      name, s.scene.pieces.size() - 1, 100 * first, 100 * worst(), s.world().stats().awake);
  CHECK(first < 0.001);
  CHECK(worst() < 0.01);
  CHECK(s.world().stats().awake == 0);
}

namespace {

// Slabs on one another, each turned and set off a little against the one below.
struct Slabs : Stage {
  std::vector<std::size_t> slabs;
  Slabs(int count, double thick) {
    surface(0.5, 0.5);
    ground();
    for (int k = 0; k < count; ++k) {
      const double way = k % 2 == 0 ? 1 : -1, more = 0.3 * (k % 5);
      slabs.push_back(box(vec3(0.6, thick, 0.4), vec3(0.01 * way, thick * (k + 0.5), 0.006 * (k % 3)),
                          Vec3::Zero(), 7850));
      scene.pieces.back().start.turn = turnAbout(Vec3::UnitY(), 0.05 * way * (1 - 0.2 * more));
    }
  }
  double energy() { return world().stats().kinetic + world().stats().potential; }
};

}  // namespace

// In two ways a stack may rock and spring for ever: where patches leave out a corner that bears, slabs tip
// over what is left; where a blow does not reach the ground, all sink in and are thrown back.
TEST_CASE("a stack of slabs that is shoved or struck comes to rest, and gains nothing") {
  const bool struck = GENERATE(false, true);
  const double quality = GENERATE(0.5, 1.0, 2.0);
  Slabs s(struck ? 40 : 12, struck ? 0.008 : 0.04);
  s.scene.solver.quality = quality;
  if (struck)
    s.sphere(0.15, vec3(-0.7, 0.2, 0.05), vec3(8, 0, 0), 7200);
  else
    s.scene.pieces[s.slabs[5]].velocity = vec3(3, 0, 0);
  measure::PenetrationMeter meter;
  double gained = 0, worst = 0;
  s.frames(1);
  const double all = s.energy();
  s.frames(2);
  for (int f = 3; f < 120; ++f) {
    const double before = s.energy();
    s.frames(1);
    if (f > 7) gained += greatest(s.energy() - before, 0);
    worst = greatest(worst, meter.measure(s.world()).worst_share);
  }
  std::size_t asleep = 0;
  for (const std::size_t i : s.slabs) asleep += s.asleep(i);
  const double share = gained / all;
  std::printf("  %s stack, quality %-4g gains %.4f of all energy, overlaps by %.3f, %zu of %zu asleep\n",
              struck ? "struck" : "shoved", quality, share, worst, asleep, s.slabs.size());
  CHECK(share < 0.02);  // what springs held is given back
  CHECK(worst < 0.12);
  CHECK(asleep == s.slabs.size());
}

// Its lower slabs bear more than what springs are stiffened for, and less when it swings upwards.
TEST_CASE("a stack of a hundred slabs that is struck from above does not breathe", "[slow]") {
  Slabs s(100, 0.008);
  s.sphere(0.08, vec3(0, 1.2, 0), vec3(0, -6, 0), 7200);
  s.frames(36);
  double lowest = s.world().stats().potential, highest = lowest;
  for (int f = 36; f < 60; ++f) {
    s.frames(1);
    lowest = least(lowest, s.world().stats().potential);
    highest = greatest(highest, s.world().stats().potential);
  }
  std::printf("  a hundred slabs: potential energy between %.3f and %.3f J from frame 36 on, %u awake\n",
              lowest, highest, s.world().stats().awake);
  CHECK(highest - lowest < 1e-4 * highest);
}
