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
constexpr double kStale = 0.002;     // of the beams: so many cut, and the coarse level is made anew
constexpr double kLeastTurn = 1e-6;  // of a piece's stiffness times its size squared

Mat3 crossMatrix(const Vec3& v) {
  Mat3 m;
  m << 0, -v.z(), v.y(), v.z(), 0, -v.x(), -v.y(), v.x(), 0;
  return m;
}

double dot(const Sextets& x, const Sextets& y) {
  double sum[4] = {};  // of every fourth piece: none waits for the one before it
  for (std::size_t k = 0; k < x.size(); ++k) {
    double here = 0;
    for (int c = 0; c < 6; ++c) here += x[k].x[c] * y[k].x[c];
    sum[k % 4] += here;
  }
  return (sum[0] + sum[1]) + (sum[2] + sum[3]);
}

// x += share * y
void addTo(Sextets& x, double share, const Sextets& y) {
  for (std::size_t k = 0; k < x.size(); ++k)
    for (int c = 0; c < 6; ++c) x[k].x[c] += share * y[k].x[c];
}

Sextets sextetsOf(const Gives& x) {
  Sextets out(x.size());
  for (std::size_t k = 0; k < x.size(); ++k)
    for (int c = 0; c < 3; ++c) {
      out[k].x[c] = x[k].travel[c];
      out[k].x[3 + c] = x[k].turn[c];
    }
  return out;
}

void takeFrom(const Sextets& x, Gives& out) {
  for (std::size_t k = 0; k < x.size(); ++k)
    out[k] = {vec3(x[k].x[0], x[k].x[1], x[k].x[2]), vec3(x[k].x[3], x[k].x[4], x[k].x[5])};
}

// A span as the passes over all of them read it: its coefficients need no more than floats, and bytes are
// what they wait for.
struct alignas(64) Quick {
  std::uint32_t a = 0, b = 0;
  float arm_a[3] = {}, arm_b[3] = {};
  float stretch = 0;
  float bend[6] = {};  // xx, xy, xz, yy, yz, zz

  explicit Quick(const Span& s) : a(s.a), b(s.b), stretch(static_cast<float>(s.stretch)) {
    for (int c = 0; c < 3; ++c) {
      arm_a[c] = static_cast<float>(s.arm_a[c]);
      arm_b[c] = static_cast<float>(s.arm_b[c]);
    }
    int at = 0;
    for (int i = 0; i < 3; ++i)
      for (int j = i; j < 3; ++j) bend[at++] = static_cast<float>(s.bend(i, j));
  }
};

// A piece's block, inverted, column by column: what conditions may be rough.
struct Block {
  float column[6][6] = {};
};

}  // namespace

struct StressSolver::Parts {
  std::vector<Node> nodes;
  std::vector<Beam> beams;
  Spans spans;
  bool anchored = false;
  double density = 1;  // kg/m3 of the volume that the beams fill, about
  std::unique_ptr<Coarse> coarse;
  std::vector<Quick> quick;                  // a span
  std::vector<Vec3> normals;                 // a span: its face's
  std::vector<std::size_t> first_corner{0};  // a span, and the end
  std::vector<Vec3f> corners;                // where its stress is read, from the face's place
  std::vector<Block> own;                    // a piece; with `own_weight`
  std::vector<char> stale;                   // a piece: a beam of it was cut since its block was made
  double own_weight = -1;
  std::size_t cuts = 0;  // since the coarse level was made

