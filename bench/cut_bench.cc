// SPDX-License-Identifier: Apache-2.0
// What cutting costs: a ball of 49 728 triangles (4 times the square of `rings`) into cells of scattered
// sites. Usage: cut_bench [cells] [threads] [rings]
#include <cstdlib>

#include "core/base/team.h"
#include "core/cut/patterns.h"
#include "core/cut/pieces.h"
#include "core/mesh/mass.h"
#include "measures.h"

using namespace drubble;

int main(int argc, char** argv) {
  const int cells = argc > 1 ? std::atoi(argv[1]) : 1000, threads = argc > 2 ? std::atoi(argv[2]) : 2,
            rings = argc > 3 ? std::atoi(argv[3]) : 112;
  const mesh::TriangleMesh ball = mesh::sphereMesh(1, rings);
  const std::vector<Vec3> sites = cut::scatter(ball, {cells, {}}, 1, "bench");
  Team team(threads);
  const double start = bench::seconds();
  const cut::Cut done = cut::cutIntoCells(ball, sites, {}, &team);
  const double took = bench::seconds() - start;
  double volume = 0;
  for (const cut::Piece& p : done.pieces) volume += mesh::massProperties(p.mesh).volume;
  std::printf(
      "%zu triangles into %zu pieces with %zu faces between them, %d threads: %.2f s; volume off by %.1e\n",
      ball.triangles.size(), done.pieces.size(), done.interfaces.size(), threads, took,
      volume / mesh::massProperties(ball).volume - 1);
}
