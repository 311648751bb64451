// SPDX-License-Identifier: Apache-2.0
#include "core/bond/beams.h"

#include <Eigen/Cholesky>
#include <cmath>

namespace drubble::bond {

const Loops& loopsFor(bool wide) {
  return wide && __builtin_cpu_supports("avx2") != 0 ? kWideLoops : kNarrowLoops;
}

namespace {

constexpr std::size_t kBeamsAPart = 1000;
constexpr std::size_t kSums = 2;     // parts of the beams: the sum of each is as long as all pieces
constexpr double kLeastTurn = 1e-6;  // of a piece's stiffness times its size squared

Mat3 crossMatrix(const Vec3& v) {
  Mat3 m;
  m << 0, -v.z(), v.y(), v.z(), 0, -v.x(), -v.y(), v.x(), 0;
  return m;
}

// A beam runs from centroid to centroid and acts at its face.
Span spanOf(const Beam& b, const Vec3& arm_a, const Vec3& arm_b, double length) {
  Span s;
  s.a = b.a;
  s.b = b.b;
  s.arm_a = arm_a;
  s.arm_b = arm_b;
  s.stiffness = length > 0 ? b.stiffness / length : 0;
  s.stretch = s.stiffness * b.face->area;
  s.bend = s.stiffness * (b.face->spread.trace() * Mat3::Identity() - b.face->spread);
  return s;
}

Quick quickOf(const Span& s) {
  Quick q;
  for (int c = 0; c < 3; ++c) {
    q.arm_a[c] = static_cast<float>(s.arm_a[c]);
    q.arm_b[c] = static_cast<float>(s.arm_b[c]);
    q.about[c] = static_cast<float>(s.bend(c, c));
    q.beside[c] = static_cast<float>(s.bend(c, (c + 1) % 3));
  }
  q.arm_a[3] = static_cast<float>(s.stretch);
  return q;
}

}  // namespace

Beams::Beams(const std::vector<Node>& nodes, const std::vector<Beam>& beams, const Vec3& origin,
             const Loops& loops, Team* team)
    : loops_(loops), team_(team) {
  spans_.reserve(beams.size());
  quick_.reserve(beams.size());
  ends_.reserve(beams.size());
  faces_.reserve(beams.size());
  double volume = 0, mass = 0;
  for (const Node& n : nodes) mass += n.mass;
  for (const Beam& b : beams) {
    const Node &na = nodes[b.a], &nb = nodes[b.b];
    const Vec3 arm_a = b.face->place - origin - na.centre, arm_b = b.face->place - origin - nb.centre;
    // From centroid to centroid along the face's normal; what is fixed is as long as what hangs on it.
    const Vec3 between = na.fixed ? Vec3(-2 * arm_b) : nb.fixed ? Vec3(2 * arm_a) : Vec3(arm_a - arm_b);
    // Where the centroids lie beside each other, no less than a tenth of their distance.
    const double length = greatest(absolute(between.dot(b.face->normal)), 0.1 * between.norm());
    spans_.push_back(spanOf(b, arm_a, arm_b, length));
    quick_.push_back(quickOf(spans_.back()));
    ends_.push_back({b.a, b.b});
    addFace(*b.face);
    volume += b.face->area * length / 3;  // cells as pyramids over their faces
  }
  density_ = volume > 0 ? mass / volume : 1;
  makeSums(nodes.size());
  findSpansOf(nodes.size());
}

void Beams::addFace(const Face& f) {
  const Vec3 u = anyNormalTo(f.normal), v = f.normal.cross(u);
  const Span& s = spans_.back();
  Faced out{s.arm_a,
            s.arm_b,
            s.stiffness,
            u.cast<float>(),
            v.cast<float>(),
            f.normal.cast<float>(),
            u32(corners_.size()),
            0};
  for (const Vec3& c : f.corners)
    corners_.push_back({static_cast<float>(u.dot(c)), static_cast<float>(v.dot(c))});
  if (f.corners.empty()) corners_.push_back({0, 0});
  out.end = u32(corners_.size());
  faces_.push_back(out);
}

void Beams::makeSums(std::size_t nodes) {
  sums_.resize(InParts(spans_.size(), kBeamsAPart, nullptr, kSums).count() - 1);
  for (Sextets& sum : sums_) sum.resize(nodes);
}

void Beams::findSpansOf(std::size_t nodes) {
  first_.assign(nodes + 1, 0);
  for (const Span& s : spans_) ++first_[s.a + 1], ++first_[s.b + 1];
  for (std::size_t k = 0; k < nodes; ++k) first_[k + 1] += first_[k];
  of_.resize(2 * spans_.size());
  std::vector<std::uint32_t> at = first_;
  for (std::uint32_t n = 0; n < spans_.size(); ++n)
    for (const std::uint32_t k : {spans_[n].a, spans_[n].b}) of_[at[k]++] = n;
}

void Beams::cut(std::uint32_t beam) {
  Span& s = spans_[beam];
  s.cut = true;
  s.stiffness = s.stretch = faces_[beam].stiffness = 0;
  s.bend.setZero();
  quick_[beam] = quickOf(s);
  if (!stale_.empty()) stale_[s.a] = stale_[s.b] = 1;
}

std::size_t Beams::keepOnly(std::span<const std::uint32_t> nodes, std::span<const std::uint32_t> place,
                            std::span<const std::uint32_t> beams) {
  std::size_t cuts = 0, at = 0;
  for (std::uint32_t n = 0; n < spans_.size(); ++n) {
    if (at < beams.size() && beams[at] == n) {
      ++at;
      continue;
    }
    if (!spans_[n].cut) ++cuts;
    cut(n);
  }
  for (std::size_t n = 0; n < beams.size(); ++n) {
    const std::uint32_t old = beams[n];
    spans_[n] = spans_[old];
    spans_[n].a = place[spans_[n].a];
    spans_[n].b = place[spans_[n].b];
    ends_[n] = {spans_[n].a, spans_[n].b};
    quick_[n] = quick_[old];
    faces_[n] = faces_[old];
  }
  spans_.resize(beams.size());
  ends_.resize(beams.size());
  quick_.resize(beams.size());
  faces_.resize(beams.size());
  keepSpansOf(nodes, beams);
  for (std::size_t k = 0; k < nodes.size() && !own_.empty(); ++k) {
    own_[k] = own_[nodes[k]];
    stale_[k] = stale_[nodes[k]];
  }
  if (!own_.empty()) own_.resize(nodes.size()), stale_.resize(nodes.size());
  makeSums(nodes.size());
  return cuts;
}

// As findSpansOf would find them.
void Beams::keepSpansOf(std::span<const std::uint32_t> nodes, std::span<const std::uint32_t> beams) {
  std::vector<std::uint32_t> now(of_.size() / 2, kLeft);
  for (std::uint32_t n = 0; n < beams.size(); ++n) now[beams[n]] = n;
  std::uint32_t end = 0;
  for (std::size_t k = 0; k < nodes.size(); ++k) {
    const std::uint32_t from = first_[nodes[k]], to = first_[nodes[k] + 1];
    first_[k] = end;
    for (std::uint32_t i = from; i < to; ++i)
      if (now[of_[i]] != kLeft) of_[end++] = now[of_[i]];
  }
  first_[nodes.size()] = end;
  first_.resize(nodes.size() + 1);
  of_.resize(end);
}

double Beams::resist(const std::vector<Node>& nodes, const Sextets& u, double weight, Sextets& out) {
  const InParts parts(spans_.size(), kBeamsAPart, team_, kSums);
  parts.each([&](std::size_t part, std::size_t begin, std::size_t end) {
    Sextets& sum = part == 0 ? out : sums_[part - 1];
    std::fill(sum.begin(), sum.end(), Sextet());
    loops_.pull(quick_.data(), ends_.data(), begin, end, u.data(), sum.data());
  });
  return InParts(nodes.size(), kPiecesAPart, team_).sum([&](std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      if (nodes[k].fixed) {
        out[k] = {};
        continue;
      }
      for (const Sextets& sum : sums_)
        for (int c = 0; c < 8; ++c) out[k].x[c] += sum[k].x[c];
      if (!(weight > 0)) continue;
      const Vec3 turn = weight * (nodes[k].inertia * vec3(u[k].x[4], u[k].x[5], u[k].x[6]));
      for (int c = 0; c < 3; ++c) {
        out[k].x[c] += weight * nodes[k].mass * u[k].x[c];
        out[k].x[4 + c] += turn[c];
      }
    }
    return loops_.dot(u.data(), out.data(), begin, end);
  });
}

