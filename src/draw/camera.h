// SPDX-License-Identifier: Apache-2.0
// Where a picture is taken from.
#pragma once
#include <vector>

#include "draw/stage.h"

namespace drubble::draw {

struct Camera {
  Vec3 at = Vec3::Zero();
  Vec3 right = Vec3::UnitX(), up = Vec3::UnitY(), forward = -Vec3::UnitZ();
  double tangent = 0.5;  // of half the width's angle

  // The direction through a point of the picture: x and y from -1 to 1 across its width, y upward, in units
  // of half the width.
  Vec3 ray(double x, double y) const { return (forward + tangent * (x * right + y * up)).normalized(); }
};

Camera lookingFrom(const Vec3& at, const Vec3& look, const Vec3& up, double lens_mm);

// Frames the action: where the moving pieces are in the given moments (the farthest 2 % left out), and the
// fixed things among them. `aspect`: width over height.
Camera framing(const Stage& stage, const std::vector<Moment>& moments, double aspect);

// What the framing camera frames.
Box actionBox(const Stage& stage, const std::vector<Moment>& moments);

}  // namespace drubble::draw
