// SPDX-License-Identifier: Apache-2.0
// Plain values to bytes and back, little-endian, for checkpoints. Values are copied bit for bit.
#pragma once
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <type_traits>
#include <vector>

#include "core/base/error.h"
#include "core/base/vec.h"

namespace drubble {

using Bytes = std::vector<std::byte>;

class ByteWriter {
 public:
  template <class T>
  requires std::is_arithmetic_v<T>
  void add(T x) {
    const auto* from = reinterpret_cast<const std::byte*>(&x);
    bytes_.insert(bytes_.end(), from, from + sizeof(T));
  }
  void add(const Vec3f& v) {
    for (int k = 0; k < 3; ++k) add(v[k]);
  }
  void add(const Vec3& v) {
    for (int k = 0; k < 3; ++k) add(v[k]);
  }
  void add(const Quat& q) {
    for (const double x : {q.w(), q.x(), q.y(), q.z()}) add(x);
  }
  template <class T>
  void add(const std::vector<T>& list) {
    add(static_cast<std::uint64_t>(list.size()));
    for (const T& x : list) add(x);
  }
  Bytes take() { return std::move(bytes_); }

 private:
  Bytes bytes_;
};

// Throws Error(Input) when the bytes run out.
class ByteReader {
 public:
  explicit ByteReader(const Bytes& bytes) : bytes_(bytes) {}

  template <class T>
  requires std::is_arithmetic_v<T>
  void read(T& x) {
    if (bytes_.size() - at_ < sizeof(T)) throw Error(ErrorKind::Input, "the checkpoint ends too early");
    std::memcpy(&x, bytes_.data() + at_, sizeof(T));
    at_ += sizeof(T);
  }
  void read(Vec3f& v) {
    for (int k = 0; k < 3; ++k) read(v[k]);
  }
  void read(Vec3& v) {
    for (int k = 0; k < 3; ++k) read(v[k]);
  }
  void read(Quat& q) {
    read(q.w());
    read(q.x());
    read(q.y());
    read(q.z());
  }
  template <class T>
  void read(std::vector<T>& list) {
    std::uint64_t n = 0;
    read(n);
    if (n > bytes_.size() - at_) throw Error(ErrorKind::Input, "the checkpoint ends too early");
    list.resize(n);
    for (T& x : list) read(x);
  }
  bool atEnd() const { return at_ == bytes_.size(); }

 private:
  const Bytes& bytes_;
  std::size_t at_ = 0;
};

}  // namespace drubble
