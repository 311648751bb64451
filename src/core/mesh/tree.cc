// SPDX-License-Identifier: Apache-2.0
#include "core/mesh/tree.h"

#include <algorithm>
#include <numeric>

namespace drubble::mesh {

namespace {

constexpr std::uint32_t kLeaf = 4;

double squaredDistance(const Box& b, const Vec3& p) {
  const Vec3 d = (b.low - p).cwiseMax(p - b.high).cwiseMax(Vec3::Zero());
  return d.squaredNorm();
}

bool hitsRay(const Box& b, const Vec3& o, const Vec3& d) {
  double near = 0, far = std::numeric_limits<double>::infinity();
  for (int k = 0; k < 3; ++k) {
    const double t0 = (b.low[k] - o[k]) / d[k], t1 = (b.high[k] - o[k]) / d[k];
    near = greatest(near, least(t0, t1));
    far = least(far, greatest(t0, t1));
  }
  return near <= far;
}

}  // namespace

Tree::Tree(const TriangleMesh& m) {
  order_.resize(m.triangles.size());
  std::iota(order_.begin(), order_.end(), 0u);
  std::vector<Box> boxes(m.triangles.size());
  for (std::size_t t = 0; t < boxes.size(); ++t)
    for (const std::uint32_t v : m.triangles[t]) boxes[t].add(m.vertices[v]);
  if (order_.empty()) return;
  build(boxes, 0, u32(order_.size()));
  for (const std::uint32_t t : order_) boxes_.push_back(boxes[t]);
}

std::uint32_t Tree::build(const std::vector<Box>& boxes, std::uint32_t first, std::uint32_t count) {
  const std::uint32_t self = u32(nodes_.size());
  nodes_.emplace_back();
  Box box, centres;
  for (std::uint32_t i = first; i < first + count; ++i) {
    box.add(boxes[order_[i]]);
    centres.add(boxes[order_[i]].centre());
  }
  nodes_[self].box = box;
  if (count <= kLeaf) {
    std::sort(order_.begin() + first, order_.begin() + first + count);
    nodes_[self].first = first;
    nodes_[self].count = count;
    return self;
  }
  const Vec3 s = centres.size();
  const int axis = s.x() >= s.y() && s.x() >= s.z() ? 0 : (s.y() >= s.z() ? 1 : 2);
  const auto middle = order_.begin() + first + count / 2;
  std::nth_element(order_.begin() + first, middle, order_.begin() + first + count,
                   [&](std::uint32_t a, std::uint32_t b) {
                     const double ca = boxes[a].centre()[axis], cb = boxes[b].centre()[axis];
                     return ca != cb ? ca < cb : a < b;
                   });
  build(boxes, first, count / 2);
  const std::uint32_t right = build(boxes, first + count / 2, count - count / 2);
  nodes_[self].first = right;
  return self;
}

void Tree::refit(const TriangleMesh& m) {
  for (std::size_t i = nodes_.size(); i-- > 0;) {  // children stand behind their parent
    Node& n = nodes_[i];
    n.box = Box{};
    for (std::uint32_t k = n.first; k < n.first + n.count; ++k) {
      boxes_[k] = Box{};
      for (const std::uint32_t v : m.triangles[order_[k]]) boxes_[k].add(m.vertices[v]);
      n.box.add(boxes_[k]);
    }
    if (n.count > 0) continue;
    n.box.add(nodes_[i + 1].box);
    n.box.add(nodes_[n.first].box);
  }
}

void Tree::overlapping(const Box& box, std::vector<std::uint32_t>& out) const {
  if (nodes_.empty()) return;
  const std::size_t start = out.size();
  std::uint32_t stack[64];
  int top = 0;
  stack[top++] = 0;
  while (top > 0) {
    const std::uint32_t i = stack[--top];
    const Node& n = nodes_[i];
    if (!n.box.overlaps(box)) continue;
    if (n.count > 0) {
      for (std::uint32_t k = n.first; k < n.first + n.count; ++k)
        if (boxes_[k].overlaps(box)) out.push_back(order_[k]);
    } else {
      stack[top++] = n.first;
      stack[top++] = i + 1;
    }
  }
  std::sort(out.begin() + static_cast<std::ptrdiff_t>(start), out.end());
}

Tree::Nearest Tree::nearest(const TriangleMesh& m, const Vec3& point) const {
  Nearest best;
  double best_squared = std::numeric_limits<double>::infinity();
  if (nodes_.empty()) return best;
  std::uint32_t stack[64];
  int top = 0;
  stack[top++] = 0;
  while (top > 0) {
    const std::uint32_t i = stack[--top];
    const Node& n = nodes_[i];
    if (squaredDistance(n.box, point) > best_squared) continue;
    if (n.count == 0) {
      const bool left_first =
          squaredDistance(nodes_[i + 1].box, point) <= squaredDistance(nodes_[n.first].box, point);
      stack[top++] = left_first ? n.first : i + 1;
      stack[top++] = left_first ? i + 1 : n.first;
      continue;
    }
    for (std::uint32_t k = n.first; k < n.first + n.count; ++k) {
      const Triangle& t = m.triangles[order_[k]];
      const Vec3 q = nearestOnTriangle(point, m.vertices[t[0]], m.vertices[t[1]], m.vertices[t[2]]).point;
      const double d = (q - point).squaredNorm();
      if (d < best_squared || (d == best_squared && order_[k] < best.triangle)) {
        best_squared = d;
        best.point = q;
        best.triangle = order_[k];
      }
    }
  }
  best.distance = (best.point - point).norm();
  return best;
}

int Tree::crossings(const TriangleMesh& m, const Vec3& point, const Vec3& direction) const {
  int count = 0;
  std::uint32_t stack[64];
  int top = 0;
  stack[top++] = 0;
  while (top > 0) {
    const std::uint32_t i = stack[--top];
    const Node& n = nodes_[i];
    if (!hitsRay(n.box, point, direction)) continue;
    if (n.count == 0) {
      stack[top++] = n.first;
      stack[top++] = i + 1;
      continue;
    }
    for (std::uint32_t k = n.first; k < n.first + n.count; ++k) {
      const Triangle& t = m.triangles[order_[k]];
      const Vec3 a = m.vertices[t[0]] - point, b = m.vertices[t[1]] - point, c = m.vertices[t[2]] - point;
      const double u = direction.dot(c.cross(b)), v = direction.dot(a.cross(c)),
                   w = direction.dot(b.cross(a));
      if (!((u >= 0 && v >= 0 && w >= 0) || (u <= 0 && v <= 0 && w <= 0))) continue;
      const double det = u + v + w;
      if (det == 0) continue;
      const double distance = (u * a.dot(direction) + v * b.dot(direction) + w * c.dot(direction)) / det;
      if (distance >= 0) count += det > 0 ? 1 : -1;
    }
  }
  return count;
}

bool Tree::inside(const TriangleMesh& m, const Vec3& point) const {
  if (nodes_.empty() || !bounds().contains(point)) return false;
  // Three slanted rays: one that grazes an edge is outvoted.
  static const Vec3 kRays[3] = {vec3(0.8017, 0.2673, 0.5345), vec3(-0.3015, 0.9045, 0.3013),
                                vec3(0.1741, -0.6963, -0.6963)};
  int votes = 0;
  for (const Vec3& ray : kRays) votes += crossings(m, point, ray) != 0;
  return votes >= 2;
}

TrianglePoint nearestOnTriangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c) {
  const Vec3 ab = b - a, ac = c - a, ap = p - a;
  const double d1 = ab.dot(ap), d2 = ac.dot(ap);
  if (d1 <= 0 && d2 <= 0) return {a, 4};
  const Vec3 bp = p - b;
  const double d3 = ab.dot(bp), d4 = ac.dot(bp);
  if (d3 >= 0 && d4 <= d3) return {b, 5};
  const double vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return {a + ab * (d1 / (d1 - d3)), 1};
  const Vec3 cp = p - c;
  const double d5 = ab.dot(cp), d6 = ac.dot(cp);
  if (d6 >= 0 && d5 <= d6) return {c, 6};
  const double vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return {a + ac * (d2 / (d2 - d6)), 3};
  const double va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0)
    return {b + (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6))), 2};
  const double sum = va + vb + vc;
  return {a + ab * (vb / sum) + ac * (vc / sum), 0};
}

}  // namespace drubble::mesh
