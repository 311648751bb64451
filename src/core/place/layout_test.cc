// SPDX-License-Identifier: Apache-2.0
#include "core/place/layout.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <set>

#include "core/base/random.h"

namespace drubble::place {

namespace {

LayoutSpec specOf(Layout layout, const std::array<int, 3>& count) {
  LayoutSpec s;
  s.layout = layout;
  s.name = "l";
  s.count = count;
  s.choices = {{1, {1}}};
  return s;
}

}  // namespace

TEST_CASE("courses are shifted against each other by half a spacing, about the same middle", "[place]") {
  const std::vector<Copy> c = layOut(specOf(Layout::Courses, {4, 3, 1}));
  REQUIRE(c.size() == 12);
  const auto row = [&](std::size_t k) { return c[4 * k].pose.position.x(); };
  CHECK(row(1) - row(0) == Approx(0.5));
  CHECK(row(2) == Approx(row(0)));
  CHECK(row(0) + c[3].pose.position.x() == Approx(-0.5));
}

TEST_CASE("a stack rises by what its copies are high, and no level stands as the one below", "[place]") {
  LayoutSpec s = specOf(Layout::Stack, {2, 12, 1});
  s.choices = {{1, {0.5}}, {1, {0.2, 0.3}}};
  s.spacing = Vec3(2, 0, 2);
  s.lean = 0.1;
  s.twist = 10 * kDegree;
  const std::vector<Copy> c = layOut(s);
  REQUIRE(c.size() == 24);
  std::set<double> heights;
  for (std::size_t column = 0; column < 2; ++column) {
    double top = 0;
    for (std::size_t k = 0; k < 12; ++k) {
      const Copy& x = c[2 * k + column];
      const double height = s.choices[x.choice].heights[x.size];
      heights.insert(height);
      CHECK(x.pose.position.y() - 0.5 * height == Approx(top).margin(1e-12));
      top += height;
      CHECK(std::abs(x.pose.position.x() - (column == 0 ? -1 : 1)) <= 0.1 + 1e-12);
      if (k == 0) continue;
      const Copy& below = c[2 * (k - 1) + column];
      Vec3 off = x.pose.position - below.pose.position;
      off.y() = 0;
      CHECK(off.norm() > 0.05);
      CHECK(turnBetween(below.pose.turn, x.pose.turn).norm() > 7 * kDegree);
    }
  }
  CHECK(heights.size() == 3);
}

TEST_CASE("a ring's copies look outward, and an arc goes from end to end", "[place]") {
  for (const bool z_up : {false, true}) {
    LayoutSpec s = specOf(Layout::Ring, {8, 1, 1});
    s.up = z_up ? Vec3::UnitZ() : Vec3::UnitY();
    s.radius = 3;
    for (const Copy& c : layOut(s)) {
      Vec3 out = c.pose.position - 0.5 * s.up;
      CHECK(out.norm() == Approx(3));
      CHECK((c.pose.turn * (z_up ? Vec3::UnitY() : Vec3::UnitZ()) - out / 3).norm() < 1e-9);
    }
    s.arc = 90 * kDegree;
    const std::vector<Copy> arc = layOut(s);
    CHECK((arc.front().pose.position - 0.5 * s.up - Vec3(3, 0, 0)).norm() < 1e-9);
    CHECK(arc.back().pose.position.x() == Approx(0).margin(1e-9));
  }
}

TEST_CASE("every n-th of a row is left out, and nothing else changes", "[place]") {
  LayoutSpec s = specOf(Layout::Grid, {7, 2, 2});
  s.vary_at = Vec3(0.1, 0.1, 0.1);
  const std::vector<Copy> all = layOut(s);
  s.leave_out = {3, 2};
  const std::vector<Copy> some = layOut(s);
  CHECK(some.size() == all.size() - 2 * 4);  // the second and the fifth of seven
  std::size_t n = 0;
  for (std::size_t k = 0; k < all.size(); ++k) {
    if (k % 7 == 1 || k % 7 == 4) continue;
    CHECK(some.at(n).pose.position == all[k].pose.position);
    ++n;
  }
}

TEST_CASE("what is scattered keeps its distance, within its polygon, more of it where it is wanted",
          "[place]") {
  Source source;
  source.kind = SourceKind::Surface;
  source.mesh = mesh::boxMesh(Vec3(10, 0.001, 10));
  source.prepare();
  ScatterSpec s;
  s.name = "s";
  s.source = &source;
  s.choices = {{1, {0.4}}};
  std::vector<Copy> kept;
  const auto scatter = [&](std::uint64_t draws) {
    Scatter x(s);
    for (std::uint64_t n = 0; n < draws; ++n)
      if (const auto c = x.draw(n)) x.keep(*c), kept.push_back(*c);
  };
  SECTION("apart") {
    s.apart = 0.5;
    scatter(3000);
    CHECK(kept.size() > 200);
    for (std::size_t i = 0; i < kept.size(); ++i)
      for (std::size_t j = 0; j < i; ++j)
        REQUIRE((kept[i].pose.position - kept[j].pose.position).norm() > 0.39);  // either side of the plate
  }
  SECTION("within") {
    s.within = {{-1, -1}, {3, -1}, {-1, 3}};
    scatter(3000);
    CHECK(kept.size() == Approx(3000 * 0.08).margin(60));
    for (const Copy& c : kept) CHECK(c.pose.position.x() + c.pose.position.z() <= 2 + 1e-9);
  }
  SECTION("denser") {
    s.denser = {{Vec3::Zero(), 2, 4}};
    scatter(8000);
    double in = 0, out = 0;
    for (const Copy& c : kept) (Vec3(c.pose.position.x(), 0, c.pose.position.z()).norm() < 2 ? in : out) += 1;
    const double area = kPi * 4;
    CHECK((in / area) / (out / (100 - area)) == Approx(4).margin(0.8));
  }
  SECTION("along the normal") {
    s.upright = false;
    scatter(200);
    Scatter x(s);
    for (const Copy& c : kept) {
      const double side = c.pose.position.y() > 0 ? 1 : -1;
      if (std::abs(c.pose.position.y()) < 0.19) continue;  // off the plate's rim
      CHECK(x.upOf(c).y() * side == Approx(1).margin(1e-9));
    }
  }
}

}  // namespace drubble::place
