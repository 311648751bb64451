// SPDX-License-Identifier: Apache-2.0
// Which boxes overlap.
#pragma once
#include <cstdint>
#include <span>
#include <utility>
#include <vector>

#include "core/base/vec.h"

namespace drubble::collide {

// Static: never pairs with another Static. Ignored: pairs with nothing.
enum class BoxKind : std::uint8_t { Moving, Static, Ignored };

// All overlapping pairs (i < j) of which one is Moving, ascending: NearPairs for one call.
std::vector<std::pair<std::uint32_t, std::uint32_t>> overlappingPairs(std::span<const Box> boxes,
                                                                      std::span<const BoxKind> kinds);

}  // namespace drubble::collide
