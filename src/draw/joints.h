// SPDX-License-Identifier: Apache-2.0
// Joints in pictures: ropes and springs as they hang in each frame, and marks that show where the others are,
// along which axis, and how far they may go.
#pragma once
#include <vector>

#include "draw/stage.h"

namespace drubble::draw {

// Adds a mesh and a piece for each rope and spring; bendLines gives them their form.
void addLines(Stage& stage, const std::vector<files::CachedJoint>& joints, const Moment& start);

// Puts them where their ends are. Those of `broken` (by joint; may be empty) are gone.
void bendLines(const Stage& stage, const std::vector<char>& broken, Moment& m);

// Adds a mark for each other joint, and makes the pieces seen through.
void addMarks(Stage& stage, const std::vector<files::CachedJoint>& joints, const Moment& start);

// How wide the action is (m): what marks are sized by.
double extentOf(const Stage& stage, const Moment& m);

// A rod with closed ends.
void addRod(mesh::TriangleMesh& m, const Vec3& from, const Vec3& to, double radius);

}  // namespace drubble::draw
