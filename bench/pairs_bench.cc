// SPDX-License-Identifier: Apache-2.0
// What one pair test costs, by kinds and by how the two stand to each other: one item is one pair. And what
// finding the pairs costs: one item is one box that moves.
#include <benchmark/benchmark.h>

#include <cmath>

#include "core/base/random.h"
#include "core/collide/near_pairs.h"
#include "core/collide/pairs.h"

using namespace drubble;

namespace {

constexpr double kReach = 0.01;

enum class Stand { Apart, Near, Resting, Crossed };

struct Two {
  shape::Shape a, b;
  Pose at_a, at_b;
};

shape::Shape box(RandomStream& r) {
  const Vec3 half = 0.5 * vec3(r.between(0.6, 1), r.between(0.6, 1), r.between(0.6, 1));
  return shape::box(-half, half);
}

// Twenty corners spread over a lumpy ball, as a shard has them.
shape::Shape shard(RandomStream& r) {
  std::vector<Vec3> points;
  for (int i = 0; i < 20; ++i) points.push_back(r.between(0.9, 1.1) * (0.5 * (r.turn() * Vec3::UnitX())));
  return shape::convex(points);
}

shape::Shape pebble(RandomStream& r) {
  return shape::ellipsoid(vec3(r.between(0.3, 0.5), r.between(0.3, 0.5), r.between(0.3, 0.5)));
}

shape::Shape drum(RandomStream& r) {
  return shape::cylinder(r.between(0.3, 0.5), r.between(0.4, 1), Vec3::UnitY());
}

// How far apart the two are along the line between their centres, by bisection on the pair test itself.
void bringTo(Two& t, const Vec3& along, double gap) {
  double near = 0, far = 3;
  for (int i = 0; i < 50; ++i) {
    const double middle = 0.5 * (near + far);
    t.at_b.position = t.at_a.position + middle * along;
    collide::Manifolds found;
    collide::collide(t.a, t.at_a, t.b, t.at_b, 1, found);
    (found.empty() || found[0].leastGap() > gap ? far : near) = middle;
  }
}

std::vector<Two> pairsOf(shape::Shape (*make)(RandomStream&), Stand stand) {
  RandomStream r(11, "bench", static_cast<std::uint64_t>(stand));
  std::vector<Two> out;
  for (int i = 0; i < 128; ++i) {
    Two t{make(r), make(r), {r.turn() * vec3(2, 0, 0), r.turn()}, {}};
    Vec3 along = r.turn() * Vec3::UnitX();
    t.at_b.turn = r.turn();
    if (stand == Stand::Resting && t.a.convex && t.b.convex) {  // a face of each looks at the other
      const Vec3 up = t.at_a.turn * t.a.convex->faces[0].normal;
      const Vec3 down = t.at_b.turn * t.b.convex->faces[0].normal;
      t.at_b.turn = (Quat::FromTwoVectors(down, -up) * t.at_b.turn).normalized();
      along = up;
    }
    bringTo(t, along, stand == Stand::Apart ? 0.05 : stand == Stand::Near ? 0.005 : -1e-4);
    out.push_back(t);
  }
  return out;
}

void pairTests(benchmark::State& state, shape::Shape (*make)(RandomStream&), Stand stand) {
  const std::vector<Two> pairs = pairsOf(make, stand);
  collide::Manifolds found;
  std::size_t i = 0;
  for (auto _ : state) {
    const Two& t = pairs[i++ % pairs.size()];
    found.clear();
    collide::collide(t.a, t.at_a, t.b, t.at_b, kReach, found);
    benchmark::DoNotOptimize(found.data());
  }
  state.SetItemsProcessed(static_cast<std::int64_t>(state.iterations()));
}

// Pairs that were apart before and still are.
void stillApart(benchmark::State& state, shape::Shape (*make)(RandomStream&)) {
  const std::vector<Two> pairs = pairsOf(make, Stand::Apart);
  std::vector<std::vector<collide::Apart>> known(pairs.size());
  collide::Manifolds found;
  for (std::size_t k = 0; k < pairs.size(); ++k)
    collide::collide(pairs[k].a, pairs[k].at_a, pairs[k].b, pairs[k].at_b, kReach, found, {{}, &known[k]});
  std::vector<collide::Apart> fresh;
  std::size_t i = 0;
  for (auto _ : state) {
    const std::size_t k = i++ % pairs.size();
    fresh.clear();
    collide::collide(pairs[k].a, pairs[k].at_a, pairs[k].b, pairs[k].at_b, kReach, found, {known[k], &fresh});
    benchmark::DoNotOptimize(fresh.data());
  }
}

// Boxes of a dense heap with a pebble in ten, all of which go `travel` (m) in a direction of their own each
// time.
void nearPairs(benchmark::State& state, double travel, bool at_rest) {
  const auto count = static_cast<std::uint32_t>(state.range(0));
  const auto side = static_cast<std::uint32_t>(std::ceil(std::cbrt(count)));
  RandomStream r(5, "near");
  std::vector<Box> boxes(count);
  std::vector<Vec3> step(count);
  std::vector<std::uint32_t> all, few;
  for (std::uint32_t i = 0; i < count; ++i) {
    const Vec3 at = vec3(i % side, i / (side * side), i / side % side);
    const Vec3 half = Vec3::Constant(i % 10 == 0 ? 0.1 : 0.52);
    boxes[i] = {at - half, at + half};
    step[i] = travel * (r.turn() * Vec3::UnitX());
    all.push_back(i);
    if (i % 100 == 0) few.push_back(i);
  }
  Team team(1);
  collide::NearPairs near(count);
  const auto boxOf = [&](std::uint32_t i) { return boxes[i]; };
  if (at_rest) near.find({}, all, boxOf, team);
  const std::vector<std::uint32_t>& moving = at_rest ? few : all;
  near.find(moving, {}, boxOf, team);
  for (auto _ : state) {
    for (const std::uint32_t i : moving) boxes[i] = {boxes[i].low + step[i], boxes[i].high + step[i]};
    benchmark::DoNotOptimize(near.find(moving, {}, boxOf, team).size());
    for (const std::uint32_t i : moving)
      if (boxes[i].centre().squaredNorm() > 1e6) step[i] = -step[i];
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(moving.size()));
}

}  // namespace

#define NEAR(name, travel, at_rest) \
  BENCHMARK_CAPTURE(nearPairs, name, travel, at_rest)->Arg(1000)->Arg(10000)->Arg(100000)
NEAR(creeping, 1e-4, false);
NEAR(falling, 0.05, false);
NEAR(one_in_a_hundred_creeps, 1e-4, true);

#define PAIRS(make)                                                   \
  BENCHMARK_CAPTURE(pairTests, make##_apart, make, Stand::Apart);     \
  BENCHMARK_CAPTURE(pairTests, make##_near, make, Stand::Near);       \
  BENCHMARK_CAPTURE(pairTests, make##_resting, make, Stand::Resting); \
  BENCHMARK_CAPTURE(pairTests, make##_crossed, make, Stand::Crossed)
PAIRS(box);
BENCHMARK_CAPTURE(stillApart, boxes, box);
BENCHMARK_CAPTURE(stillApart, shards, shard);
PAIRS(drum);
BENCHMARK_CAPTURE(stillApart, drums, drum);
PAIRS(shard);
PAIRS(pebble);

BENCHMARK_MAIN();
