// SPDX-License-Identifier: Apache-2.0
// What pushes pieces without touching them, as data, and the field that each makes.
#pragma once
#include <cstdint>
#include <limits>
#include <optional>
#include <string>
#include <vector>

#include "core/act/path.h"
#include "core/base/id.h"
#include "core/base/vec.h"

namespace drubble::act {

enum class ForceKind : std::uint8_t {
  Wind,        // along `direction`, in gusts
  Turbulence,  // eddies of a size, without sources or sinks
  Drag,        // against travel and spin
  Blast,       // away from `at`
  Front,       // what passes by, along `direction` at a speed, and pushes along `push`
  Vortex,      // about the axis `direction` through `at`
  Attract,     // towards `at`
  Push,        // along `direction`
  Gravity      // along `direction`
};

// What the strength of a field is.
enum class ForceUnit : std::uint8_t {
  Acceleration,  // m/s2: heavy and light alike
  Force,         // N on each piece
  Impulse,       // N s on each piece over all its frames: light ones fly farther
  Air            // m/s: how fast the air goes there, which drags by the area that it meets
};

enum class Falloff : std::uint8_t { None, Linear, Smooth };  // from `at` to the radius

struct Force {
  std::string name;
  ForceKind kind = ForceKind::Push;
  ForceUnit as = ForceUnit::Acceleration;
  std::vector<PieceId> who;                                // ascending
  double from = -std::numeric_limits<double>::infinity();  // shot frames
  double to = std::numeric_limits<double>::infinity();
  double strength = 0;
  Track strengths;  // over shot frames; x counts; without keys `strength` holds
  Vec3 at = Vec3::Zero();
  Vec3 direction = Vec3::UnitY(), push = Vec3::UnitY();  // unit
  double radius = 0;                                     // m; 0: everywhere
  Falloff falloff = Falloff::None;
  std::optional<Box> box;            // only there
  double speed = 0, width = 1;       // m/s, m: of a front
  double size = 1, change = 1;       // m; times a second: of eddies
  int octaves = 1;                   // each half as large as the one before
  double gusts = 0, gust_time = 1;   // share of the strength; s
  double linear = 0, quadratic = 0;  // 1/s, 1/m: of drag
  double spin = 0;                   // 1/s: of drag
  std::uint64_t seed = 0;
  bool wakes_held = false;

  double strengthAt(double frame) const { return strengths.at(frame, Vec3(strength, 0, 0)).x(); }
  bool on(double frame) const { return frame >= from && frame <= to; }
};

// What the field is at a place, in the unit of `as`; of a drag nothing. `seconds`: of simulated time since
// the first frame, `begun`: likewise, when its frames began. Cost: some hundred operations an octave.
Vec3 fieldAt(const Force& f, const Vec3& place, double frame, double seconds, double begun);

// Eddies: the curl of a noise, so that nothing gathers or thins out anywhere (Bridson, Hourihan, Nordenstam,
// Curl-noise for procedural fluid flow, 2007). About 1 in mean square.
Vec3 eddiesAt(const Vec3& place, double seconds, double size, double change, int octaves, std::uint64_t seed);

}  // namespace drubble::act
