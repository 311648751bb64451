// SPDX-License-Identifier: Apache-2.0
#include "core/cut/cells.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <set>

#include "core/base/random.h"

using namespace drubble;
using namespace drubble::cut;

namespace {

std::vector<Vec3> scatteredSites(std::size_t count, std::uint64_t seed) {
  RandomStream r(seed, "cells");
  std::vector<Vec3> out;
  for (std::size_t i = 0; i < count; ++i) {
    Vec3 p;
    for (int k = 0; k < 3; ++k) p[k] = std::floor(r.between(-kRange, kRange));
    out.push_back(p);
  }
  return out;
}

const Box kAll = Box{Vec3::Zero(), Vec3::Zero()}.grown(kRange);

bool bounded(const Cell& c) {
  return std::none_of(c.planes.begin(), c.planes.end(), [](const Plane& p) { return isWall(p.other); });
}

}  // namespace

TEST_CASE("a corner of a cell is as near to the four sites that meet there as to no other (brute force)") {
  const std::vector<Vec3> sites = scatteredSites(300, 1);
  const std::vector<Cell> cells = cellsOf(sites, kAll, nullptr);
  for (std::uint32_t i = 0; i < cells.size(); ++i)
    for (const Meeting& m : cells[i].corners) {
      const auto& p = cells[i].planes;
      const Vec3 at = meeting(p[m[0]], p[m[1]], p[m[2]]);
      const double own = (at - sites[i]).norm();
      for (const std::uint16_t k : m)
        if (!isWall(p[k].other)) CHECK((at - sites[p[k].other]).norm() == Approx(own).epsilon(1e-9));
      double nearest = own;
      for (const Vec3& s : sites) nearest = least(nearest, (at - s).norm());
      CHECK(nearest > own * (1 - 1e-9));
    }
}

TEST_CASE("every cell is a simple polyhedron, and those beyond its planes name it back") {
  for (const bool in_grid : {false, true}) {
    std::vector<Vec3> sites = scatteredSites(400, 2);
    if (in_grid)
      for (std::size_t i = 0; i < sites.size(); ++i)
        sites[i] = 100000 * vec3(static_cast<double>(i % 8), static_cast<double>(i / 8 % 8),
                                 static_cast<double>(i / 64));
    const std::vector<Cell> cells = cellsOf(sites, kAll, nullptr);
    std::set<std::pair<std::uint32_t, std::uint32_t>> pairs;
    for (std::uint32_t i = 0; i < cells.size(); ++i) {
      CHECK(cells[i].corners.size() == 2 * cells[i].planes.size() - 4);  // Euler, three planes to a corner
      for (const Plane& p : cells[i].planes)
        if (!isWall(p.other)) pairs.insert({i, p.other});
    }
    CHECK(std::all_of(pairs.begin(), pairs.end(), [&](const auto& p) {
      return pairs.count({p.second, p.first}) == 1;
    }));
  }
}

TEST_CASE("inner cells of scattered sites have as many faces as those of a Poisson process") {
  // 48 pi^2 / 35 + 2 = 15.535: Meijering, Interface area, edge length and number of vertices in crystal
  // aggregates with random nucleation (1953).
  const std::vector<Vec3> sites = scatteredSites(5000, 7);
  Team team(2);
  const std::vector<Cell> cells = cellsOf(sites, kAll, &team);
  double faces = 0, count = 0;
  for (std::size_t i = 0; i < cells.size(); ++i) {
    if (!bounded(cells[i]) || sites[i].cwiseAbs().maxCoeff() > 0.75 * kRange) continue;
    faces += static_cast<double>(cells[i].planes.size());
    ++count;
  }
  REQUIRE(count > 1500);
  CHECK(faces / count == Approx(15.535).epsilon(0.01));
}

TEST_CASE("cells are the same for any number of threads") {
  const std::vector<Vec3> sites = scatteredSites(500, 9);
  const std::vector<Cell> alone = cellsOf(sites, kAll, nullptr);
  Team team(3);
  const std::vector<Cell> shared = cellsOf(sites, kAll, &team);
  for (std::size_t i = 0; i < sites.size(); ++i) {
    REQUIRE(alone[i].corners == shared[i].corners);
    REQUIRE(std::equal(alone[i].planes.begin(), alone[i].planes.end(), shared[i].planes.begin(),
                       shared[i].planes.end(),
                       [](const Plane& a, const Plane& b) { return a.other == b.other; }));
  }
}
