// SPDX-License-Identifier: Apache-2.0
// What the benchmarks measure of a world: time by stage, memory.
#pragma once
#include <algorithm>
#include <array>
#include <chrono>
#include <cstdio>
#include <fstream>
#include <limits>

#include "scenes.h"

namespace drubble::bench {

inline double seconds() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

// Adds up the time of each stage.
class WorkTimes : public world::Watcher {
 public:
  void entering(Work s) override {
    const double now = seconds();
    if (since_ > 0) times_[static_cast<std::size_t>(stage_)] += now - since_;
    stage_ = s;
    since_ = now;
  }
  void clear() { times_ = {}, since_ = 0; }
  double of(Work w) const { return times_[static_cast<std::size_t>(w)]; }
  double sum() const {
    double all = 0;
    for (const double t : times_) all += t;
    return all;
  }
  // Each stage's time over `per` units, in ns.
  void print(double per) const {
    std::printf("  ");
    for (std::size_t k = 0; k < kWorks; ++k) std::printf("%s %.0f  ", kWorkNames[k], 1e9 * times_[k] / per);
    std::printf("\n");
  }

 private:
  std::array<double, kWorks> times_{};
  Work stage_ = Work::Other;
  double since_ = 0;
};

// The program's memory that is in use, bytes.
inline double memoryInUse() {
  std::ifstream in("/proc/self/statm");
  double whole = 0, resident = 0;
  in >> whole >> resident;
  return 4096 * resident;
}

// A laid pile: ns, each the least of some frames. Four substeps of four internal steps.
struct LaidCost {
  double points = 0;       // of contact, a block
  double pass = 0;         // one velocity pass, a point; with its share of the warm start
  double solver = 0;       // preparation and passes, a point and internal step
  double step = 0;         // everything, a block and internal step
  double first = 0;        // s: the first frame, in which the loads are found
  double bytes = 0;        // a block
};

inline LaidCost laidCost(const world::Prototype& block, int count, int threads, int frames) {
  constexpr int kSubsteps = 4, kIterations = 4;
  const double before = memoryInUse();
  const world::Scene scene = laidBlocks(block, count, kSubsteps, kIterations);
  world::World w(scene, {threads});
  WorkTimes times;
  const double start = seconds();
  w.advance(times);
  LaidCost out;
  out.first = seconds() - start;
  out.pass = out.solver = out.step = std::numeric_limits<double>::infinity();
  const double steps = kSubsteps * kIterations, pieces = count;
  double points = 0;
  for (const solve::Contact& c : w.contacts()) points += c.patch.count;
  out.points = points / pieces;
  WorkTimes best;
  for (int f = 0; f < frames; ++f) {
    times.clear();
    const double begun = seconds();
    w.advance(times);
    const double took = seconds() - begun, passes = times.of(Work::Passes);
    if (1e9 * took / steps / pieces < out.step) best = times;
    out.step = std::min(out.step, 1e9 * took / steps / pieces);
    out.pass = std::min(out.pass, 1e9 * passes / (2 * steps) / points);
    out.solver = std::min(out.solver, 1e9 * (passes + times.of(Work::Prepare)) / steps / points);
  }
  best.print(steps * pieces);
  out.bytes = (memoryInUse() - before) / pieces;
  std::printf("  laid %d, %d threads: %.1f points a block; pass %.1f ns a point, solver %.1f; step %.0f ns a block; "
              "first frame %.2f s; %.0f B a block\n",
              count, threads, out.points, out.pass, out.solver, out.step, out.first, out.bytes);
  std::fflush(stdout);
  return out;
}

// Pieces in full motion: ns an awake piece and internal step, over some frames.
inline double stirredCost(const world::Scene& scene, int threads, int first, int frames) {
  world::World w(scene, {threads});
  world::Watcher nobody;
  for (int f = 0; f < first; ++f) w.advance(nobody);
  double took = 0, steps = 0;
  for (int f = 0; f < frames; ++f) {
    const double begun = seconds();
    const world::FrameStats s = w.advance(nobody);
    took += seconds() - begun;
    steps += static_cast<double>(s.substeps) * s.iterations * s.awake;
  }
  return 1e9 * took / steps;
}

// Balls that roll about in a pen forever beside `resting` blocks that sleep: s a frame, least of some.
inline double stirredFrame(int awake, int resting, int threads, int frames) {
  world::Scene s;
  addGround(s);
  world::Prototype ball = world::spherePrototype("ball", 0.5, 1000), block = world::boxPrototype("block", Vec3::Ones(), 1000);
  ball.material = block.material = MaterialId(0);
  s.prototypes.push_back(ball);
  s.prototypes.push_back(block);
  const int side = static_cast<int>(std::ceil(std::sqrt(awake)));
  RandomStream r(3, "stirred");
  for (int i = 0; i < awake; ++i) {
    addPiece(s, 1, vec3(1.2 * (i % side), 0.5, 1.2 * (i / side)), Quat::Identity());
    s.pieces.back().velocity = vec3(r.between(-2, 2), 0, r.between(-2, 2));
  }
  const int row = static_cast<int>(std::ceil(std::cbrt(resting)));
  for (int i = 0; i < resting; ++i) {
    addPiece(s, 2, vec3(-50 - 1.05 * (i % row), i / (row * row) + 0.5, 1.05 * (i / row % row)), Quat::Identity());
    s.pieces.back().start_state = world::Start::Asleep;
  }
  s.solver.substeps = 4;
  s.solver.iterations = 4;
  s.last_frame = 1000000;
  world::World w(s, {threads});
  world::Watcher nobody;
  for (int f = 0; f < 4; ++f) w.advance(nobody);
  double least_time = std::numeric_limits<double>::infinity();
  std::uint32_t moving = 0;
  for (int f = 0; f < frames; ++f) {
    const double begun = seconds();
    moving = w.advance(nobody).awake;
    least_time = std::min(least_time, seconds() - begun);
  }
  std::printf("  stirred: %u awake of %d: %.2f ms a frame\n", moving, awake + resting, 1e3 * least_time);
  return least_time;
}

}  // namespace drubble::bench
