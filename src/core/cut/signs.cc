// SPDX-License-Identifier: Apache-2.0
#include "core/cut/signs.h"

#include <algorithm>
#include <cmath>

namespace drubble::cut {

namespace {

__extension__ using Wide = __int128;  // 128 bits
__extension__ using Unsigned = unsigned __int128;

std::int64_t whole(double x) { return static_cast<std::int64_t>(x); }

int signOf(double x) { return x > 0 ? 1 : x < 0 ? -1 : 0; }
int signOf(Wide x) { return x > 0 ? 1 : x < 0 ? -1 : 0; }

// A sum of products, 192 bits.
class Sum {
 public:
  void add(std::int64_t a, Wide b) {
    const bool minus = (a < 0) != (b < 0);
    const Unsigned x = static_cast<Unsigned>(a < 0 ? -static_cast<Wide>(a) : static_cast<Wide>(a)),
                   y = static_cast<Unsigned>(b < 0 ? -b : b);
    const Unsigned low = x * static_cast<std::uint64_t>(y);
    Unsigned high = x * static_cast<std::uint64_t>(y >> 64) + (low >> 64);
    std::uint64_t last = static_cast<std::uint64_t>(low);
    if (minus) {
      last = ~last + 1;
      high = ~high + (last == 0 ? 1 : 0);
    }
    last_ += last;
    high_ += high + (last_ < last ? 1 : 0);
  }
  int sign() const {
    const Wide h = static_cast<Wide>(high_);
    return h < 0 ? -1 : h > 0 || last_ != 0 ? 1 : 0;
  }
  // Rounded: of the size first, so that little is lost below zero.
  double value() const {
    if (sign() >= 0) return static_cast<double>(high_) * 18446744073709551616.0 + static_cast<double>(last_);
    Sum size;
    size.last_ = ~last_ + 1;
    size.high_ = ~high_ + (size.last_ == 0 ? 1 : 0);
    return -size.value();
  }

