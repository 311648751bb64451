// SPDX-License-Identifier: Apache-2.0
// What holds up the pieces that rest.
#pragma once
#include <vector>

#include "core/world/world.h"

namespace drubble::measure {

// Pieces that rest although nothing presses on them from below, nor from two sides between which friction
// holds them: held or frozen in mid-air, or left there. What bonds tie together counts as one, what hangs on
// something or on a joint is held up by that. Ascending.
std::vector<PieceId> restOnNothing(const world::World& w);

// Pieces that rest flat ones on their rims and long ones on their ends. Ascending.
std::vector<PieceId> restOnEdge(const world::World& w);

// Pieces that rest wholly above nearly all others: nineteen of twenty. Ascending.
std::vector<PieceId> restTooHigh(const world::World& w);

}  // namespace drubble::measure
