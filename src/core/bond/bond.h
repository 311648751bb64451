// SPDX-License-Identifier: Apache-2.0
// What holds two neighbouring pieces together: a face with an area, and how much it bears.
//
// Space: that in which the pieces stand at the start (m); bonded pieces keep to each other what they have
// there.
#pragma once
#include <limits>
#include <span>
#include <vector>

#include "core/base/id.h"
#include "core/base/vec.h"

namespace drubble::bond {

inline constexpr double kUnbreakable = std::numeric_limits<double>::infinity();

// Pa: of what stands square to the face, drawn or pressed, and along it.
struct Stress {
  double tension = 0, compression = 0, shear = 0;
};

struct Strength {
  double tension = kUnbreakable, compression = kUnbreakable, shear = kUnbreakable;
};

enum class Why : std::uint8_t { Tension, Compression, Shear, Cue };
const char* whyName(Why w);

// 1/Pa: what of a strength's share a pascal is. Infinite: holds nothing.
struct Weakness {
  double tension = 0, compression = 0, shear = 0;
};
// Of `times` the strength.
Weakness weaknessOf(const Strength& s, double times = 1);

// How much of its strength a stress takes, by the worst of the three; `why`: by which.
double shareOf(const Stress& s, const Weakness& weakness, Why* why = nullptr);

struct Face {
  Vec3 place = Vec3::Zero();   // its centroid
  Vec3 normal = Vec3::Zero();  // unit, from a to b
  double area = 0;             // m2
  Mat3 spread = Mat3::Zero();  // m4: the integral of r rT over it, r from the centroid
  std::vector<Vec3> corners;   // from the centroid
};

// A flat face by its rim, counter-clockwise seen from where its normal points. `area` and `centroid` count
// where they are known better than the rim tells (a face with holes).
Face faceOf(std::span<const Vec3> rim, const Vec3& normal);
Face faceOf(std::span<const Vec3> rim, const Vec3& normal, const Vec3& centroid, double area);

// A square face of that area, for pieces that share none.
Face squareFace(const Vec3& place, const Vec3& normal, double area);

struct Bond {
  PieceId a, b;
  Face face;
  Strength strength;
  double stiffness = 1;     // Pa; only its ratio to others' counts
  std::uint32_t table = 0;  // of the setup
};

}  // namespace drubble::bond
