// SPDX-License-Identifier: Apache-2.0
// Whole internal steps, per awake piece. Usage: step_bench packed|heap [pieces] [threads] [frames]
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <string>

#include "scenes.h"

using namespace drubble;

namespace {

double seconds() {
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

struct Job {
  int pieces = 1000, threads = 1, frames = 0;  // 0: as many as the job is made for
};

// The least time of a frame, ns an internal step and box. The first frame finds the loads; it is told apart.
void packed(const Job& job) {
  const int substeps = 4, iterations = 4;
  const world::Scene scene = bench::packedBoxes(job.pieces, substeps, iterations);
  world::World w(scene, {job.threads});
  WorkTimes nobody;
  const double start = seconds();
  w.advance(nobody);
  const double first = seconds() - start;
  nobody.clear();
  const int frames = job.frames > 0 ? job.frames : 12;
  double least_time = std::numeric_limits<double>::infinity();
  for (int f = 0; f < frames; ++f) {
    const double before = seconds();
    w.advance(nobody);
    least_time = least(least_time, seconds() - before);
  }
  std::printf("packed boxes %7d: %8.1f ns a box and internal step, first frame %.2f s, %u contacts\n",
              job.pieces, 1e9 * least_time / (substeps * iterations) / job.pieces, first, w.stats().contacts);
  nobody.print(static_cast<double>(frames) * substeps * iterations * job.pieces);
}

// A heap that falls and comes to rest.
void heap(const Job& job) {
  const int columns = static_cast<int>(std::sqrt(job.pieces / 8.0)), most = job.frames > 0 ? job.frames : 240;
  const world::Scene scene =
      bench::fallingHeap(world::boxPrototype("box", Vec3::Constant(0.2), 1000), job.pieces, 0.36, columns);
  world::World w(scene, {job.threads});
  WorkTimes nobody;
  const double start = seconds();
  double steps = 0;
  int f = 0;
  for (std::uint32_t awake = 1; f < most && awake > 0; ++f) {
    const double before = seconds();
    const world::FrameStats s = w.advance(nobody);
    awake = s.awake;
    steps += static_cast<double>(s.substeps) * s.iterations * s.awake;
    if (f % 24 != 23) continue;
    std::printf("  frame %d: %u awake, %u contacts, %d x %d, %.3f s\n", f + 1, s.awake, s.contacts,
                s.substeps, s.iterations, seconds() - before);
    std::fflush(stdout);
  }
  std::printf(
      "heap of %d boxes: %d frames in %.2f s, %u awake at the end, %.1f ns an awake box and internal step\n",
      job.pieces, f, seconds() - start, w.stats().awake, 1e9 * (seconds() - start) / steps);
  nobody.print(steps);
}

}  // namespace

int main(int argc, char** argv) {
  const auto number = [&](int k, int fallback) { return argc > k ? std::atoi(argv[k]) : fallback; };
  const std::string what = argc > 1 ? argv[1] : "packed";
  const Job job{number(2, 1000), number(3, 1), number(4, 0)};
  if (what == "packed") packed(job);
  if (what == "heap") heap(job);
  return what == "packed" || what == "heap" ? 0 : 2;
}
