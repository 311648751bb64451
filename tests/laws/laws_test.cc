// SPDX-License-Identifier: Apache-2.0
// Closed forms that the simulation answers to, at default settings and at half and double quality.
// Prints the measured value beside the law's.
#include <catch2/catch.hpp>
#include <cmath>
#include <cstdio>

#include "../support/laws.h"
#include "../support/stage.h"
#include "core/base/trig.h"

using namespace drubble;
using drubble::test::say;
using drubble::test::Stage;
using drubble::test::tilted;

TEST_CASE("law 1: a thrown spinning piece follows the parabola") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  Stage s;
  s.scene.solver.quality = quality;
  const std::size_t i = s.box(vec3(0.1, 0.2, 0.3), vec3(1, 2, 3), vec3(3, 8, -2));
  s.scene.pieces[i].spin = vec3(4, 7, -3);
  s.frames(48);
  const Vec3 law = vec3(1, 2, 3) + 2.0 * vec3(3, 8, -2) + 0.5 * 4.0 * vec3(0, -9.81, 0);
  say("1 throw, height after 2 s", quality, s.position(i).y(), law.y());
  CHECK((s.position(i) - law).norm() < 1e-4 * (law - vec3(1, 2, 3)).norm());
}

TEST_CASE("law 2: bounce heights of a sphere and of a flat box") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  const double e = GENERATE(0.3, 0.6, 0.9);
  const bool flat = GENERATE(false, true);
  Stage s;
  s.scene.solver.quality = quality;
  s.surface(0.5, e);
  s.ground();
  const double half = 0.1, drop = 1;
  const std::size_t i = flat ? s.box(Vec3::Constant(2 * half), vec3(0, half + drop, 0))
                             : s.sphere(half, vec3(0, half + drop, 0));
  // Tops of the arcs, from place and speed in free flight; a new arc begins when the top changes.
  std::vector<double> tops;
  double last = drop;
  for (int frame = 0; frame < 400; ++frame) {
    s.frames(1);
    const double v = s.velocity(i).y(), top = s.position(i).y() - half + v * v / (2 * 9.81);
    if (absolute(top - last) > 1e-3 * last && v * v / (2 * 9.81) + s.position(i).y() - half > 0)
      tops.push_back(last = top);
  }
  double height = drop, worst = 0;
  int bounces = 0;
  for (std::size_t n = 0; n < tops.size(); ++n) {
    height *= e * e;
    if (height < 0.01 * 2 * half) break;
    ++bounces;
    if (absolute(tops[n] / height - 1) > absolute(worst)) worst = tops[n] / height - 1;
  }
  std::printf("  2 bounce e=%.1f %-6s quality %-4g %2d bounces, worst height off %8.4f %%\n", e,
              flat ? "box" : "sphere", quality, bounces, 100 * worst);
  const int expected = static_cast<int>(std::floor(std::log(0.01 * 2 * half / drop) / std::log(e * e)));
  CHECK(bounces == expected);
  CHECK(absolute(worst) < 0.02);
}

TEST_CASE("law 3: a box on a slope holds below the friction angle and slides above") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  const double mu = GENERATE(0.2, 0.5, 1.0);
  for (const double share : {0.99, 1.01}) {
    Stage s;
    s.scene.solver.quality = quality;
    s.surface(mu, 0);
    s.scene.gravity = tilted(std::atan(mu * share));
    s.ground();
    const std::size_t i = s.box(vec3(0.4, 0.1, 0.4), vec3(0, 0.05, 0));
    s.frames(72);
    std::printf("  3 slope mu=%.1f at %.2f of it: quality %-4g moved %.6f m in 3 s%s\n", mu, share, quality,
                s.position(i).x(), s.asleep(i) ? ", asleep" : "");
    if (share < 1) {
      CHECK(absolute(s.position(i).x()) < 1e-3);
    } else {
      const double angle = std::atan(mu * share);
      CHECK(s.position(i).x() > 0.5 * 0.5 * 9.81 * (std::sin(angle) - mu * std::cos(angle)) * 9);
      CHECK_FALSE(s.asleep(i));
    }
  }
}

TEST_CASE("law 4: sliding down, and sliding to a stop") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  {
    Stage s;
    s.scene.solver.quality = quality;
    s.surface(0.3, 0);
    const double angle = 30 * kDegree;
    s.scene.gravity = tilted(angle);
    s.ground();
    const std::size_t i = s.box(vec3(0.4, 0.1, 0.4), vec3(0, 0.05, 0));
    s.frames(48);
    const double law = 9.81 * (std::sin(angle) - 0.3 * std::cos(angle));
    const double measured = 2 * s.position(i).x() / 4;
    say("4 acceleration down 30 degrees, mu 0.3", quality, measured, law);
    CHECK(absolute(measured / law - 1) < 0.02);
  }
  Stage s;
  s.scene.solver.quality = quality;
  s.surface(0.4, 0);
  s.ground();
  const std::size_t i = s.box(vec3(0.4, 0.1, 0.4), vec3(0, 0.05, 0), vec3(3, 0, 0));
  s.frames(60);
  const double law = 9 / (2 * 0.4 * 9.81);
  say("4 distance to a stop from 3 m/s, mu 0.4", quality, s.position(i).x(), law);
  CHECK(absolute(s.position(i).x() / law - 1) < 0.02);
}

TEST_CASE("law 9: head-on hits of two spheres") {
  const double quality = GENERATE(0.5, 1.0, 2.0);
  const double ratio = GENERATE(1.0, 10.0, 1000.0);
  const double e = GENERATE(0.0, 0.5, 1.0);
  Stage s;
  s.scene.solver.quality = quality;
  s.scene.gravity.setZero();
  s.surface(0.5, e);
  const std::size_t a = s.sphere(0.1, vec3(-0.5, 0, 0), vec3(5, 0, 0), 1000);
  const std::size_t b = s.sphere(0.1, vec3(0.5, 0, 0), Vec3::Zero(), 1000 * ratio);
  s.frames(12);
  const double ma = 1, mb = ratio;
  const double law_a = (ma - e * mb) / (ma + mb) * 5, law_b = (1 + e) * ma / (ma + mb) * 5;
  const double momentum = ma * s.velocity(a).x() + mb * s.velocity(b).x();
  std::printf("  9 hit 1:%-4g e=%.1f quality %-4g speeds %9.5f %9.5f  law %9.5f %9.5f  momentum off %.2e\n",
              ratio, e, quality, s.velocity(a).x(), s.velocity(b).x(), law_a, law_b, momentum / 5 - 1);
  CHECK(absolute(momentum / 5 - 1) < 1e-6);
  CHECK(absolute(s.velocity(a).x() - law_a) < 0.05);
  CHECK(absolute(s.velocity(b).x() - law_b) < 0.05);
}
