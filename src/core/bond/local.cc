// SPDX-License-Identifier: Apache-2.0
#include "core/bond/local.h"

namespace drubble::bond {

namespace {

constexpr double kAmiss = 1e-3;     // of all that is amiss: pieces that have so much of it are looked at
constexpr int kRings = 3;           // and those about them
constexpr std::size_t kMostOf = 4;  // of the pieces, one in so many
constexpr int kMostIterations = 40;

// The pieces that are looked at, ascending by how they were come to; `place`: of each, or kLeft.
std::vector<std::uint32_t> piecesAbout(const Beams& beams, const std::vector<Node>& nodes,
                                       const Sextets& residual, const Sextets& z,
                                       std::vector<std::uint32_t>& place) {
  std::vector<double> amiss(nodes.size());
  double all = 0;
  for (std::size_t k = 0; k < nodes.size(); ++k) {
    for (int c = 0; c < 8; ++c) amiss[k] += residual[k].x[c] * z[k].x[c];
    all += amiss[k];
  }
  std::vector<std::uint32_t> out;
  place.assign(nodes.size(), kLeft);
  const auto add = [&](std::uint32_t k) {
    if (place[k] != kLeft || nodes[k].fixed) return;
    place[k] = u32(out.size());
    out.push_back(k);
  };
  for (std::uint32_t k = 0; k < nodes.size(); ++k)
    if (amiss[k] > kAmiss * all) add(k);
  std::size_t from = 0;
  for (int ring = 0; ring < kRings && kMostOf * out.size() <= nodes.size(); ++ring) {
    const std::size_t end = out.size();
    for (; from < end; ++from)
      for (const std::uint32_t n : beams.of(out[from])) {
        const Span& s = beams.spans()[n];
        if (!s.cut) add(s.a == out[from] ? s.b : s.a);
      }
  }
  return out;
}

}  // namespace

bool solveLocally(const Beams& beams, const std::vector<Node>& nodes, const Loops& loops,
                  const Sextets& residual, const Sextets& z, double enough, Sextets& u) {
  std::vector<std::uint32_t> place;
  const std::vector<std::uint32_t> some = piecesAbout(beams, nodes, residual, z, place);
  const std::size_t n = some.size();
  if (n == 0 || kMostOf * n > nodes.size()) return false;
  // Behind the pieces stands what is held.
  std::vector<Quick> quick;
  std::vector<Ends> ends;
  const auto placeOf = [&](std::uint32_t k) { return place[k] == kLeft ? u32(n) : place[k]; };
  for (std::uint32_t i = 0; i < n; ++i)
    for (const std::uint32_t b : beams.of(some[i])) {
      const Span& s = beams.spans()[b];
      // Of two that are both looked at, the one that was come to first has the beam.
      if (s.cut || placeOf(s.a == some[i] ? s.b : s.a) < i) continue;
      quick.push_back(beams.quick(b));
      ends.push_back({placeOf(s.a), placeOf(s.b)});
    }
  std::vector<Block> own(n);
  Sextets r(n + 1), y(n + 1), p, q(n + 1), more(n + 1);
  for (std::size_t i = 0; i < n; ++i) own[i] = beams.own()[some[i]], r[i] = residual[some[i]];
  const auto condition = [&] {
    loops.give(own.data(), r.data(), 0, n, y.data());
    return loops.dot(r.data(), y.data(), 0, n);
  };
  double ry = condition();
  p = y;
  for (int k = 0; k < kMostIterations && ry > enough; ++k) {
    std::fill(q.begin(), q.end(), Sextet());
    loops.pull(quick.data(), ends.data(), 0, quick.size(), p.data(), q.data());
    const double pq = loops.dot(p.data(), q.data(), 0, n);
    if (!(pq > 0)) break;
    loops.add(ry / pq, p.data(), 0, n, more.data());
    loops.add(-ry / pq, q.data(), 0, n, r.data());
    const double next = condition();
    loops.turn(next / ry, y.data(), 0, n, p.data());
    ry = next;
  }
  for (std::size_t i = 0; i < n; ++i)
    for (int c = 0; c < 8; ++c) u[some[i]].x[c] += more[i].x[c];
  return true;
}

}  // namespace drubble::bond