void Beams::invert(const Node& node, std::size_t k) {
  own_[k] = {};
  if (node.fixed) return;
  Six m = Six::Zero();
  m.topLeftCorner<3, 3>() = own_weight_ * node.mass * Mat3::Identity();
  m.bottomRightCorner<3, 3>() = own_weight_ * node.inertia;
  for (std::uint32_t n = first_[k]; n < first_[k + 1]; ++n) {
    const Span& s = spans_[of_[n]];
    if (s.cut) continue;
    const Vec3& arm = s.a == k ? s.arm_a : s.arm_b;
    const Mat3 x = crossMatrix(arm);
    m.topLeftCorner<3, 3>() += s.stretch * Mat3::Identity();
    m.topRightCorner<3, 3>() -= s.stretch * x;
    m.bottomLeftCorner<3, 3>() += s.stretch * x;
    m.bottomRightCorner<3, 3>() += s.bend - s.stretch * x * x;
    // One that hangs by next to nothing.
    m.bottomRightCorner<3, 3>() += kLeastTurn * s.stretch * arm.squaredNorm() * Mat3::Identity();
  }
  if (!(m.trace() > 0)) return;
  const Six inverse = m.llt().solve(Six::Identity());
  for (int c = 0; c < 6; ++c)
    for (int r = 0; r < 6; ++r) own_[k].column[c][r < 3 ? r : r + 1] = static_cast<float>(inverse(r, c));
}

