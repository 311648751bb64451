// SPDX-License-Identifier: Apache-2.0
#include "core/bond/stress.h"

#include <Eigen/Cholesky>
#include <cmath>

#include "core/bond/coarse.h"

namespace drubble::bond {

namespace {

constexpr double kEnough = 0.01;  // error of the whole answer
constexpr int kMostIterations = 400;
constexpr double kSafe = 0.8;        // of its strength: bonds that bear less need not be known exactly
constexpr double kLeastTurn = 1e-6;  // of a piece's stiffness times its size squared

Mat3 crossMatrix(const Vec3& v) {
  Mat3 m;
  m << 0, -v.z(), v.y(), v.z(), 0, -v.x(), -v.y(), v.x(), 0;
  return m;
}

double dot(const Gives& x, const Gives& y) {
  double sum = 0;
  for (std::size_t k = 0; k < x.size(); ++k) sum += x[k].travel.dot(y[k].travel) + x[k].turn.dot(y[k].turn);
  return sum;
}

// x += share * y
void addTo(Gives& x, double share, const Gives& y) {
  for (std::size_t k = 0; k < x.size(); ++k) {
    x[k].travel += share * y[k].travel;
    x[k].turn += share * y[k].turn;
  }
}

}  // namespace

struct StressSolver::Parts {
  std::vector<Node> nodes;
  std::vector<Beam> beams;
  Spans spans;
  bool anchored = false;
  double density = 1;  // kg/m3 of the volume that the beams fill, about
  std::unique_ptr<Coarse> coarse;
  std::vector<Six> own;  // a node: its block, inverted; of what was solved last
  bool own_made = false;
  double own_weight = 0;

  // What holds the pieces against `u`: K u, and with `weight` > 0 their inertia, weight * M u.
  void resist(const Gives& u, double weight, Gives& out) const {
    for (std::size_t k = 0; k < nodes.size(); ++k) {
      out[k].travel = weight * nodes[k].mass * u[k].travel;
      out[k].turn = weight > 0 ? Vec3(weight * (nodes[k].inertia * u[k].turn)) : Vec3(Vec3::Zero());
    }
    for (const Span& s : spans) {
      const Give &ua = u[s.a], &ub = u[s.b];
      const Vec3 apart = ub.travel + ub.turn.cross(s.arm_b) - ua.travel - ua.turn.cross(s.arm_a);
      const Vec3 force = s.stretch * apart, torque = s.bend * (ub.turn - ua.turn);
      out[s.a].travel -= force;
      out[s.a].turn -= s.arm_a.cross(force) + torque;
      out[s.b].travel += force;
      out[s.b].turn += s.arm_b.cross(force) + torque;
    }
    for (std::size_t k = 0; k < nodes.size(); ++k)
      if (nodes[k].fixed) out[k] = {};
  }

  void invertOwn(double weight) {
    own_made = true;
    own_weight = weight;
    own.assign(nodes.size(), Six::Zero());
    for (std::size_t k = 0; k < nodes.size(); ++k) {
      own[k].topLeftCorner<3, 3>() = weight * nodes[k].mass * Mat3::Identity();
      own[k].bottomRightCorner<3, 3>() = weight * nodes[k].inertia;
    }
    for (const Span& s : spans) {
      for (const auto& [node, arm] : {std::pair(s.a, s.arm_a), std::pair(s.b, s.arm_b)}) {
        Six& m = own[node];
        const Mat3 x = crossMatrix(arm);
        m.topLeftCorner<3, 3>() += s.stretch * Mat3::Identity();
        m.topRightCorner<3, 3>() -= s.stretch * x;
        m.bottomLeftCorner<3, 3>() += s.stretch * x;
        m.bottomRightCorner<3, 3>() += s.bend - s.stretch * x * x;
        // One that hangs by next to nothing.
        m.bottomRightCorner<3, 3>() += kLeastTurn * s.stretch * arm.squaredNorm() * Mat3::Identity();
      }
    }
    for (std::size_t k = 0; k < nodes.size(); ++k) {
      if (nodes[k].fixed || !(own[k].trace() > 0)) {
        own[k].setZero();
        continue;
      }
      own[k] = own[k].llt().solve(Six::Identity()).eval();
    }
  }

  void precondition(const Gives& r, bool with_coarse, Gives& z) const {
    for (std::size_t k = 0; k < nodes.size(); ++k) {
      Eigen::Matrix<double, 6, 1> x;
      x << r[k].travel, r[k].turn;
      const Eigen::Matrix<double, 6, 1> y = own[k] * x;
      z[k] = {y.head<3>(), y.tail<3>()};
    }
    if (with_coarse && coarse) coarse->add(r, z);
  }

