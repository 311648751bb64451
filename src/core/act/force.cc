// SPDX-License-Identifier: Apache-2.0
#include "core/act/force.h"

#include <array>
#include <cmath>

#include "core/base/random.h"

namespace drubble::act {

namespace {

constexpr double kEddyScale = 0.53;  // brings the curl to about 1 in mean square

// In [-1, 1], for a point of a lattice.
double latticeValue(std::int64_t x, std::int64_t y, std::int64_t z, std::uint64_t key) {
  std::uint64_t h = mixBits(key ^ static_cast<std::uint64_t>(x) * 0x9e3779b97f4a7c15ULL);
  h = mixBits(h ^ static_cast<std::uint64_t>(y) * 0xc2b2ae3d27d4eb4fULL);
  h = mixBits(h ^ static_cast<std::uint64_t>(z) * 0x165667b19e3779f9ULL);
  return static_cast<double>(h >> 11) * 0x1p-52 - 1;
}

double fade(double t) { return t * t * t * (t * (6 * t - 15) + 10); }
double fadeSlope(double t) { return 30 * t * t * (t * (t - 2) + 1); }

// The slope of a smooth noise that goes through its lattice's values.
Vec3 noiseSlope(const Vec3& p, std::uint64_t key) {
  std::array<std::int64_t, 3> cell{};
  std::array<std::array<double, 2>, 3> weight{}, slope{};
  for (std::size_t k = 0; k < 3; ++k) {
    const double x = p[static_cast<Eigen::Index>(k)], whole = std::floor(x), t = x - whole;
    cell[k] = static_cast<std::int64_t>(whole);
    weight[k] = {1 - fade(t), fade(t)};
    slope[k] = {-fadeSlope(t), fadeSlope(t)};
  }
  Vec3 out = Vec3::Zero();
  for (std::size_t i = 0; i < 2; ++i)
    for (std::size_t j = 0; j < 2; ++j)
      for (std::size_t k = 0; k < 2; ++k) {
        const double v =
            latticeValue(cell[0] + static_cast<std::int64_t>(i), cell[1] + static_cast<std::int64_t>(j),
                         cell[2] + static_cast<std::int64_t>(k), key);
        out += v * vec3(slope[0][i] * weight[1][j] * weight[2][k], weight[0][i] * slope[1][j] * weight[2][k],
                        weight[0][i] * weight[1][j] * slope[2][k]);
      }
  return out;
}

// Of three noises whose lattices lie apart: each is flat at its own points.
Vec3 curlAt(const Vec3& p, std::uint64_t key) {
  const auto slope = [&](std::uint64_t k) {
    const std::uint64_t own = mixBits(key + k);
    return noiseSlope(
        p + vec3(latticeValue(0, 0, 0, own), latticeValue(0, 0, 1, own), latticeValue(0, 0, 2, own)), own);
  };
  const Vec3 x = slope(1), y = slope(2), z = slope(3);
  return {z.y() - y.z(), x.z() - z.x(), y.x() - x.y()};
}

double falloffAt(const Force& f, double distance) {
  if (!(f.radius > 0)) return 1;
  const double t = distance / f.radius;
  if (t >= 1) return 0;
  return f.falloff == Falloff::None ? 1 : f.falloff == Falloff::Linear ? 1 - t : (1 - t * t) * (1 - t * t);
}

// About nothing, between -1 and 1, through a new value every gust_time.
double gustAt(const Force& f, double seconds) {
  const double t = seconds / f.gust_time, whole = std::floor(t);
  const auto k = static_cast<std::int64_t>(whole);
  const double a = latticeValue(k, 0, 0, mixBits(f.seed)), b = latticeValue(k + 1, 0, 0, mixBits(f.seed));
  return a + (b - a) * fade(t - whole);
}

}  // namespace

Vec3 eddiesAt(const Vec3& place, double seconds, double size, double change, int octaves,
              std::uint64_t seed) {
  Vec3 out = Vec3::Zero();
  double scale = 1, strength = kEddyScale, squares = 0;
  for (int n = 0; n < octaves; ++n, scale *= 2, strength *= 0.5) {
    // From one set of eddies to the next; each of them, and what lies between, has no sources.
    squares += strength * strength;
    const double t = seconds * change * scale, whole = std::floor(t), share = fade(t - whole);
    const auto key = [&](double slice) {
      return mixBits(mixBits(seed + static_cast<std::uint64_t>(n)) ^
                     static_cast<std::uint64_t>(static_cast<std::int64_t>(slice)));
    };
    const Vec3 p = place * (scale / size);
    const Vec3 before = curlAt(p, key(whole)), after = curlAt(p, key(whole + 1));
    // Two fields that know nothing of each other: half-way they would be weaker.
    const double norm = 1 / std::sqrt((1 - share) * (1 - share) + share * share);
    out += strength * norm * ((1 - share) * before + share * after);
  }
  return kEddyScale / std::sqrt(squares) * out;
}

Vec3 fieldAt(const Force& f, const Vec3& place, double frame, double seconds, double begun) {
  if (!f.on(frame) || (f.box && !f.box->contains(place))) return Vec3::Zero();
  const Vec3 from = place - f.at;
  const double along = from.dot(f.direction), strength = f.strengthAt(frame);
  const Vec3 across = from - along * f.direction;
  const auto unit = [](const Vec3& v) { return v.norm() > 0 ? Vec3(v.normalized()) : Vec3(Vec3::Zero()); };
  const double near = strength * falloffAt(f, from.norm());
  switch (f.kind) {
    case ForceKind::Wind:
      return near * (1 + (f.gusts > 0 ? f.gusts * gustAt(f, seconds) : 0)) * f.direction;
    case ForceKind::Turbulence:
      return near * eddiesAt(place, seconds, f.size, f.change, f.octaves, f.seed);
    case ForceKind::Blast:
      return near * unit(from);
    case ForceKind::Attract:
      return -near * unit(from);
    case ForceKind::Push:
    case ForceKind::Gravity:
      return near * f.direction;
    case ForceKind::Vortex:
      return strength * falloffAt(f, across.norm()) * unit(f.direction.cross(across));
    case ForceKind::Front: {
      // A plane through `at` when it begins; what lies within its width has it, most in the middle.
      const double off = absolute(along - f.speed * (seconds - begun)) / (0.5 * f.width);
      return off < 1 ? Vec3(strength * (1 - off * off) * (1 - off * off) * f.push) : Vec3(Vec3::Zero());
    }
    case ForceKind::Drag:
      break;
  }
  return Vec3::Zero();
}

}  // namespace drubble::act
