// SPDX-License-Identifier: Apache-2.0
// The springs that ease overlapping pieces apart: how stiff they are, and what they come to in a velocity
// row.
#pragma once

namespace drubble::solve {

// An implicit spring and damper as coefficients of a velocity row. Macklin, Storey, Lu et al., Small steps in
// physics simulation (2019), and the published soft-constraint form of implicit springs.
struct Softness {
  double bias_rate = 0;  // 1/s: overlap to push-out speed
  double mass_scale = 1;
  double impulse_scale = 0;
};

// Damping, as a share of the critical: in motion, and where an island is nearly at rest. A tower sways far
// more slowly than one contact swings, and is damped by as much less.
inline constexpr double kLivelyDamping = 2, kCalmDamping = 100;
// And how much faster springs swing there, where sweeps are repeated until they are obeyed.
inline constexpr double kCalmStiffness = 1.2;

// A spring that swings at `rate` (rad/s) on the row's effective mass times `mass_share`, over `dt`.
Softness springSoftness(double rate, double dt, double damping_ratio, double mass_share = 1);

// The rate (rad/s) at which a piece of `size` sinks by kSag of it under kSagLoad times its weight. It comes
// from size and gravity, not from the step: how far a stack settles does not hang on how finely time is cut.
// Without gravity: as stiff as the step allows.
double springRate(double size, double gravity);
// What is more slender than this sinks by a share of its thickness, not of its length.
inline constexpr double kSlender = 10;

// By how much stiffer the spring of a contact that bears `weights` times its lighter piece's weight is: heavy
// things on light ones. In few grades, so that it seldom changes.
double stiffening(double weights);
// Such a spring may swing by so much farther within an internal step than others.
inline constexpr double kStiffened = 2;

// The stiffest spring that an internal step of `dt` seconds can follow, and the internal steps a second that
// `rate` needs.
double mostSpringRate(double dt);
double stepsForRate(double rate);

}  // namespace drubble::solve
