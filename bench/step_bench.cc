// SPDX-License-Identifier: Apache-2.0
// Whole internal steps, per awake piece.
#include <chrono>
#include <cstdio>
#include <cstdlib>

#include "scenes.h"

using namespace drubble;

int argc_threads = 1;
namespace {

double seconds() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

// The least time of a frame, ns an internal step and awake piece.
void packed(int count) {
  const int substeps = 4, iterations = 4;
  const world::Scene scene = bench::packedBoxes(count, substeps, iterations);
  world::World w(scene, argc_threads);
  world::Watcher nobody;
  const double start = seconds();
  w.advance(nobody);
  const double first = seconds() - start;
  double least_time = 1e9;
  for (int f = 0; f < 12; ++f) {
    const double before = seconds();
    w.advance(nobody);
    least_time = least(least_time, seconds() - before);
  }
  std::printf("packed boxes %7d: %8.1f ns a box and internal step, first frame %.2f s, %u contacts\n", count,
              1e9 * least_time / (substeps * iterations) / count, first, w.stats().contacts);
  std::fflush(stdout);
}

void heap(int count, int columns, int frames) {
  const world::Scene scene =
      bench::fallingHeap(world::boxPrototype("box", Vec3::Constant(0.2), 1000), count, 0.36, columns);
  world::World w(scene, argc_threads);
  world::Watcher nobody;
  const double start = seconds();
  double steps = 0;
  int f = 0;
  for (; f < frames; ++f) {
    const double before = seconds();
    const world::FrameStats s = w.advance(nobody);
    steps += static_cast<double>(s.substeps) * s.iterations * s.awake;
    if (f % 24 == 23)
      std::printf("  frame %d: %u awake, %u contacts, %d x %d, %.3f s\n", f + 1, s.awake, s.contacts,
                  s.substeps, s.iterations, seconds() - before);
    std::fflush(stdout);
    if (s.awake == 0) break;
  }
  std::printf("heap of %d boxes: %d frames in %.2f s, %.1f ns an awake box and internal step\n", count, f,
              seconds() - start, 1e9 * (seconds() - start) / steps);
}

}  // namespace

int main(int argc, char** argv) {
  if (argc > 3) argc_threads = std::atoi(argv[3]);
  const std::string what = argc > 1 ? argv[1] : "packed";
  const int count = argc > 2 ? std::atoi(argv[2]) : 1000;
  if (what == "packed") packed(count);
  if (what == "heap") heap(count, static_cast<int>(std::sqrt(count / 8.0)), 240);
}
