// SPDX-License-Identifier: Apache-2.0
#include "core/world/joining.h"

namespace drubble::world {

Pose startPose(const Scene& s, PieceId piece) {
  for (const Mover& m : s.movers)
    if (m.piece == piece && !m.waits) return s.moverPose(m, s.first_frame);
  return s.pieces[piece.index()].start;
}

Quat frameAlong(const Vec3& axis) {
  const Vec3 across = anyNormalTo(axis);
  Mat3 m;
  m.col(0) = axis;
  m.col(1) = across;
  m.col(2) = axis.cross(across);
  return Quat(m).normalized();
}

solve::JointSide sideAt(const Scene& s, PieceId piece, const Vec3& at, const Quat& frame) {
  if (!piece.valid()) return {piece, at, frame};
  const Pose p = startPose(s, piece);
  return {piece, p.toBody(at), (p.turn.conjugate() * frame).normalized()};
}

void placeJoint(const Scene& s, const Vec3& at, const Vec3& axis, solve::Joint& j) {
  const Quat frame = frameAlong(axis);
  j.a = sideAt(s, j.a.piece, at, frame);
  j.b = sideAt(s, j.b.piece, at, frame);
}

Vec3 placeOf(const Scene& s, PieceId piece, const Vec3& at) {
  return piece.valid() ? startPose(s, piece).toWorld(at) : at;
}

double startLength(const Scene& s, const solve::Joint& j) {
  Vec3 here = placeOf(s, j.a.piece, j.a.at);
  double length = 0;
  for (const solve::JointPoint& p : j.over) {
    const Vec3 next = placeOf(s, p.piece, p.at);
    length += (next - here).norm();
    here = next;
  }
  return length + (placeOf(s, j.b.piece, j.b.at) - here).norm();
}

}  // namespace drubble::world
