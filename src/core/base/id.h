// SPDX-License-Identifier: Apache-2.0
// An index that cannot be mixed up with another kind's.
#pragma once
#include <compare>
#include <cstddef>
#include <cstdint>

namespace drubble {

template <class Tag>
struct Id {
  static constexpr std::uint32_t kNone = 0xffffffffu;
  std::uint32_t value = kNone;

  constexpr Id() = default;
  constexpr explicit Id(std::size_t v) : value(static_cast<std::uint32_t>(v)) {}
  constexpr bool valid() const { return value != kNone; }
  constexpr std::size_t index() const { return value; }
  friend constexpr auto operator<=>(const Id&, const Id&) = default;
};

using PieceId = Id<struct PieceTag>;
using PrototypeId = Id<struct PrototypeTag>;
using MaterialId = Id<struct MaterialTag>;

}  // namespace drubble
