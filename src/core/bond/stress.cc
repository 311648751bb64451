// SPDX-License-Identifier: Apache-2.0
#include "core/bond/stress.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/bond/beams.h"
#include "core/bond/coarse.h"
#include "core/bond/local.h"

namespace drubble::bond {

namespace {

constexpr double kEnough = 0.01;  // error of the whole answer
constexpr double kRough = 0.05;   // with which what is far over its strength is told from the rest
constexpr double kFarOver = 2;    // times its strength
constexpr double kGood = 0.02;    // with which what is over its strength is told: 5 % in the worst bonds
constexpr std::size_t kRoughFrom = 2000;  // beams: few are solved for in no time
constexpr int kMostLocal = 3;             // solves of a part, each about what the one before left
constexpr double kGain = 0.5;             // and no more of them where one leaves more of the error
constexpr int kMostIterations = 400;
constexpr double kSafe = 0.8;          // of its strength
constexpr double kAlike = 0.5;         // of an answer: loads that change it by less press much as before
constexpr double kStale = 0.002;       // of the beams: so many cut, and the coarse level is made anew
constexpr double kStaleOfMany = 0.01;  // where what is about the cuts is solved for by itself first

Sextets sextetsOf(const Gives& x) {
  Sextets out(x.size());
  for (std::size_t k = 0; k < x.size(); ++k)
    for (int c = 0; c < 3; ++c) {
      out[k].x[c] = x[k].travel[c];
      out[k].x[4 + c] = x[k].turn[c];
    }
  return out;
}

Give giveOf(const Sextet& s) { return {vec3(s.x[0], s.x[1], s.x[2]), vec3(s.x[4], s.x[5], s.x[6])}; }

void takeFrom(const Sextets& x, Gives& out) {
  for (std::size_t k = 0; k < x.size(); ++k) out[k] = giveOf(x[k]);
}

// Whether something bears more than it can, however wrong the answer, so that another is asked for anyway.
bool over(double worst, double error) { return worst * (1 - 3 * error) > (error < kGood ? 1 : kFarOver); }

// Whether all bear so much less than they can that they need not be known exactly.
bool safe(double worst, double error) { return worst * (1 + 3 * error) < kSafe; }

bool anyFixed(const std::vector<Node>& nodes) {
  return std::any_of(nodes.begin(), nodes.end(), [](const Node& n) { return n.fixed; });
}

}  // namespace

struct StressSolver::Parts {
  std::vector<Node> nodes;
  const Loops& loops;
  Team* team;
  Beams beams;
  double stiffness;  // Pa, of the first beam
  bool anchored;
  InParts pieces;
  std::unique_ptr<Coarse> coarse;
  std::size_t cuts = 0;     // since the coarse level was made
  bool fresh_cuts = false;  // since it was solved for last
  bool aged = false;
  // As the last solve left them: what acts, what the pieces give, what is left. `kept`: they are of what
  // lasts, and nothing but cuts has come since.
  Sextets f, u, r;
  bool kept = false;
  std::vector<std::uint32_t> cut_ends;  // pieces whose beams were cut since

  Parts(std::vector<Node> n, const std::vector<Beam>& b, const Vec3& origin, Team* its_team, bool wide)
      : nodes(std::move(n)),
        loops(loopsFor(wide)),
        team(its_team),
        beams(nodes, b, origin, loops, team),
        stiffness(b.empty() ? 1 : b[0].stiffness),
        anchored(anyFixed(nodes)),
        pieces(nodes.size(), kPiecesAPart, team) {}

  // z = about what r makes the pieces give. Returns r.z.
  double precondition(bool with_coarse, Sextets& z) const {
    Coarse* groups = with_coarse ? coarse.get() : nullptr;
    if (groups != nullptr) groups->solve(r);
    return pieces.sum([&](std::size_t begin, std::size_t end) {
      loops.give(beams.own(), r.data(), begin, end, z.data());
      if (groups != nullptr) groups->addTo(z, begin, end);
      return loops.dot(r.data(), z.data(), begin, end);
    });
  }

  double bears() const {
    return pieces.sum(
        [&](std::size_t begin, std::size_t end) { return loops.dot(f.data(), u.data(), begin, end); });
  }

  // r.u
  double left() const {
    return pieces.sum(
        [&](std::size_t begin, std::size_t end) { return loops.dot(r.data(), u.data(), begin, end); });
  }

