// SPDX-License-Identifier: Apache-2.0
// Whole internal steps, per awake piece. Usage: step_bench laid|heap|hold [pieces] [threads] [frames]
// [auto|scalar|sse2|avx2]
#include <algorithm>
#include <cstdlib>
#include <string>

#include "measures.h"

using namespace drubble;
using namespace drubble::bench;

namespace {

struct Job {
  int pieces = 1000, threads = 1, frames = 0;  // 0: as many as the job is made for
  solve::Lanes lanes = solve::Lanes::Auto;
};

// A heap that falls and comes to rest.
void heap(const Job& job) {
  const int columns = static_cast<int>(std::sqrt(job.pieces / 8.0)), most = job.frames > 0 ? job.frames : 240;
  const world::Scene scene =
      bench::fallingHeap(world::boxPrototype("box", Vec3::Constant(0.2), 1000), job.pieces, 0.36, columns);
  world::World w(scene, {job.threads, job.lanes});
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
  std::printf("motion %016llx\n", static_cast<unsigned long long>(w.digest()));
}

// How deep contacts overlap, in shares of the smaller piece's size.
void printOverlaps(const world::World& w) {
  std::vector<double> shares;
  for (const solve::Contact& c : w.contacts()) {
    double size = 1e9;
    for (const PieceId p : {c.a, c.b})
      if (w.traits()[p.index()].dynamic) size = std::min(size, w.traits()[p.index()].size);
    shares.push_back(std::max(0.0, -c.patch.leastGap()) / size);
  }
  std::sort(shares.begin(), shares.end());
  if (shares.empty()) return;
  const auto at = [&](double q) {
    return 100 * shares[static_cast<std::size_t>(q * static_cast<double>(shares.size() - 1))];
  };
  std::printf("  overlap: median %.3f %%, 99 of 100 below %.3f %%, most %.2f %% of the size\n", at(0.5),
              at(0.99), at(1));
}

// Floats stirred in a hold: s a frame while all are in motion.
void hold(const Job& job) {
  const world::Scene scene = bench::stirredHold(job.pieces, 4);
  world::World w(scene, {job.threads, job.lanes});
  WorkTimes times;
  const int frames = job.frames > 0 ? job.frames : 72;
  double sum = 0, steps = 0;
  for (int f = 0; f < frames; ++f) {
    if (f == frames / 2) times.clear(), sum = steps = 0;
    const double begun = seconds();
    const world::FrameStats s = w.advance(times);
    sum += seconds() - begun;
    steps += static_cast<double>(s.substeps) * s.iterations * s.awake;
    if (f % 12 == 11)
      std::printf("  frame %d: %u awake, %u contacts, %d x %d, %.3f s\n", f + 1, s.awake, s.contacts,
                  s.substeps, s.iterations, seconds() - begun);
  }
  times.print(steps);
  printOverlaps(w);
  std::printf("  motion %016llx\n", static_cast<unsigned long long>(w.digest()));
  std::printf(
      "  hold of %d floats, %d threads: %.1f ms a frame in the second half, %.0f ns a float and internal "
      "step\n",
      job.pieces, job.threads, 1e3 * sum / (frames - frames / 2), 1e9 * sum / steps);
}

}  // namespace

int main(int argc, char** argv) {
  const auto number = [&](int k, int fallback) { return argc > k ? std::atoi(argv[k]) : fallback; };
  const std::string what = argc > 1 ? argv[1] : "laid";
  const std::string lanes = argc > 5 ? argv[5] : "auto";
  const Job job{number(2, 1000), number(3, 1), number(4, 0),
                lanes == "scalar" ? solve::Lanes::Scalar
                : lanes == "sse2" ? solve::Lanes::Sse2
                : lanes == "avx2" ? solve::Lanes::Avx2
                                  : solve::Lanes::Auto};
  if (what == "laid")
    laidCost(world::boxPrototype("box", Vec3::Ones(), 1000), job.pieces, job.threads,
             job.frames > 0 ? job.frames : 12);
  if (what == "heap") heap(job);
  if (what == "hold") hold(job);
  return what == "laid" || what == "heap" || what == "hold" ? 0 : 2;
}
