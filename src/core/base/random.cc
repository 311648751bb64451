// SPDX-License-Identifier: Apache-2.0
#include "core/base/random.h"

#include <bit>
#include <cmath>

#include "core/base/trig.h"

namespace drubble {

std::uint64_t mixBits(std::uint64_t x) {
  x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9ULL;
  x = (x ^ (x >> 27)) * 0x94d049bb133111ebULL;
  return x ^ (x >> 31);
}

std::uint64_t hashText(std::string_view text) {
  std::uint64_t h = 0xcbf29ce484222325ULL;
  for (const char c : text) h = (h ^ static_cast<unsigned char>(c)) * 0x100000001b3ULL;
  return mixBits(h);
}

Quat RandomStream::turn() {
  const double u = unit();
  const SinCos a = sinCos(2 * kPi * unit()), b = sinCos(2 * kPi * unit());
  const double r = std::sqrt(1 - u), s = std::sqrt(u);
  return Quat(s * b.cos, r * a.sin, r * a.cos, s * b.sin);
}

void Digest::add(double x) { add(std::bit_cast<std::uint64_t>(x)); }

void Digest::add(const Vec3& v) {
  add(v.x());
  add(v.y());
  add(v.z());
}

}  // namespace drubble
