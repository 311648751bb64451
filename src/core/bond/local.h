// SPDX-License-Identifier: Apache-2.0
// The stress solve about the places where little fits any more: where bonds went, or loads changed. What
// gives there by itself, with all else held, is a far better start for the whole than what gave before, and
// costs what lies about those places.
#pragma once
#include <vector>

#include "core/bond/beams.h"

namespace drubble::bond {

// Adds to `u`, in up to a quarter of the pieces. `residual`: what u leaves of what acts on the pieces, `z`
// about what that makes them give; `enough`: the square of an error at which it is good enough, as r.z.
// False: too much of the whole would have to be looked at, and nothing was done. Method: conjugate gradients
// with the pieces' own blocks (a subdomain's solve with fixed rim, as in Schwarz's alternating method). Bits:
// a function of what it is given.
bool solveLocally(const Beams& beams, const std::vector<Node>& nodes, const Loops& loops,
                  const Sextets& residual, const Sextets& z, double enough, Sextets& u);

}  // namespace drubble::bond
