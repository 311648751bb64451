// SPDX-License-Identifier: Apache-2.0
// The tree of boxes and the pairs it finds; patches that are merged.
#include <algorithm>
#include <catch2/catch.hpp>

#include "core/base/random.h"
#include "core/collide/box_tree.h"
#include "core/collide/broad.h"
#include "core/collide/merger.h"
#include "core/collide/near_pairs.h"

using namespace drubble;
using namespace drubble::collide;

namespace {

using Pairs = std::vector<std::pair<std::uint32_t, std::uint32_t>>;

// Pebbles, crates, a few barges, a ground without end, and some that fell far away.
std::vector<Box> harbour(std::size_t n) {
  RandomStream r(8, "harbour");
  std::vector<Box> boxes;
  for (std::size_t i = 0; i < n; ++i) {
    const double size = i % 97 == 0 ? 12 : i % 5 == 0 ? 0.6 : 0.05;
    const double spread = i % 131 == 0 ? 4000 : 4;
    const Vec3 low = vec3(r.between(-spread, spread), r.between(0, 2), r.between(-spread, spread));
    boxes.push_back({low, low + size * vec3(r.between(0.5, 1), r.between(0.5, 1), r.between(0.5, 1))});
  }
  boxes.push_back({Vec3::Constant(-1e9), vec3(1e9, 0.1, 1e9)});
  return boxes;
}

Pairs bruteForce(const std::vector<Box>& boxes, const std::vector<BoxKind>& kinds) {
  Pairs out;
  for (std::uint32_t i = 0; i < boxes.size(); ++i)
    for (std::uint32_t j = i + 1; j < boxes.size(); ++j)
      if (boxes[i].overlaps(boxes[j]) && (kinds[i] == BoxKind::Moving || kinds[j] == BoxKind::Moving))
        out.emplace_back(i, j);
  return out;
}

}  // namespace

TEST_CASE("pebbles beside barges on an endless ground: all pairs, each once, with any team (brute force)") {
  std::vector<Box> boxes = harbour(1500);
  const auto count = static_cast<std::uint32_t>(boxes.size());
  std::vector<BoxKind> kinds;
  for (std::size_t i = 0; i < count; ++i)
    kinds.push_back(i % 4 == 0 || i + 1 == count ? BoxKind::Static : BoxKind::Moving);
  CHECK(bruteForce(boxes, kinds).size() > 2000);
  CHECK(overlappingPairs(boxes, kinds) == bruteForce(boxes, kinds));
  for (const int threads : {1, 2, 3}) {
    Team team(threads);
    NearPairs near(count);
    RandomStream r(9, "rounds");
    std::vector<BoxKind> now = kinds;
    std::vector<char> known(count, 0);
    // Some come to rest, some start again, and what moves goes far, creeps or stays by turns: within its fat
    // box, out of it with a few others, out of it with all.
    for (int round = 0; round < 30; ++round) {
      const double change = round < 12 ? 0.1 : 0.002, travel = round % 3 == 0   ? 0.2
                                                               : round % 3 == 1 ? 0.004
                                                                                : 0;
      std::vector<std::uint32_t> moving, settled;
      for (std::uint32_t i = 0; i < count; ++i) {
        const bool moved = now[i] == BoxKind::Moving;
        if (i + 1 < count && r.between(0, 1) < change) now[i] = moved ? BoxKind::Static : BoxKind::Moving;
        if (now[i] == BoxKind::Moving) {
          const double far = round > 12 && i % 97 == 0 ? 1 : travel;
          const Vec3 step = far * vec3(r.between(-1, 1), 0, r.between(-1, 1));
          boxes[i] = {boxes[i].low + step, boxes[i].high + step};
          moving.push_back(i);
          known[i] = 0;
        } else if (known[i] == 0) {
          settled.push_back(i);
          known[i] = 1;
        }
      }
      const NearPairList found = near.find(
          moving, settled, [&](std::uint32_t i) { return boxes[i]; }, team);
      CHECK(Pairs(found.begin(), found.end()) == bruteForce(boxes, now));
    }
  }
}

TEST_CASE("boxes that touch in one plane overlap; a tree of none, one and five finds what is there") {
  for (const std::size_t n : {std::size_t{0}, std::size_t{1}, std::size_t{5}, std::size_t{17}}) {
    std::vector<Box> boxes;
    std::vector<std::uint32_t> all;
    for (std::uint32_t i = 0; i < n; ++i) {
      boxes.push_back({vec3(i, 0, 0), vec3(i + 1, 1, 1)});
      all.push_back(i);
    }
    BoxTree tree;
    tree.build(boxes, all);
    for (std::uint32_t i = 0; i < n; ++i) {
      std::vector<std::uint32_t> found;
      tree.overlapping(boxes[i], [&](std::uint32_t j) {
        if (boxes[i].overlaps(boxes[j])) found.push_back(j);
      });
      std::sort(found.begin(), found.end());
      const std::size_t neighbours = (i > 0) + (i + 1 < n);
      CHECK(found.size() == 1 + neighbours);
    }
    int anything = 0;
    tree.overlapping({vec3(-9, 5, 0), vec3(99, 6, 1)}, [&](std::uint32_t) { ++anything; });
    CHECK(anything == 0);
  }
}

TEST_CASE("patches of nearly one direction are merged, others stay apart; a shared corner counts once") {
  const auto patch = [](const Vec3& normal, double gap, double x, std::uint32_t triangle) {
    Manifold m;
    m.normal = normal.normalized();
    m.count = 2;
    m.sub = triangle;
    m.points[0] = {vec3(x, 0, 0), gap, 1};
    m.points[1] = {vec3(x + 1, 0, 0), gap, 2};
    return m;
  };
  Merger merger;
  for (int round = 0; round < 2; ++round) {  // it forgets what was before
    merger.begin(1e-3);
    merger.add(patch(Vec3::UnitY(), 0.002, 0, 7));
    merger.add(patch(vec3(0.02, 1, 0), 0.001, 1, 8));
    merger.add(patch(Vec3::UnitX(), 0.003, 5, 9));
    Manifolds out;
    merger.finish({vec3(0, 0, 10), Quat::Identity()}, out);
    REQUIRE(out.size() == 2);
    CHECK(out[0].count == 3);
    CHECK(out[0].sub == 8);  // the nearer one
    CHECK(out[0].leastGap() == 0.001);
    CHECK(out[0].normal.y() > 0.999);
    CHECK(out[0].normal.x() > 0);
    CHECK(out[0].points[0].position.z() == 10);
    CHECK(out[1].sub == 9);
    CHECK(out[1].normal == Vec3::UnitX());
  }
}
