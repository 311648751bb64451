// SPDX-License-Identifier: Apache-2.0
// How a free body turns.
#pragma once
#include "core/solve/traits.h"

namespace drubble::solve {

// The rotation by the vector `angle` (rad; axis times angle), exact to 1e-9 below 0.5 rad, and always a
// rotation.
Quat turnBy(const Vec3& angle);

// Turns a torque-free body for `dt` seconds: `turn` and `spin` (world) become what they are then. Angular
// momentum is kept to rounding. Exact where moments are equal; else energy is bounded over any time: turns
// about the principal axes one after another, Dullweber, Leimkuhler, McLachlan (1997).
void spinFreely(const Traits& traits, double dt, Quat& turn, Vec3& spin);

// How the places where a body touches turn while it turns from `start` to `now`: with the body, but for the
// turning of something round about its own axis.
Quat touchTurn(const Traits& traits, const Quat& start, const Quat& now);

Mat3 inverseInertiaWorld(const Traits& traits, const Quat& turn);

}  // namespace drubble::solve
