// SPDX-License-Identifier: Apache-2.0
#include "core/base/trig.h"

#include <bit>
#include <cmath>
#include <cstdint>

namespace drubble {

SinCos sinCos(double angle) {
  const double quarter = std::floor(angle * (2 / kPi) + 0.5);
  // pi/2 in three parts, the first two with trailing zeros, so that the products are exact.
  const double a = ((angle - quarter * 1.57079632673412561417e+00) - quarter * 6.07710050630396597660e-11) -
                   quarter * 2.02226624879595063154e-21;
  const double z = a * a;
  const double s =
      a + a * z *
              (-1.0 / 6 +
               z * (1.0 / 120 +
                    z * (-1.0 / 5040 +
                         z * (1.0 / 362880 + z * (-1.0 / 39916800 + z * (1.0 / 6227020800.0 +
                                                                         z * (-1.0 / 1307674368000.0)))))));
  const double c =
      1 + z * (-0.5 +
               z * (1.0 / 24 + z * (-1.0 / 720 +
                                    z * (1.0 / 40320 +
                                         z * (-1.0 / 3628800 +
                                              z * (1.0 / 479001600 + z * (-1.0 / 87178291200.0 +
                                                                          z * (1.0 / 20922789888000.0))))))));
  switch (static_cast<std::int64_t>(quarter) & 3) {
    case 0:
      return {s, c};
    case 1:
      return {c, -s};
    case 2:
      return {-s, -c};
    default:
      return {-c, s};
  }
}

namespace {

// |t| <= tan(pi/8): halve the angle once more, then a series.
double arcTangentSmall(double t) {
  const double u = t / (1 + std::sqrt(1 + t * t));  // tan of half the angle, at most 0.199
  const double z = u * u;
  double sum = 0;
  for (int k = 21; k >= 1; k -= 2) sum = 1.0 / k - z * sum;
  return 2 * u * sum;
}

}  // namespace

double arcTangent2(double y, double x) {
  if (x == 0 && y == 0) return 0;
  const double ax = std::fabs(x), ay = std::fabs(y);
  const bool steep = ay > ax;
  const double t = steep ? ax / ay : ay / ax;
  double angle = t > 0.41421356237309503 ? kPi / 4 - arcTangentSmall((1 - t) / (1 + t)) : arcTangentSmall(t);
  if (steep) angle = kPi / 2 - angle;
  if (x < 0) angle = kPi - angle;
  return y < 0 ? -angle : angle;
}

double arcCosine(double x) {
  const double c = x < -1 ? -1 : (x > 1 ? 1 : x);
  return arcTangent2(std::sqrt((1 - c) * (1 + c)), c);
}

double exponential(double x) {
  if (x < -700) return 0;
  if (x > 700) x = 700;
  const double k = std::floor(x * 1.44269504088896338700 + 0.5);
  const double r = (x - k * 6.93147180369123816490e-01) - k * 1.90821492927058770002e-10;
  double sum = 1;
  for (int i = 14; i >= 1; --i) sum = 1 + r * sum / i;
  return sum * std::bit_cast<double>((static_cast<std::uint64_t>(static_cast<std::int64_t>(k) + 1023)) << 52);
}

double cubeRoot(double x) {
  if (!(x > 0)) return 0;
  // A third of the exponent as the first guess; six Newton steps from there reach the last bit.
  double y = std::bit_cast<double>(std::bit_cast<std::uint64_t>(x) / 3 + 0x2a9f7893782da1ceULL);
  for (int i = 0; i < 6; ++i) y = y - (y - x / (y * y)) / 3;
  return y;
}

}  // namespace drubble
