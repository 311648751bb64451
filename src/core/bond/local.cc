// SPDX-License-Identifier: Apache-2.0
#include "core/bond/local.h"

namespace drubble::bond {

namespace {

constexpr double kAmiss = 3e-4;     // of all that is amiss: pieces that have so much of it are looked at
constexpr int kRings = 5;           // and those about them
constexpr std::size_t kMostOf = 4;  // of the pieces, one in so many
constexpr int kMostLocalIterations = 40;

// `some` and the pieces about them, by how they were come to; `place`: of each, or kLeft.
std::vector<std::uint32_t> piecesAbout(const Beams& beams, const std::vector<Node>& nodes,
                                       std::span<const std::uint32_t> some,
                                       std::vector<std::uint32_t>& place) {
  std::vector<std::uint32_t> out;
  place.assign(nodes.size(), kLeft);
  const auto add = [&](std::uint32_t k) {
    if (place[k] != kLeft || nodes[k].fixed) return;
    place[k] = u32(out.size());
    out.push_back(k);
  };
  for (const std::uint32_t k : some) add(k);
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

std::vector<std::uint32_t> piecesAmiss(const Sextets& residual, const Sextets& z) {
  std::vector<double> amiss(residual.size());
  double all = 0;
  for (std::size_t k = 0; k < amiss.size(); ++k) {
    for (int c = 0; c < 8; ++c) amiss[k] += residual[k].x[c] * z[k].x[c];
    all += amiss[k];
  }
  std::vector<std::uint32_t> out;
  for (std::uint32_t k = 0; k < amiss.size(); ++k)
    if (amiss[k] > kAmiss * all) out.push_back(k);
  return out;
}

std::vector<std::uint32_t> solveLocally(const Beams& beams, const std::vector<Node>& nodes,
                                        const Loops& loops, std::span<const std::uint32_t> about,
                                        double enough, Sextets& residual, Sextets& u) {
  std::vector<std::uint32_t> place;
  std::vector<std::uint32_t> some = piecesAbout(beams, nodes, about, place);
  const std::size_t n = some.size();
  if (n == 0 || kMostOf * n > nodes.size()) return {};
  // Behind the pieces stands what is held.
  std::vector<Quick> quick;
  std::vector<Ends> ends;
  const auto placeOf = [&](std::uint32_t k) {
    if (place[k] == kLeft) place[k] = u32(some.size()), some.push_back(k);
    return place[k];
  };
  for (std::uint32_t i = 0; i < n; ++i)
    for (const std::uint32_t b : beams.of(some[i])) {
      const Span& s = beams.spans()[b];
      // Of two that are both looked at, the one that was come to first has the beam.
      if (s.cut || placeOf(s.a == some[i] ? s.b : s.a) < i) continue;
      quick.push_back(beams.quick(b));
      ends.push_back({placeOf(s.a), placeOf(s.b)});
    }
  std::vector<Block> own(n);
  Sextets r(n), y(some.size()), p, q(some.size()), more(some.size());
  for (std::size_t i = 0; i < n; ++i) own[i] = beams.own()[some[i]], r[i] = residual[some[i]];
  const auto pull = [&](const Sextets& x) {
    std::fill(q.begin(), q.end(), Sextet());
    loops.pull(quick.data(), ends.data(), 0, quick.size(), x.data(), q.data());
  };
  const auto condition = [&] {
    loops.give(own.data(), r.data(), 0, n, y.data());
    return loops.dot(r.data(), y.data(), 0, n);
  };
  double ry = condition();
  p = y;
  for (int k = 0; k < kMostLocalIterations && ry > enough; ++k) {
    pull(p);
    const double pq = loops.dot(p.data(), q.data(), 0, n);
    if (!(pq > 0)) break;
    loops.add(ry / pq, p.data(), 0, n, more.data());
    loops.add(-ry / pq, q.data(), 0, n, r.data());
    const double next = condition();
    loops.turn(next / ry, y.data(), 0, n, p.data());
    ry = next;
  }
  pull(more);
  for (std::size_t i = 0; i < some.size(); ++i) {
    if (nodes[some[i]].fixed) continue;
    loops.add(1, &more[i], 0, 1, &u[some[i]]);
    loops.add(-1, &q[i], 0, 1, &residual[some[i]]);
  }
  some.resize(n);
  return some;
}

}  // namespace drubble::bond