 private:
  Unsigned high_ = 0;
  std::uint64_t last_ = 0;
};

Wide product(double a, double b) { return static_cast<Wide>(whole(a)) * whole(b); }

// Of the triangle's plane: (a_q - a_p) (b_r - b_p) - (a_r - a_p) (b_q - b_p).
Wide turn(const Corners& a, const Corners& b) {
  return product(a.at[1] - a.at[0], b.at[2] - b.at[0]) - product(a.at[2] - a.at[0], b.at[1] - b.at[0]);
}

// What the weight of a site makes of a form that would be zero: its coefficients by site, the weightiest
// first.
template <std::size_t N>
int byWeights(std::array<std::pair<std::uint32_t, Wide>, N> of_site) {
  std::sort(of_site.begin(), of_site.end(), [](const auto& x, const auto& y) { return x.first < y.first; });
  for (const auto& [site, coefficient] : of_site)
    if (coefficient != 0 && !isWall(site)) return signOf(coefficient);
  return 0;
}

// Relative errors of the filters: a few roundings, doubled.
constexpr double kTwo = 4e-16, kThree = 2e-15, kFour = 4e-15;

Wide triple(const Vec3& a, const Vec3& b, const Vec3& c) {
  const auto part = [&](int i, int j, int k) {
    return static_cast<Wide>(whole(a[i])) *
           (static_cast<Wide>(whole(b[j])) * whole(c[k]) - static_cast<Wide>(whole(b[k])) * whole(c[j]));
  };
  return part(0, 1, 2) + part(1, 2, 0) + part(2, 0, 1);
}

struct Filtered {
  double value, size;
};
Filtered roughTriple(const Vec3& a, const Vec3& b, const Vec3& c) {
  const auto size = [&](int i, int j, int k) {
    return std::fabs(a[i]) * (std::fabs(b[j] * c[k]) + std::fabs(b[k] * c[j]));
  };
  return {a.dot(b.cross(c)), size(0, 1, 2) + size(1, 2, 0) + size(2, 0, 1)};
}

}  // namespace

Lattice::Lattice(const Box& all, const Vec3& stretch) : centre_(all.centre()) {
  const double half = 0.5 * all.size().cwiseQuotient(stretch).maxCoeff();
  step_ = (half > 0 ? half : 1) / kRange * stretch;
}

Vec3 Lattice::on(const Vec3& p) const {
  Vec3 x = measure(p);
  for (int k = 0; k < 3; ++k) x[k] = clamped(std::floor(x[k] + 0.5), -kRange, kRange);
  return x;
}

int signAt(std::uint32_t cell, const Corners& f, std::size_t k) {
  return f.at[k] != 0 ? signOf(f.at[k]) : tie(cell, f.other);
}

int signOnEdge(std::uint32_t cell, const Corners& on, const Corners& f, std::size_t p, std::size_t q) {
  const double ap = on.at[p], aq = on.at[q], fp = f.at[p], fq = f.at[q];
  const int below = signOf(aq - ap);
  const double x = fp * aq, y = fq * ap, rough = x - y;
  if (std::fabs(rough) > kTwo * (std::fabs(x) + std::fabs(y))) return signOf(rough) * below;
  if (const Wide exact = product(fp, aq) - product(fq, ap); exact != 0) return signOf(exact) * below;
  const Wide by_f = whole(aq - ap), by_on = whole(fp - fq);
  return byWeights<3>({{{cell, by_f + by_on}, {f.other, -by_f}, {on.other, -by_on}}}) * below;
}

int turning(const Corners& a, const Corners& b) {
  const double x = (a.at[1] - a.at[0]) * (b.at[2] - b.at[0]), y = (a.at[2] - a.at[0]) * (b.at[1] - b.at[0]);
  if (std::fabs(x - y) > kTwo * (std::fabs(x) + std::fabs(y))) return signOf(x - y);
  return signOf(turn(a, b));
}

int signInside(std::uint32_t cell, const Corners& a, const Corners& b, const Corners& f) {
  const auto minor = [&](std::size_t i, std::size_t j) { return a.at[i] * b.at[j] - a.at[j] * b.at[i]; };
  const auto size = [&](std::size_t i, std::size_t j) {
    return std::fabs(a.at[i] * b.at[j]) + std::fabs(a.at[j] * b.at[i]);
  };
  const double rough = f.at[0] * minor(1, 2) + f.at[1] * minor(2, 0) + f.at[2] * minor(0, 1);
  const double bound =
      std::fabs(f.at[0]) * size(1, 2) + std::fabs(f.at[1]) * size(2, 0) + std::fabs(f.at[2]) * size(0, 1);
  if (std::fabs(rough) > kThree * bound) return signOf(rough);
  Sum exact;
  for (std::size_t k = 0; k < 3; ++k) {
    const std::size_t i = (k + 1) % 3, j = (k + 2) % 3;
    exact.add(whole(f.at[k]), product(a.at[i], b.at[j]) - product(a.at[j], b.at[i]));
  }
  if (exact.sign() != 0) return exact.sign();
  const Wide by_a = turn(b, f), by_b = -turn(a, f), by_f = turn(a, b);
  return byWeights<4>({{{cell, by_a + by_b + by_f}, {a.other, -by_a}, {b.other, -by_b}, {f.other, -by_f}}});
}

Plane planeBetween(const Vec3& site, const Vec3& other_site, std::uint32_t other) {
  const Vec3 between = other_site - site;
  return {2 * between, -between.dot(site + other_site), other};
}

Plane wall(int k, double at) {
  const double side = k % 2 == 0 ? -1 : 1;
  return {side * Vec3::Unit(k / 2), -side * at, kFirstWall + static_cast<std::uint32_t>(k)};
}

int sense(const Plane& a, const Plane& b, const Plane& c) {
  const Filtered rough = roughTriple(a.normal, b.normal, c.normal);
  if (std::fabs(rough.value) > kThree * rough.size) return signOf(rough.value);
  return signOf(triple(a.normal, b.normal, c.normal));
}

int signAtMeeting(std::uint32_t cell, const Plane& a, const Plane& b, const Plane& c, const Plane& d) {
  const std::array<const Plane*, 4> p = {&a, &b, &c, &d};
  // The minors of the offsets, by the row that they leave out.
  const auto others = [&](std::size_t row) {
    std::array<const Plane*, 3> out{};
    for (std::size_t k = 0, n = 0; k < 4; ++k)
      if (k != row) out[n++] = p[k];
    return out;
  };
  const int about = sense(a, b, c);
  double rough = 0, bound = 0;
  for (std::size_t row = 0; row < 4; ++row) {
    const auto m = others(row);
    const Filtered minor = roughTriple(m[0]->normal, m[1]->normal, m[2]->normal);
    rough += (row % 2 == 0 ? -1 : 1) * p[row]->offset * minor.value;
    bound += std::fabs(p[row]->offset) * minor.size;
  }
  if (std::fabs(rough) > kFour * bound) return signOf(rough) * about;
  std::array<Wide, 4> minor{};
  Sum exact;
  for (std::size_t row = 0; row < 4; ++row) {
    const auto m = others(row);
    minor[row] = triple(m[0]->normal, m[1]->normal, m[2]->normal) * (row % 2 == 0 ? -1 : 1);
    exact.add(whole(p[row]->offset), minor[row]);
  }
  if (exact.sign() != 0) return exact.sign() * about;
  std::array<std::pair<std::uint32_t, Wide>, 5> weights{};
  weights[0] = {cell, 0};
  for (std::size_t row = 0; row < 4; ++row) {
    if (!isWall(p[row]->other)) weights[0].second += minor[row];
    weights[row + 1] = {p[row]->other, -minor[row]};
  }
  return byWeights(weights) * about;
}

Vec3 meeting(const Plane& a, const Plane& b, const Plane& c) {
  // Cramer: the normals' cross products times the offsets, each sum exact until it is rounded.
  const std::array<const Plane*, 3> p = {&a, &b, &c};
  Vec3 out;
  for (int axis = 0; axis < 3; ++axis) {
    const int i = (axis + 1) % 3, j = (axis + 2) % 3;
    Sum sum;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 &u = p[(k + 1) % 3]->normal, &v = p[(k + 2) % 3]->normal;
      sum.add(whole(p[k]->offset), product(u[i], v[j]) - product(u[j], v[i]));
    }
    out[axis] = -sum.value();
  }
  return out / static_cast<double>(triple(a.normal, b.normal, c.normal));
}

}  // namespace drubble::cut
