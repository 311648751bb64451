// SPDX-License-Identifier: Apache-2.0
// Counter-based random streams: the n-th number of a stream depends on (seed, name, index, n) and on nothing
// else, so that adding one thing to a setup does not reshuffle the rest. Method: SplitMix64's output function
// over a counter (Steele, Lea, Flood, Fast splittable generators, 2014).
#pragma once
#include <cstdint>
#include <string_view>

#include "core/base/vec.h"

namespace drubble {

std::uint64_t mixBits(std::uint64_t x);
std::uint64_t hashText(std::string_view text);

class RandomStream {
 public:
  RandomStream(std::uint64_t seed, std::string_view name, std::uint64_t index = 0)
      : key_(mixBits(mixBits(seed) ^ hashText(name)) ^ mixBits(index * 0xd1342543de82ef95ULL + 1)) {}

  std::uint64_t next() { return mixBits(key_ + 0x9e3779b97f4a7c15ULL * ++count_); }
  double unit() { return static_cast<double>(next() >> 11) * 0x1p-53; }  // [0, 1)
  double between(double low, double high) { return low + (high - low) * unit(); }
  Quat turn();  // uniform over all rotations (Shoemake 1992)

 private:
  std::uint64_t key_;
  std::uint64_t count_ = 0;
};

// A running 64-bit digest of plain numbers, in the order they are added.
class Digest {
 public:
  void add(std::uint64_t bits) { state_ = mixBits(state_ ^ bits) + 0x9e3779b97f4a7c15ULL; }
  void add(double x);
  void add(const Vec3& v);
  std::uint64_t value() const { return mixBits(state_); }

 private:
  std::uint64_t state_ = 0x243f6a8885a308d3ULL;
};

}  // namespace drubble