  // What holds the pieces against `u`: K u, and with `weight` > 0 their inertia, weight * M u.
  void resist(const Sextets& u, double weight, Sextets& out) const {
    for (std::size_t k = 0; k < nodes.size(); ++k) {
      out[k] = {};
      if (!(weight > 0)) continue;
      const Vec3 turn = weight * (nodes[k].inertia * vec3(u[k].x[3], u[k].x[4], u[k].x[5]));
      for (int c = 0; c < 3; ++c) {
        out[k].x[c] = weight * nodes[k].mass * u[k].x[c];
        out[k].x[3 + c] = turn[c];
      }
    }
    for (const Quick& s : quick) {
      const double *ua = u[s.a].x, *ub = u[s.b].x;
      double p[3], q[3], m[6];
      for (int c = 0; c < 3; ++c)
        p[c] = static_cast<double>(s.arm_a[c]), q[c] = static_cast<double>(s.arm_b[c]);
      for (int c = 0; c < 6; ++c) m[c] = static_cast<double>(s.bend[c]);
      const auto stretch = static_cast<double>(s.stretch);
      const double fx = stretch *
                        (ub[0] - ua[0] + (ub[4] * q[2] - ub[5] * q[1]) - (ua[4] * p[2] - ua[5] * p[1])),
                   fy = stretch *
                        (ub[1] - ua[1] + (ub[5] * q[0] - ub[3] * q[2]) - (ua[5] * p[0] - ua[3] * p[2])),
                   fz = stretch *
                        (ub[2] - ua[2] + (ub[3] * q[1] - ub[4] * q[0]) - (ua[3] * p[1] - ua[4] * p[0]));
      const double x = ub[3] - ua[3], y = ub[4] - ua[4], z = ub[5] - ua[5];
      const double tx = m[0] * x + m[1] * y + m[2] * z, ty = m[1] * x + m[3] * y + m[4] * z,
                   tz = m[2] * x + m[4] * y + m[5] * z;
      double *oa = out[s.a].x, *ob = out[s.b].x;
      oa[0] -= fx, oa[1] -= fy, oa[2] -= fz;
      oa[3] -= p[1] * fz - p[2] * fy + tx;
      oa[4] -= p[2] * fx - p[0] * fz + ty;
      oa[5] -= p[0] * fy - p[1] * fx + tz;
      ob[0] += fx, ob[1] += fy, ob[2] += fz;
      ob[3] += q[1] * fz - q[2] * fy + tx;
      ob[4] += q[2] * fx - q[0] * fz + ty;
      ob[5] += q[0] * fy - q[1] * fx + tz;
    }
    for (std::size_t k = 0; k < nodes.size(); ++k)
      if (nodes[k].fixed) out[k] = {};
  }

