// SPDX-License-Identifier: Apache-2.0
#include "core/place/source.h"

#include <algorithm>
#include <cmath>

#include "core/base/trig.h"

namespace drubble::place {

namespace {

constexpr int kMostDraws = 1000;  // until one lies within a volume: thinner ones are drawn on their box

// Two unit vectors across a third.
std::array<Vec3, 2> across(const Vec3& axis) {
  Eigen::Index least = 0;
  axis.cwiseAbs().minCoeff(&least);
  const Vec3 u = axis.cross(Vec3::Unit(least)).normalized();
  return {u, axis.cross(u)};
}

Vec3 aroundAxis(const Vec3& axis, double angle, double radius) {
  const auto [u, v] = across(axis);
  const SinCos c = sinCos(angle);
  return radius * (c.cos * u + c.sin * v);
}

}  // namespace

Vec3 directionWithin(const Vec3& axis, double spread, RandomStream& random) {
  const double angle = random.between(0, 2 * kPi);
  const double height = random.between(sinCos(least(spread, kPi)).cos, 1);
  return (height * axis + aroundAxis(axis, angle, std::sqrt(greatest(0, 1 - height * height)))).normalized();
}

void Source::prepare() {
  areas_.clear();
  if (kind == SourceKind::Volume) tree_ = mesh::Tree(mesh);
  if (kind != SourceKind::Surface) return;
  double sum = 0;
  for (const mesh::Triangle& t : mesh.triangles) {
    const Vec3& a = mesh.vertices[t[0]];
    sum += 0.5 * (mesh.vertices[t[1]] - a).cross(mesh.vertices[t[2]] - a).norm();
    areas_.push_back(sum);
  }
}

Box Source::bounds() const {
  switch (kind) {
    case SourceKind::Surface:
    case SourceKind::Volume:
      return mesh.bounds();
    case SourceKind::Box:
      return {at - 0.5 * size, at + 0.5 * size};
    default:
      return Box{at, at}.grown(radius);
  }
}

Source::Spot Source::spot(RandomStream& random) const {
  const Vec3 ahead = direction.value_or(kind == SourceKind::Disc ? axis : down);
  switch (kind) {
    case SourceKind::Point:
      break;
    case SourceKind::Disc: {
      const double r = radius * std::sqrt(random.unit());
      return {at + aroundAxis(axis, random.between(0, 2 * kPi), r), ahead};
    }
    case SourceKind::Box: {
      Vec3 p;
      for (int k = 0; k < 3; ++k) p[k] = at[k] + size[k] * (random.unit() - 0.5);
      return {p, ahead};
    }
    case SourceKind::Ball: {
      const Vec3 way = directionWithin(Vec3::UnitY(), kPi, random);
      return {at + radius * cubeRoot(random.unit()) * way, ahead};
    }
    case SourceKind::Surface: {
      const double x = random.unit() * areas_.back();
      const auto found = std::upper_bound(areas_.begin(), areas_.end(), x);
      const auto t =
          std::min<std::size_t>(static_cast<std::size_t>(found - areas_.begin()), areas_.size() - 1);
      const mesh::Triangle& c = mesh.triangles[t];
      const double root = std::sqrt(random.unit()), v = random.unit();
      const Vec3 p = (1 - root) * mesh.vertices[c[0]] + root * (1 - v) * mesh.vertices[c[1]] +
                     root * v * mesh.vertices[c[2]];
      return {p, mesh.normal(t)};
    }
    case SourceKind::Volume: {
      const Box box = mesh.bounds();
      Vec3 p = box.centre();
      for (int n = 0; n < kMostDraws; ++n) {
        for (int k = 0; k < 3; ++k) p[k] = random.between(box.low[k], box.high[k]);
        if (tree_.inside(mesh, p)) break;
      }
      return {p, ahead};
    }
  }
  return {at, ahead};
}

Source::Start Source::draw(RandomStream& random, double off) const {
  const Spot from = spot(random);
  Start out;
  out.pose.position = from.at;
  if (kind == SourceKind::Surface) out.pose.position += off * from.normal;
  out.velocity = directionWithin(direction.value_or(from.normal), spread, random);
  out.velocity *= random.between(speed[0], speed[1]);
  out.spin = directionWithin(Vec3::UnitY(), kPi, random);
  out.spin *= random.between(spin[0], spin[1]);
  if (any_turn) {
    out.pose.turn = random.turn();
    return out;
  }
  Vec3 angles;
  for (int k = 0; k < 3; ++k) angles[k] = random.between(-vary_turn[k], vary_turn[k]);
  out.pose.turn = turn * turnXyz(angles);
  return out;
}

}  // namespace drubble::place
