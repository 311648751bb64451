// SPDX-License-Identifier: Apache-2.0
#include "core/place/source.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "core/base/trig.h"

namespace drubble::place {

namespace {

constexpr int kDraws = 4000;

template <class Visit>
void draws(const Source& s, Visit visit, double off = 0) {
  for (std::uint64_t n = 0; n < kDraws; ++n) {
    RandomStream random(7, "source", n);
    visit(s.draw(random, off));
  }
}

}  // namespace

TEST_CASE("places lie evenly within their source", "[pour]") {
  Source s;
  s.at = Vec3(1, 2, 3);
  s.radius = 0.5;
  double inner = 0;
  Vec3 sum = Vec3::Zero();
  SECTION("disc") {
    s.kind = SourceKind::Disc;
    s.axis = Vec3(1, 1, 0).normalized();
    draws(s, [&](const Source::Start& x) {
      const Vec3 r = x.pose.position - s.at;
      REQUIRE(std::abs(r.dot(s.axis)) < 1e-12);
      REQUIRE(r.norm() <= 0.5 + 1e-12);
      inner += r.norm() < 0.5 * std::sqrt(0.5);
      sum += r;
    });
  }
  SECTION("ball") {
    s.kind = SourceKind::Ball;
    draws(s, [&](const Source::Start& x) {
      const Vec3 r = x.pose.position - s.at;
      REQUIRE(r.norm() <= 0.5 + 1e-12);
      inner += r.norm() < 0.5 * std::cbrt(0.5);
      sum += r;
    });
  }
  SECTION("volume of a mesh") {
    s.kind = SourceKind::Volume;
    s.at = Vec3::Zero();
    s.mesh = mesh::sphereMesh(0.5);
    s.prepare();
    draws(s, [&](const Source::Start& x) {
      REQUIRE(x.pose.position.norm() <= 0.5 + 1e-12);
      inner += x.pose.position.norm() < 0.5 * std::cbrt(0.5);
      sum += x.pose.position;
    });
  }
  // Half of them in the inner half, to four standard deviations.
  CHECK(inner / kDraws == Approx(0.5).margin(4 * 0.5 / std::sqrt(kDraws)));
  CHECK((sum / kDraws).norm() < 0.02);
}

TEST_CASE("what leaves a surface stands off it, and goes along its normal", "[pour]") {
  Source s;
  s.kind = SourceKind::Surface;
  s.mesh = mesh::boxMesh(Vec3(2, 1, 1));
  s.speed = {3, 3};
  s.prepare();
  int on_ends = 0;
  draws(
      s,
      [&](const Source::Start& x) {
        const Vec3 way = x.velocity / 3;
        REQUIRE(way.cwiseAbs().maxCoeff() == Approx(1));
        const Vec3 half(1, 0.5, 0.5);
        REQUIRE(way.dot(x.pose.position) == Approx(way.cwiseAbs().dot(half) + 0.1));
        on_ends += std::abs(way.x()) > 0.5;
      },
      0.1);
  CHECK(on_ends / double(kDraws) == Approx(0.2).margin(0.03));  // 2 of 10 square metres
}

TEST_CASE("speeds, spins and directions lie within what is asked for", "[pour]") {
  Source s;
  s.direction = Vec3(0, 0, 1);
  s.spread = 20 * kDegree;
  s.speed = {2, 4};
  s.spin = {1, 2};
  double speed = 0, widest = 0;
  draws(s, [&](const Source::Start& x) {
    const double v = x.velocity.norm(), angle = arcCosine(x.velocity.z() / v);
    REQUIRE(v >= 2 - 1e-12);
    REQUIRE(v <= 4 + 1e-12);
    REQUIRE(angle <= s.spread + 1e-9);
    REQUIRE(x.spin.norm() == Approx(1.5).margin(0.5 + 1e-12));
    speed += v / kDraws;
    widest = greatest(widest, angle);
  });
  CHECK(speed == Approx(3).margin(0.05));
  CHECK(widest > 19 * kDegree);
}

}  // namespace drubble::place
