// SPDX-License-Identifier: Apache-2.0
// The passes over the contact blocks: what the solver spends its time in.
#pragma once
#include <vector>

#include "core/solve/block.h"

namespace drubble::solve {

// An implicit spring and damper, as coefficients of a velocity row. Macklin, Storey, Lu et al., Small steps
// in physics simulation (2019), and the published soft-constraint form of implicit springs.
struct Softness {
  float inverse_dt = 0;  // 1/s
  float bias_rate = 0;   // 1/s: overlap to push-out speed
  float mass_scale = 1;
  float impulse_scale = 0;
};

// A spring of `hertz`, damped by `ratio` (1: critically), over `dt`.
Softness springSoftness(double hertz, double ratio, double dt);

// The push-out spring of contacts: its frequency as a share of the internal rate, and its damping (1:
// critical).
inline constexpr double kSpringShare = 0.25;
inline constexpr double kSpringDamping = 8;

// Internal steps a second at which that spring gives way by no more than `sag` metres under a piece's own
// weight.
double stepsForSag(double gravity, double sag);

enum class Pass {
  PushOut,  // overlaps are eased out, at no more than each block's push speed
  Settle,   // what speed the push-out left behind is taken away
};

// One sweep over all blocks in order. Rows of bodies: velocities change, places do not.
void sweep(std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows, const Softness& soft, Pass pass);

// Gives the bodies the impulses that the blocks start with.
void warmStart(const std::vector<ContactBlock>& blocks, std::vector<BodyRow>& rows);

}  // namespace drubble::solve