void Beams::invertOwn(const std::vector<Node>& nodes, double weight) {
  if (weight != own_weight_) {
    own_.resize(nodes.size());
    stale_.assign(nodes.size(), 1);
    own_weight_ = weight;
  }
  InParts(nodes.size(), kPiecesAPart, team_).each([&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k)
      if (stale_[k] != 0) invert(nodes[k], k), stale_[k] = 0;
  });
}

Stress Beams::stressOf(const Gives& u, std::size_t k) const {
  const Faced& f = faces_[k];
  const Give &ua = u[ends_[k].a], &ub = u[ends_[k].b];
  const Vec3f apart =
      (f.stiffness * (ub.travel + ub.turn.cross(f.arm_b) - ua.travel - ua.turn.cross(f.arm_a))).cast<float>();
  const Vec3f turned = (f.stiffness * (ub.turn - ua.turn)).cast<float>();
  // A flat face: what turns it about its axes changes what stands square to it, the rest what lies along.
  const float across = f.normal.dot(apart), along_u = f.u.dot(apart), along_v = f.v.dot(apart),
              about_u = f.u.dot(turned), about_v = f.v.dot(turned), twist = f.normal.dot(turned);
  float tension = 0, compression = 0, shear = 0;
  for (std::uint32_t n = f.first; n < f.end; ++n) {
    const Corner& c = corners_[n];
    const float square = across + about_u * c.v - about_v * c.u, p = along_u - twist * c.v,
                q = along_v + twist * c.u, flat = p * p + q * q;
    tension = tension < square ? square : tension;
    compression = compression < -square ? -square : compression;
    shear = shear < flat ? flat : shear;
  }
  return {static_cast<double>(tension), static_cast<double>(compression),
          static_cast<double>(std::sqrt(shear))};
}

void Beams::readStresses(const Gives& u, Stresses& out) const {
  if (out.size() != spans_.size()) out.clear(), addUnset(out, spans_.size());
  InParts(spans_.size(), kBeamsAPart, team_).each([&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) out[k] = stressOf(u, k);
  });
}

void Beams::readStresses(const Gives& u, std::span<const std::uint32_t> some, Stresses& out) const {
  for (const std::uint32_t k : some) out[k] = stressOf(u, k);
}

}  // namespace drubble::bond