  // What is about the cuts anew, all else as it was. False: that is not good enough.
  bool solveAbout(Gives& gave, Stresses& stresses, const WorstOfSome& worst) {
    if (!kept || !coarse || beams.size() < kRoughFrom || cut_ends.empty()) return false;
    beams.invertOwn(nodes, 0);
    const double enough = kEnough * kEnough * bears();
    const std::vector<std::uint32_t> some = solveLocally(beams, nodes, loops, cut_ends, enough, r, u);
    cut_ends.clear();
    if (some.empty()) return false;
    std::vector<std::uint32_t> changed;
    for (const std::uint32_t k : some) {
      gave[k] = giveOf(u[k]);
      for (const std::uint32_t n : beams.of(k)) changed.push_back(n);
    }
    Sextets z(nodes.size());
    const double rz = precondition(true, z), fu = bears(), error = std::sqrt(rz / fu);
    if (!(fu > 0 && rz >= 0 && error < kRough)) return false;
    beams.readStresses(gave, changed, stresses);
    return over(worst(stresses, changed), error) || error < kEnough;
  }

  // From `gave`, which becomes the answer.
  Solved solve(const Gives& loads, double weight, bool with_coarse, Gives& gave, const WorstOf& worst) {
    Solved out;
    const std::size_t n = nodes.size();
    f = sextetsOf(loads);
    for (std::size_t k = 0; k < n; ++k)
      if (nodes[k].fixed) f[k] = {};
    r = f;
    Sextets z(n), p, q(n);
    const bool warm = gave.size() == n;
    gave.resize(n);
    u = sextetsOf(gave);
    cut_ends.clear();
    kept = with_coarse;
    beams.invertOwn(nodes, weight);
    double fu = 0;
    if (warm) {
      beams.resist(nodes, u, weight, q);
      pieces.each([&](std::size_t, std::size_t begin, std::size_t end) {
        loops.add(-1, q.data(), begin, end, r.data());
      });
      fu = bears();
    }
    double rz = precondition(with_coarse, z);
    double next_look = kRough;
    const bool large = beams.size() >= kRoughFrom, fresh = std::exchange(fresh_cuts, false);
    // Whether it is known well enough already that bonds go, or that none does; `error` tells how well.
    const auto settled = [&] {
      if (!worst || !large || !(out.error < next_look)) return false;
      next_look = out.error < kGood ? 0 : kGood;
      takeFrom(u, gave);
      beams.readStresses(gave, out.stresses);
      const double now = worst(out.stresses);
      return over(now, out.error) || (out.error < kGood && safe(now, out.error));
    };
    if (warm && fu > 0 && rz >= 0) {
      out.error = std::sqrt(rz / fu);
      // How much the answer has to change, in shares of the one that there is: loads that have grown make f.u
      // grow, too.
      const double own = fu - left(), change = own > 0 ? std::sqrt(rz / own) : 1;
      const bool may_stay = worst && change < kAlike && !(large && fresh);
      if (out.error < kEnough || may_stay) beams.readStresses(gave, out.stresses);
      if (out.error < kEnough || (may_stay && safe(worst(out.stresses), change))) return out;
      for (int k = 0; k < kMostLocal && large && out.error > kEnough; ++k) {
        const double before = out.error;
        if (solveLocally(beams, nodes, loops, piecesAmiss(r, z), kEnough * kEnough * fu, r, u).empty()) break;
        fu = bears();
        rz = precondition(with_coarse, z);
        out.error = fu > 0 && rz >= 0 ? std::sqrt(rz / fu) : 1;
        if (settled()) return out;
        if (out.error > kGain * before) break;
      }
    } else if (warm) {
      // What was is of no use: other loads altogether.
      u.assign(n, {});
      r = f;
      fu = 0;
      rz = precondition(with_coarse, z);
    }
    p = z;
    while (rz > 0 && out.iterations < kMostIterations) {
      ++out.iterations;
      const double pq = beams.resist(nodes, p, weight, q);
      if (!(pq > 0)) break;
      const double step = rz / pq, before = fu + step * rz;  // that is by how much f.u grows from nothing
      fu = pieces.sum([&](std::size_t begin, std::size_t end) {
        loops.add(step, p.data(), begin, end, u.data());
        loops.add(-step, q.data(), begin, end, r.data());
        return warm ? loops.dot(f.data(), u.data(), begin, end) : 0;
      });
      if (!warm) fu = before;
      const double next = precondition(with_coarse, z);
      out.error = fu > 0 ? std::sqrt(greatest(next, 0) / fu) : 0;
      if (out.error < kEnough) break;
      if (settled()) return out;
      const double turn = next / rz;
      rz = next;
      pieces.each([&](std::size_t, std::size_t begin, std::size_t end) {
        loops.turn(turn, z.data(), begin, end, p.data());
      });
    }
    takeFrom(u, gave);
    beams.readStresses(gave, out.stresses);
    return out;
  }
};

StressSolver::StressSolver(std::vector<Node> nodes, const std::vector<Beam>& beams, const Vec3& origin,
                           Team* team, bool wide)
    : parts_(std::make_unique<Parts>(std::move(nodes), beams, origin, team, wide)) {}

StressSolver::~StressSolver() = default;
StressSolver::StressSolver(StressSolver&&) noexcept = default;

void StressSolver::cut(std::span<const std::uint32_t> beams) {
  Parts& p = *parts_;
  for (const std::uint32_t k : beams) {
    const Span& s = p.beams.spans()[k];
    if (s.cut) continue;
    ++p.cuts;
    p.aged = p.fresh_cuts = true;
    if (p.kept) {
      p.beams.resistOne(k, p.u, p.r);
      for (const std::uint32_t end : {s.a, s.b}) {
        p.cut_ends.push_back(end);
        if (p.nodes[end].fixed) p.r[end] = {};
      }
    }
    p.beams.cut(k);
  }
}

bool StressSolver::aged() const { return parts_->aged; }

void StressSolver::keepOnly(std::span<const std::uint32_t> nodes, std::span<const std::uint32_t> beams) {
  Parts& p = *parts_;
  p.aged = p.fresh_cuts = true;
  p.kept = false;
  std::vector<std::uint32_t> place(p.nodes.size(), kLeft);
  for (std::uint32_t n = 0; n < nodes.size(); ++n) {
    place[nodes[n]] = n;
    p.nodes[n] = p.nodes[nodes[n]];
  }
  p.nodes.resize(nodes.size());
  p.cuts += p.beams.keepOnly(nodes, place, beams);
  p.pieces = InParts(nodes.size(), kPiecesAPart, p.team);
  const bool anchored = anyFixed(p.nodes);
  if (p.coarse && p.anchored == anchored)
    p.coarse->keepOnly(nodes);
  else
    p.coarse.reset();
  p.anchored = anchored;
}

namespace {

// What the loads ask of a flying cluster as a whole, taken out: every piece follows the whole.
void balance(const std::vector<Node>& nodes, const Vec3& spin, Gives& f) {
  double mass = 0;
  Vec3 middle = Vec3::Zero(), force = Vec3::Zero(), torque = Vec3::Zero();
  for (const Node& n : nodes) mass += n.mass, middle += n.mass * n.centre;
  if (!(mass > 0)) return;
  middle /= mass;
  Mat3 inertia = Mat3::Zero();
  for (std::size_t k = 0; k < nodes.size(); ++k) {
    const Vec3 r = nodes[k].centre - middle;
    force += f[k].travel;
    torque += f[k].turn + r.cross(f[k].travel);
    inertia += nodes[k].inertia + nodes[k].mass * (r.squaredNorm() * Mat3::Identity() - r * r.transpose());
  }
  const Vec3 pull = force / mass;
  const Vec3 turn = inertia.inverse() * (torque - spin.cross(inertia * spin));
  for (std::size_t k = 0; k < nodes.size(); ++k) {
    const Vec3 r = nodes[k].centre - middle;
    f[k].travel -= nodes[k].mass * (pull + turn.cross(r) + spin.cross(spin.cross(r)));
    f[k].turn -= nodes[k].inertia * turn + spin.cross(nodes[k].inertia * spin);
  }
}

Gives givesOf(std::span<const Load> loads) {
  Gives f;
  f.reserve(loads.size());
  for (const Load& l : loads) f.push_back({l.force, l.torque});
  return f;
}

}  // namespace

Solved StressSolver::sustained(std::span<const Load> loads, const Vec3& spin, Gives& gave,
                               const WorstOf& worst) {
  Parts& p = *parts_;
  Gives f = givesOf(loads);
  if (!p.anchored) balance(p.nodes, spin, f);
  const double stale = p.beams.size() >= kRoughFrom ? kStaleOfMany : kStale;
  if (!p.coarse || static_cast<double>(p.cuts) > stale * static_cast<double>(p.beams.size())) {
    p.coarse = std::make_unique<Coarse>(p.nodes, p.beams.spans(), p.loops);
    p.cuts = 0;
  }
  return p.solve(f, 0, true, gave, worst);
}

bool StressSolver::aboutCuts(Gives& gave, Stresses& stresses, const WorstOfSome& worst) {
  return parts_->solveAbout(gave, stresses, worst);
}

Solved StressSolver::sudden(std::span<const Load> loads, double reach) {
  Gives gave;
  const double weight = parts_->stiffness / (parts_->beams.density() * reach * reach);
  return parts_->solve(givesOf(loads), weight, false, gave, {});
}

}  // namespace drubble::bond