  // From u, which becomes the answer.
  Solved solve(Gives f, double weight, bool with_coarse, Gives& u, const WorstOf& worst) {
    Solved out;
    const std::size_t n = nodes.size();
    for (std::size_t k = 0; k < n; ++k)
      if (nodes[k].fixed) f[k] = {};
    Gives r = f, z(n), p(n), q(n);
    const bool warm = u.size() == n;
    u.resize(n);
    if (!own_made || weight != own_weight) invertOwn(weight);
    double fu = 0;
    if (warm) {
      resist(u, weight, q);
      addTo(r, -1, q);
      fu = dot(f, u);
    }
    precondition(r, with_coarse, z);
    p = z;
    double rz = dot(r, z);
    if (warm && fu > 0 && rz >= 0) {
      out.error = std::sqrt(rz / fu);
      readStresses(u, out);
      if (out.error < kEnough || (worst && worst(out.stresses) * (1 + 3 * out.error) < kSafe)) return out;
    } else if (warm) {
      // What was is of no use: other loads altogether.
      u.assign(n, {});
      r = f;
      fu = 0;
      precondition(r, with_coarse, z);
      p = z;
      rz = dot(r, z);
    }
    if (rz > 0) {
      for (out.iterations = 1; out.iterations <= kMostIterations; ++out.iterations) {
        resist(p, weight, q);
        const double pq = dot(p, q);
        if (!(pq > 0)) break;
        const double step = rz / pq;
        addTo(u, step, p);
        addTo(r, -step, q);
        fu = warm ? dot(f, u) : fu + step * rz;  // that is by how much f.u grows
        precondition(r, with_coarse, z);
        const double next = dot(r, z);
        out.error = fu > 0 ? std::sqrt(greatest(next, 0) / fu) : 0;
        if (out.error < kEnough) break;
        const double turn = next / rz;
        rz = next;
        for (std::size_t k = 0; k < n; ++k) {
          p[k].travel = z[k].travel + turn * p[k].travel;
          p[k].turn = z[k].turn + turn * p[k].turn;
        }
      }
    }
    readStresses(u, out);
    return out;
  }

  void readStresses(const Gives& u, Solved& out) const {
    out.stresses.resize(beams.size());
    for (std::size_t k = 0; k < beams.size(); ++k) {
      const Span& s = spans[k];
      const Face& f = *beams[k].face;
      const Give &ua = u[s.a], &ub = u[s.b];
      const Vec3 apart = ub.travel + ub.turn.cross(s.arm_b) - ua.travel - ua.turn.cross(s.arm_a);
      const Vec3 turned = ub.turn - ua.turn;
      Stress& most = out.stresses[k];
      const auto look = [&](const Vec3& at) {
        const Vec3 traction = s.stiffness * (apart + turned.cross(at));
        const double across = f.normal.dot(traction);
        most.tension = greatest(most.tension, across);
        most.compression = greatest(most.compression, -across);
        most.shear = greatest(most.shear, (traction - across * f.normal).norm());
      };
      for (const Vec3& corner : f.corners) look(corner);
      if (f.corners.empty()) look(Vec3::Zero());
    }
  }
};

StressSolver::StressSolver(std::vector<Node> nodes, std::vector<Beam> beams, const Vec3& origin)
    : parts_(std::make_unique<Parts>()) {
  Parts& p = *parts_;
  p.nodes = std::move(nodes);
  p.beams = std::move(beams);
  for (const Node& n : p.nodes) p.anchored = p.anchored || n.fixed;
  double volume = 0, mass = 0;
  for (const Node& n : p.nodes) mass += n.mass;
  for (const Beam& b : p.beams) {
    const Node &na = p.nodes[b.a], &nb = p.nodes[b.b];
    const Vec3 arm_a = b.face->place - origin - na.centre, arm_b = b.face->place - origin - nb.centre;
    // From centroid to centroid along the face's normal; what is fixed is as long as what hangs on it.
    const Vec3 between = na.fixed ? Vec3(-2 * arm_b) : nb.fixed ? Vec3(2 * arm_a) : Vec3(arm_a - arm_b);
    // Where the centroids lie beside each other, no less than a tenth of their distance.
    const double length = greatest(absolute(between.dot(b.face->normal)), 0.1 * between.norm());
    Span s;
    s.a = b.a;
    s.b = b.b;
    s.arm_a = arm_a;
    s.arm_b = arm_b;
    s.stiffness = length > 0 ? b.stiffness / length : 0;
    s.stretch = s.stiffness * b.face->area;
    s.bend = s.stiffness * (b.face->spread.trace() * Mat3::Identity() - b.face->spread);
    p.spans.push_back(s);
    volume += b.face->area * length / 3;  // cells as pyramids over their faces
  }
  p.density = volume > 0 ? mass / volume : 1;
}

StressSolver::~StressSolver() = default;
StressSolver::StressSolver(StressSolver&&) noexcept = default;

void StressSolver::cut(std::span<const std::uint32_t> beams) {
  for (const std::uint32_t k : beams) {
    Span& s = parts_->spans[k];
    s.stiffness = s.stretch = 0;
    s.bend.setZero();
  }
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
  if (!p.coarse) p.coarse = std::make_unique<Coarse>(p.nodes, p.spans);
  return p.solve(std::move(f), 0, true, gave, worst);
}

Solved StressSolver::sudden(std::span<const Load> loads, double reach) {
  const double stiffness = parts_->beams.empty() ? 1 : parts_->beams[0].stiffness;
  Gives gave;
  return parts_->solve(givesOf(loads), stiffness / (parts_->density * reach * reach), false, gave, {});
}

}  // namespace drubble::bond
