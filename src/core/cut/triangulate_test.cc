// SPDX-License-Identifier: Apache-2.0
#include "core/cut/triangulate.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <map>

#include "core/base/random.h"

using namespace drubble;
using namespace drubble::cut;

namespace {

// A star about a middle, counter-clockwise or the other way, in the plane y = 0 seen from above.
Loop star(std::vector<Vec3>& places, const Vec3& middle, double radius, int points, bool hole,
          RandomStream& r) {
  Loop out;
  for (int k = 0; k < points; ++k) {
    const double angle = (hole ? 1 : -1) * 2 * std::acos(-1.0) * k / points, far = radius * r.between(0.6, 1);
    out.push_back(static_cast<std::uint32_t>(places.size()));
    places.push_back(middle + far * vec3(std::cos(angle), 0, std::sin(angle)));
  }
  return out;
}

double areaOf(const std::vector<mesh::Triangle>& t, const std::vector<Vec3>& p, bool absolute_value) {
  double sum = 0;
  for (const mesh::Triangle& x : t) {
    const double a = 0.5 * (p[x[1]] - p[x[0]]).cross(p[x[2]] - p[x[0]]).y();
    sum += absolute_value ? absolute(a) : a;
  }
  return sum;
}

// Each side of a rim in one triangle, all others in two, the two ways.
bool fitsRims(const std::vector<mesh::Triangle>& triangles, const std::vector<Loop>& rims) {
  std::map<std::pair<std::uint32_t, std::uint32_t>, int> sides;
  for (const mesh::Triangle& t : triangles)
    for (std::size_t k = 0; k < 3; ++k) {
      ++sides[{t[k], t[(k + 1) % 3]}];
      --sides[{t[(k + 1) % 3], t[k]}];
    }
  for (const Loop& rim : rims)
    for (std::size_t k = 0; k < rim.size(); ++k) {
      --sides[{rim[k], rim[(k + 1) % rim.size()]}];
      ++sides[{rim[(k + 1) % rim.size()], rim[k]}];
    }
  for (const auto& [side, n] : sides)
    if (n != 0) return false;
  return true;
}

}  // namespace

TEST_CASE("stars with holes are covered once by triangles over their rims") {
  RandomStream r(11, "stars");
  for (int n = 0; n < 200; ++n) {
    std::vector<Vec3> places;
    std::vector<Loop> rims{star(places, Vec3::Zero(), 1, 5 + n % 30, false, r)};
    const int holes = n % 5;
    for (int h = 0; h < holes; ++h) {
      const double angle = 2 * std::acos(-1.0) * h / holes;
      rims.push_back(star(places, 0.3 * vec3(std::cos(angle), 0, std::sin(angle)), 0.12, 4 + n % 7, true, r));
    }
    const std::vector<Face> faces = facesOf(rims, places, Vec3::UnitY());
    REQUIRE(faces.size() == 1);
    REQUIRE(faces[0].holes.size() == static_cast<std::size_t>(holes));
    std::vector<mesh::Triangle> triangles;
    Joined joined;
    triangulate(faces[0], places, Vec3::UnitY(), joined, triangles);
    CHECK(fitsRims(triangles, rims));
    CHECK(areaOf(triangles, places, true) == Approx(areaOf(triangles, places, false)).epsilon(1e-9));
  }
}

TEST_CASE("an island in a hole is a face of its own") {
  RandomStream r(12, "islands");
  std::vector<Vec3> places;
  const std::vector<Loop> rims{star(places, Vec3::Zero(), 1, 20, false, r),
                               star(places, Vec3::Zero(), 0.5, 16, true, r),
                               star(places, Vec3::Zero(), 0.25, 9, false, r)};
  const std::vector<Face> faces = facesOf(rims, places, Vec3::UnitY());
  REQUIRE(faces.size() == 2);
  CHECK(faces[0].holes.size() == 1);
  CHECK(faces[1].holes.empty());
}

TEST_CASE("a rim without any area is still closed by triangles of its places") {
  std::vector<Vec3> places = {vec3(0, 0, 0), vec3(1, 0, 0), vec3(2, 0, 0), vec3(3, 0, 0), vec3(1.5, 0, 0)};
  const Loop rim{0, 1, 2, 3, 4};
  std::vector<mesh::Triangle> triangles;
  Joined joined;
  triangulate({rim, {}}, places, Vec3::UnitY(), joined, triangles);
  CHECK(triangles.size() == 3);
  CHECK(fitsRims(triangles, {rim}));
}

TEST_CASE("a line that is drawn already is not drawn again") {
  std::vector<Vec3> places = {vec3(0, 0, 0), vec3(0, 0, 1), vec3(1, 0, 1), vec3(1, 0, 0)};
  for (const std::uint32_t corner : {0u, 1u}) {
    Joined joined;
    joined.add(corner, corner + 2);
    std::vector<mesh::Triangle> triangles;
    triangulate({{0, 1, 2, 3}, {}}, places, Vec3::UnitY(), joined, triangles);
    REQUIRE(triangles.size() == 2);
    CHECK(joined.has(1 - corner, 3 - corner));
  }
}

TEST_CASE("where all lines are drawn already, triangles meet in a place of their own") {
  std::vector<Vec3> places = {vec3(0, 0, 0), vec3(0, 0, 1), vec3(1, 0, 1), vec3(1, 0, 0)};
  Joined joined;
  joined.add(0, 2);
  joined.add(1, 3);
  std::vector<mesh::Triangle> triangles;
  triangulate({{0, 1, 2, 3}, {}}, places, Vec3::UnitY(), joined, triangles);
  REQUIRE(places.size() == 5);
  CHECK(places[4] == vec3(0.5, 0, 0.5));
  CHECK(triangles.size() == 4);
  CHECK(fitsRims(triangles, {{0, 1, 2, 3}}));
  CHECK(areaOf(triangles, places, true) == Approx(1));
}

TEST_CASE("a face with places in one line and twice at one place has no triangle turned over") {
  // A U whose inner corners are doubled, and with a place in the middle of each side.
  std::vector<Vec3> places;
  Loop rim;
  const std::vector<std::array<double, 2>> outline = {{0, 0}, {3, 0}, {3, 3}, {2, 3}, {2, 1},
                                                      {2, 1}, {1, 1}, {1, 1}, {1, 3}, {0, 3}};
  for (std::size_t k = 0; k < outline.size(); ++k) {
    const auto &p = outline[k], &q = outline[(k + 1) % outline.size()];
    for (const double share : {0.0, 0.5, 0.5}) {
      rim.push_back(u32(places.size()));
      places.push_back(vec3(p[0] + share * (q[0] - p[0]), 0, -(p[1] + share * (q[1] - p[1]))));
    }
  }
  std::vector<mesh::Triangle> triangles;
  Joined joined;
  triangulate({rim, {}}, places, Vec3::UnitY(), joined, triangles);
  CHECK(fitsRims(triangles, {rim}));
  CHECK(areaOf(triangles, places, true) == Approx(7));
  CHECK(areaOf(triangles, places, false) == Approx(7));
}
