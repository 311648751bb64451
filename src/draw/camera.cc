// SPDX-License-Identifier: Apache-2.0
#include "draw/camera.h"

#include <algorithm>
#include <cmath>

namespace drubble::draw {

Camera lookingFrom(const Vec3& at, const Vec3& look, const Vec3& up, double lens_mm) {
  Camera c;
  c.at = at;
  c.forward = (look - at).normalized();
  Vec3 right = c.forward.cross(up);
  c.right = right.norm() > 1e-6 ? Vec3(right.normalized()) : anyNormalTo(c.forward);
  c.up = c.right.cross(c.forward);
  c.tangent = 18 / lens_mm;
  return c;
}

namespace {

constexpr double kFar = 8;  // times the middle half's width

Box meshBoxAt(const mesh::TriangleMesh& m, const Pose& pose) {
  Box b;
  for (const Vec3& v : m.vertices) b.add(pose.toWorld(v));
  return b;
}

// About a box that is turned.
Box cornersAt(const Box& b, const Pose& pose) {
  Box out;
  for (int k = 0; k < 8 && !b.empty(); ++k)
    out.add(pose.toWorld(vec3((k & 1) != 0 ? b.high.x() : b.low.x(), (k & 2) != 0 ? b.high.y() : b.low.y(),
                              (k & 4) != 0 ? b.high.z() : b.low.z())));
  return out;
}

}  // namespace

Box actionBox(const Stage& stage, const std::vector<Moment>& moments) {
  // Per axis the middle 96 % of all centres, without what has fallen or flown far from the rest; then all
  // pieces whose centres lie there.
  std::array<std::vector<double>, 3> along;
  double size = 0;
  for (std::size_t i = 0; i < stage.pieces.size(); ++i) {
    if (!stage.pieces[i].dynamic || !stage.meshes[stage.pieces[i].mesh].show) continue;
    size = std::max(size, stage.meshes[stage.pieces[i].mesh].mesh.bounds().size().norm());
    for (const Moment& m : moments) {
      if (!m.has(stage.pieces[i].pose)) continue;
      for (std::size_t k = 0; k < 3; ++k)
        along[k].push_back(m.poses[stage.pieces[i].pose].position[static_cast<Eigen::Index>(k)]);
    }
  }
  Box action;
  if (!along[0].empty()) {
    Vec3 low, high;
    for (std::size_t k = 0; k < 3; ++k) {
      std::sort(along[k].begin(), along[k].end());
      const std::size_t n = along[k].size(), cut = n / 50;
      const double q1 = along[k][n / 4], q3 = along[k][(3 * n) / 4], far = kFar * (q3 - q1) + size;
      const auto axis = static_cast<Eigen::Index>(k);
      low[axis] = std::max(along[k][cut], q1 - far);
      high[axis] = std::min(along[k][n - 1 - cut], q3 + far);
    }
    const Box near = Box{low, high}.grown(0.5 * size);
    std::vector<Box> own;
    for (const StageMesh& m : stage.meshes) own.push_back(m.mesh.bounds());
    for (std::size_t i = 0; i < stage.pieces.size(); ++i) {
      const StagePiece& p = stage.pieces[i];
      if (!p.dynamic || !stage.meshes[p.mesh].show) continue;
      for (const Moment& m : moments)
        if (m.has(p.pose) && near.contains(m.poses[p.pose].position))
          action.add(cornersAt(own[p.mesh], m.poses[p.pose]));
    }
    if (action.empty()) action = near;
  }
  // Fixed things among or near it, and not much larger, belong to it: what is about to be fallen into, too.
  Box out = action;
  for (std::size_t i = 0; i < stage.pieces.size(); ++i) {
    const StageMesh& m = stage.meshes[stage.pieces[i].mesh];
    if (stage.pieces[i].dynamic || m.ground || m.line || !m.show) continue;
    const Box b = meshBoxAt(m.mesh, moments.front().poses[stage.pieces[i].pose]);
    const double reach = action.size().norm();
    if (action.empty() || (b.overlaps(action.grown(0.5 * reach)) && b.size().norm() < 3 * reach)) out.add(b);
  }
  if (out.empty()) out = {Vec3::Constant(-1), Vec3::Constant(1)};
  return out;
}

Camera framing(const Stage& stage, const std::vector<Moment>& moments, double aspect) {
  const Box box = actionBox(stage, moments);
  const bool z_up = stage.up.z() > 0.5;
  const Vec3 from = (z_up ? vec3(0.55, -1, 0.72) : vec3(0.55, 0.72, 1)).normalized();
  const double lens = 45;
  const auto fits = [&](double distance) {
    const Camera c = lookingFrom(box.centre() + distance * from, box.centre(), stage.up, lens);
    for (int i = 0; i < 8; ++i) {
      const Vec3 corner = vec3((i & 1) ? box.high.x() : box.low.x(), (i & 2) ? box.high.y() : box.low.y(),
                               (i & 4) ? box.high.z() : box.low.z());
      const Vec3 d = corner - c.at;
      const double depth = d.dot(c.forward);
      if (depth <= 0) return false;
      if (absolute(d.dot(c.right)) > 0.9 * c.tangent * depth ||
          absolute(d.dot(c.up)) > 0.84 * c.tangent * depth / aspect)
        return false;
    }
    return true;
  };
  double near = 0, far = box.size().norm();
  while (!fits(far)) far *= 2;
  for (int i = 0; i < 40; ++i) {
    const double middle = 0.5 * (near + far);
    (fits(middle) ? far : near) = middle;
  }
  return lookingFrom(box.centre() + far * from, box.centre(), stage.up, lens);
}

}  // namespace drubble::draw
