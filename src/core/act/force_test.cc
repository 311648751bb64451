// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>

#include "core/act/force.h"
#include "core/base/random.h"

namespace drubble::act {

TEST_CASE("eddies have no sources, come to about one, and hang on the seed alone", "[force]") {
  RandomStream chance(5, "places");
  double squares = 0, sources = 0, slopes = 0;
  const int n = 4000;
  for (int k = 0; k < n; ++k) {
    const Vec3 p(chance.between(-20, 20), chance.between(-20, 20), chance.between(-20, 20));
    const double t = chance.between(0, 10), d = 1e-4;
    const auto at = [&](const Vec3& x) { return eddiesAt(x, t, 0.7, 1.3, 2, 11); };
    squares += at(p).squaredNorm();
    double source = 0;
    for (int c = 0; c < 3; ++c) {
      const Vec3 step = d * Vec3::Unit(c);
      const Vec3 slope = (at(p + step) - at(p - step)) / (2 * d);
      source += slope[c];
      slopes += slope.squaredNorm();
    }
    sources += source * source;
  }
  CHECK(squares / n > 0.5);
  CHECK(squares / n < 2);
  CHECK(std::sqrt(sources / slopes) < 1e-5);
  const Vec3 p(1, 2, 3);
  CHECK(eddiesAt(p, 2, 1, 1, 3, 7) == eddiesAt(p, 2, 1, 1, 3, 7));
  CHECK((eddiesAt(p, 2, 1, 1, 3, 7) - eddiesAt(p, 2, 1, 1, 3, 8)).norm() > 1e-3);
  CHECK((eddiesAt(p, 2, 1, 1, 3, 7) - eddiesAt(p, 2 + 1e-6, 1, 1, 3, 7)).norm() < 1e-4);
}

TEST_CASE("fields: where they point, how far they reach, when they are on", "[force]") {
  Force f;
  f.strength = 6;
  f.at = Vec3(1, 0, 0);
  f.radius = 2;
  const auto at = [&](const Vec3& p, double frame = 5, double seconds = 0.5) {
    return fieldAt(f, p, frame, seconds, 0);
  };
  f.kind = ForceKind::Blast;
  CHECK((at(Vec3(2, 0, 0)) - Vec3(6, 0, 0)).norm() < 1e-12);
  CHECK(at(Vec3(3.1, 0, 0)).norm() == 0);
  CHECK(at(Vec3(1, 0, 0)).norm() == 0);
  f.falloff = Falloff::Linear;
  CHECK((at(Vec3(2, 0, 0)) - Vec3(3, 0, 0)).norm() < 1e-12);
  f.falloff = Falloff::Smooth;
  CHECK((at(Vec3(2, 0, 0)) - Vec3(6 * 0.5625, 0, 0)).norm() < 1e-12);
  f.kind = ForceKind::Attract;
  CHECK(at(Vec3(2, 0, 0)).x() < 0);
  f.kind = ForceKind::Vortex;
  f.falloff = Falloff::None;
  f.direction = Vec3::UnitY();
  CHECK((at(Vec3(2, 7, 0)) - Vec3(0, 0, -6)).norm() < 1e-12);  // right-handed about the axis
  f.kind = ForceKind::Front;
  f.direction = Vec3::UnitX();
  f.push = Vec3::UnitY();
  f.speed = 4;
  f.width = 1;
  CHECK((at(Vec3(3, 9, 9)) - Vec3(0, 6, 0)).norm() < 1e-12);  // half a second later it is 2 m on
  CHECK(at(Vec3(3.6, 0, 0)).norm() == 0);
  f.kind = ForceKind::Push;
  f.radius = 0;
  f.from = 4;
  f.to = 6;
  f.strengths.keys = {{4, Vec3(2, 0, 0)}, {6, Vec3(4, 0, 0)}};
  CHECK(at(Vec3(50, 0, 0)).x() == Approx(3));
  CHECK(at(Vec3(50, 0, 0), 6.5).norm() == 0);
  f.box = Box{Vec3(-1, -1, -1), Vec3(1, 1, 1)};
  CHECK(at(Vec3(50, 0, 0)).norm() == 0);
  CHECK(at(Vec3(0.5, 0, 0)).x() == Approx(3));
}

}  // namespace drubble::act
