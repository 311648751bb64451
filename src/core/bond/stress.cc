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

constexpr double kEnough = 0.01;          // error of the whole answer
constexpr double kRough = 0.05;           // with which what is far over its strength is told from the rest
constexpr double kFarOver = 2;            // times its strength
constexpr std::size_t kRoughFrom = 2000;  // beams: few are solved for in no time
constexpr int kMostLocal = 3;             // solves of a part, each about what the one before left
constexpr double kGain = 0.5;             // and no more of them where one leaves more of the error
constexpr int kMostIterations = 400;
constexpr double kSafe = 0.8;     // of its strength: bonds that bear less need not be known exactly
constexpr double kStale = 0.002;  // of the beams: so many cut, and the coarse level is made anew

Sextets sextetsOf(const Gives& x) {
  Sextets out(x.size());
  for (std::size_t k = 0; k < x.size(); ++k)
    for (int c = 0; c < 3; ++c) {
      out[k].x[c] = x[k].travel[c];
      out[k].x[4 + c] = x[k].turn[c];
    }
  return out;
}

void takeFrom(const Sextets& x, Gives& out) {
  for (std::size_t k = 0; k < x.size(); ++k)
    out[k] = {vec3(x[k].x[0], x[k].x[1], x[k].x[2]), vec3(x[k].x[4], x[k].x[5], x[k].x[6])};
}

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

  Parts(std::vector<Node> n, const std::vector<Beam>& b, const Vec3& origin, Team* its_team, bool wide)
      : nodes(std::move(n)),
        loops(loopsFor(wide)),
        team(its_team),
        beams(nodes, b, origin, loops, team),
        stiffness(b.empty() ? 1 : b[0].stiffness),
        anchored(anyFixed(nodes)),
        pieces(nodes.size(), kPiecesAPart, team) {}

  // z = about what r makes the pieces give. Returns r.z.
  double precondition(const Sextets& r, bool with_coarse, Sextets& z) const {
    Coarse* groups = with_coarse ? coarse.get() : nullptr;
    if (groups != nullptr) groups->solve(r);
    return pieces.sum([&](std::size_t begin, std::size_t end) {
      loops.give(beams.own(), r.data(), begin, end, z.data());
      if (groups != nullptr) groups->addTo(z, begin, end);
      return loops.dot(r.data(), z.data(), begin, end);
    });
  }

  // Takes what u bears of r away. Returns f.u.
  double left(const Sextets& f, const Sextets& u, double weight, Sextets& q, Sextets& r) {
    beams.resist(nodes, u, weight, q);
    return pieces.sum([&](std::size_t begin, std::size_t end) {
      loops.add(-1, q.data(), begin, end, r.data());
      return loops.dot(f.data(), u.data(), begin, end);
    });
  }

  // From `gave`, which becomes the answer.
  Solved solve(const Gives& loads, double weight, bool with_coarse, Gives& gave, const WorstOf& worst) {
    Solved out;
    const std::size_t n = nodes.size();
    Sextets f = sextetsOf(loads);
    for (std::size_t k = 0; k < n; ++k)
      if (nodes[k].fixed) f[k] = {};
    Sextets r = f, z(n), p, q(n);
    const bool warm = gave.size() == n;
    gave.resize(n);
    Sextets u = sextetsOf(gave);
    beams.invertOwn(nodes, weight);
    double fu = warm ? left(f, u, weight, q, r) : 0;
    double rz = precondition(r, with_coarse, z);
    bool looked = false;
    const bool large = beams.size() >= kRoughFrom, fresh = std::exchange(fresh_cuts, false);
    // Whether it is known well enough; `error` tells how well.
    const auto farOver = [&] {
      if (looked || !worst || !large || !(out.error < kRough)) return false;
      looked = true;
      takeFrom(u, gave);
      beams.readStresses(gave, out.stresses);
      return worst(out.stresses) * (1 - 3 * out.error) > kFarOver;
    };
    if (warm && fu > 0 && rz >= 0) {
      out.error = std::sqrt(rz / fu);
      const bool may_stay = worst && !(large && fresh);
      if (out.error < kEnough || may_stay) beams.readStresses(gave, out.stresses);
      if (out.error < kEnough || (may_stay && worst(out.stresses) * (1 + 3 * out.error) < kSafe)) return out;
      for (int k = 0; k < kMostLocal && large && out.error > kEnough; ++k) {
        const double before = out.error;
        if (!solveLocally(beams, nodes, loops, r, z, kEnough * kEnough * fu, u)) break;
        r = f;
        fu = left(f, u, weight, q, r);
        rz = precondition(r, with_coarse, z);
        out.error = fu > 0 && rz >= 0 ? std::sqrt(rz / fu) : 1;
        if (farOver()) return out;
        if (out.error > kGain * before) break;
      }
    } else if (warm) {
      // What was is of no use: other loads altogether.
      u.assign(n, {});
      r = f;
      fu = 0;
      rz = precondition(r, with_coarse, z);
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
      const double next = precondition(r, with_coarse, z);
      out.error = fu > 0 ? std::sqrt(greatest(next, 0) / fu) : 0;
      if (out.error < kEnough) break;
      if (farOver()) return out;
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
  for (const std::uint32_t k : beams) {
    if (parts_->beams.spans()[k].cut) continue;
    ++parts_->cuts;
    parts_->aged = parts_->fresh_cuts = true;
    parts_->beams.cut(k);
  }
}

bool StressSolver::aged() const { return parts_->aged; }

void StressSolver::keepOnly(std::span<const std::uint32_t> nodes, std::span<const std::uint32_t> beams) {
  Parts& p = *parts_;
  p.aged = p.fresh_cuts = true;
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
  if (!p.coarse || static_cast<double>(p.cuts) > kStale * static_cast<double>(p.beams.size())) {
    p.coarse = std::make_unique<Coarse>(p.nodes, p.beams.spans(), p.loops);
    p.cuts = 0;
  }
  return p.solve(f, 0, true, gave, worst);
}

Solved StressSolver::sudden(std::span<const Load> loads, double reach) {
  Gives gave;
  const double weight = parts_->stiffness / (parts_->beams.density() * reach * reach);
  return parts_->solve(givesOf(loads), weight, false, gave, {});
}

}  // namespace drubble::bond
