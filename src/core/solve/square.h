// SPDX-License-Identifier: Apache-2.0
// Angular momentum of what slides past each other within a substep.
#pragma once
#include "core/solve/block.h"

namespace drubble::solve {

// Contacts push where the two met at the substep's start. Once they have gone past each other, the two pushes
// no longer lie on one line: together they are a couple that nothing gave. Takes it out of the spins of those
// that have corners (what is round has its point elsewhere), half from each, after an internal step of dt
// seconds; `rows` as that step left them. Cost: a look at each contact.
void takeCouples(const BlockList& list, const TraitsList& traits, const BodyRows& rows, double dt,
                 Bodies& bodies);

}  // namespace drubble::solve
