// SPDX-License-Identifier: Apache-2.0
// From places and axes in the world, as the scene starts, to joints as their bodies know them.
#pragma once
#include "core/world/scene.h"

namespace drubble::world {

// Where a piece stands on the scene's first frame.
Pose startPose(const Scene& s, PieceId piece);

// A frame whose x axis lies along `axis` (unit).
Quat frameAlong(const Vec3& axis);

// `at` (m) and `frame` in the world; `piece` not valid: the world itself.
solve::JointSide sideAt(const Scene& s, PieceId piece, const Vec3& at, const Quat& frame);

// The same place on both sides, at rest as the scene starts.
void placeJoint(const Scene& s, const Vec3& at, const Vec3& axis, solve::Joint& j);

// Where a point of body space is as the scene starts.
Vec3 placeOf(const Scene& s, PieceId piece, const Vec3& at);

// m, as the scene starts: of a spring or rope.
double startLength(const Scene& s, const solve::Joint& j);

}  // namespace drubble::world
