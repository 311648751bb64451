// SPDX-License-Identifier: Apache-2.0
// The stress solve about the places where little fits any more: where bonds went, or loads changed. What
// gives there by itself, with all else held, is a far better start for the whole than what gave before, and
// costs what lies about those places.
#pragma once
#include <vector>

#include "core/bond/beams.h"

namespace drubble::bond {

// Where most is amiss: `residual` is what is left of what acts on the pieces, `z` about what it makes them
// give.
std::vector<std::uint32_t> piecesAmiss(const Sextets& residual, const Sextets& z);

// Adds to `u` in pieces `about` and those around them, up to a quarter of all, and takes what that bears from
// `residual`; `enough`: the square of an error at which it is good enough, as r.z. Returns the pieces; none:
// it would have been too many, or nothing. Method: conjugate gradients with the pieces' own blocks, all else
// held (a subdomain's solve as in Schwarz's alternating method). Bits: a function of what it is given.
std::vector<std::uint32_t> solveLocally(const Beams& beams, const std::vector<Node>& nodes,
                                        const Loops& loops, std::span<const std::uint32_t> about,
                                        double enough, Sextets& residual, Sextets& u);

}  // namespace drubble::bond