  // The blocks of pieces whose beams have changed, inverted.
  void invertOwn(double weight) {
    if (weight != own_weight) {
      own.resize(nodes.size());
      stale.assign(nodes.size(), 1);
      own_weight = weight;
    }
    std::vector<std::uint32_t> place(nodes.size(), 0);
    std::vector<Six> made(1);
    for (std::size_t k = 0; k < nodes.size(); ++k) {
      if (!stale[k]) continue;
      place[k] = static_cast<std::uint32_t>(made.size());
      Six& m = made.emplace_back(Six::Zero());
      m.topLeftCorner<3, 3>() = weight * nodes[k].mass * Mat3::Identity();
      m.bottomRightCorner<3, 3>() = weight * nodes[k].inertia;
    }
    if (made.size() == 1) return;
    for (const Span& s : spans) {
      for (const auto& [node, arm] : {std::pair(s.a, s.arm_a), std::pair(s.b, s.arm_b)}) {
        if (place[node] == 0) continue;
        Six& m = made[place[node]];
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
      if (place[k] == 0) continue;
      own[k] = {};
      stale[k] = 0;
      const Six& m = made[place[k]];
      if (nodes[k].fixed || !(m.trace() > 0)) continue;
      const Six inverse = m.llt().solve(Six::Identity());
      for (int c = 0; c < 6; ++c)
        for (int r = 0; r < 6; ++r) own[k].column[c][r] = static_cast<float>(inverse(r, c));
    }
  }

  void precondition(const Sextets& r, bool with_coarse, Sextets& z) const {
    for (std::size_t k = 0; k < nodes.size(); ++k) {
      Sextet y;
      for (int c = 0; c < 6; ++c)
        for (int i = 0; i < 6; ++i) y.x[i] += static_cast<double>(own[k].column[c][i]) * r[k].x[c];
      z[k] = y;
    }
    if (with_coarse && coarse) coarse->add(r, z);
  }

  // From `gave`, which becomes the answer.
  Solved solve(const Gives& loads, double weight, bool with_coarse, Gives& gave, const WorstOf& worst) {
    Solved out;
    const std::size_t n = nodes.size();
    Sextets f = sextetsOf(loads);
    for (std::size_t k = 0; k < n; ++k)
      if (nodes[k].fixed) f[k] = {};
    Sextets r = f, z(n), p(n), q(n);
    const bool warm = gave.size() == n;
    gave.resize(n);
    Sextets u = sextetsOf(gave);
    invertOwn(weight);
    double fu = 0;
    if (warm) {
      resist(u, weight, q);
      addTo(r, -1, q);
      fu = dot(f, u);
    }
    precondition(r, with_coarse, z);
    double rz = dot(r, z);
    if (warm && fu > 0 && rz >= 0) {
      out.error = std::sqrt(rz / fu);
      readStresses(gave, out);
      if (out.error < kEnough || (worst && worst(out.stresses) * (1 + 3 * out.error) < kSafe)) return out;
    } else if (warm) {
      // What was is of no use: other loads altogether.
      u.assign(n, {});
      r = f;
      fu = 0;
      precondition(r, with_coarse, z);
      rz = dot(r, z);
    }
    p = z;
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
        for (std::size_t k = 0; k < n; ++k)
          for (int c = 0; c < 6; ++c) p[k].x[c] = z[k].x[c] + turn * p[k].x[c];
      }
    }
    takeFrom(u, gave);
    readStresses(gave, out);
    return out;
  }

  void readStresses(const Gives& u, Solved& out) const {
    out.stresses.resize(beams.size());
    for (std::size_t k = 0; k < beams.size(); ++k) {
      const Span& s = spans[k];
      const Give &ua = u[s.a], &ub = u[s.b];
      const Vec3 apart = ub.travel + ub.turn.cross(s.arm_b) - ua.travel - ua.turn.cross(s.arm_a);
      const Vec3 turned = ub.turn - ua.turn;
      double tension = 0, compression = 0, shear = 0;
      for (std::size_t n = first_corner[k]; n < first_corner[k + 1]; ++n) {
        const Vec3 traction = s.stiffness * (apart + turned.cross(corners[n].cast<double>()));
        const double across = normals[k].dot(traction);
        tension = greatest(tension, across);
        compression = greatest(compression, -across);
        shear = greatest(shear, (traction - across * normals[k]).squaredNorm());
      }
      out.stresses[k] = {tension, compression, std::sqrt(shear)};
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
    p.quick.emplace_back(s);
    p.normals.push_back(b.face->normal);
    for (const Vec3& corner : b.face->corners) p.corners.push_back(corner.cast<float>());
    if (b.face->corners.empty()) p.corners.push_back(Vec3f::Zero());
    p.first_corner.push_back(p.corners.size());
    volume += b.face->area * length / 3;  // cells as pyramids over their faces
  }
  p.density = volume > 0 ? mass / volume : 1;
}

StressSolver::~StressSolver() = default;
StressSolver::StressSolver(StressSolver&&) noexcept = default;

void StressSolver::cut(std::span<const std::uint32_t> beams) {
  for (const std::uint32_t k : beams) {
    Span& s = parts_->spans[k];
    if (!s.cut) ++parts_->cuts;
    s.cut = true;
    s.stiffness = s.stretch = 0;
    s.bend.setZero();
    parts_->quick[k] = Quick(s);
    if (!parts_->stale.empty()) parts_->stale[s.a] = parts_->stale[s.b] = 1;
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
  if (!p.coarse || static_cast<double>(p.cuts) > kStale * static_cast<double>(p.spans.size())) {
    p.coarse = std::make_unique<Coarse>(p.nodes, p.spans);
    p.cuts = 0;
  }
  return p.solve(f, 0, true, gave, worst);
}

Solved StressSolver::sudden(std::span<const Load> loads, double reach) {
  const double stiffness = parts_->beams.empty() ? 1 : parts_->beams[0].stiffness;
  Gives gave;
  return parts_->solve(givesOf(loads), stiffness / (parts_->density * reach * reach), false, gave, {});
}

}  // namespace drubble::bond
