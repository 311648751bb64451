// SPDX-License-Identifier: Apache-2.0
#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/trig.h"
#include "core/mesh/mass.h"
#include "core/shape/concave.h"

namespace drubble::shape {

namespace {

constexpr std::size_t kPoints = 300;  // that a cut is judged by
constexpr double kPlaces = 1000;      // and places of the skin
constexpr int kOffsets = 5;           // evenly spaced along an axis
constexpr double kSection = 0.5;      // how much a narrow cut counts
constexpr double kNearlyBest = 1.02;  // cuts that are as good as the best: the most even one is taken
constexpr double kBefore = 1e-5;      // of the size
constexpr double kSameAxis = 0.999;
constexpr double kMoreEven = 0.1;

// Where a solid might be cut: square to the whole's and its own main axes, at even distances, through its
// middle, and through the place where its hull stands most proud.
std::vector<Plane> candidates(const Solid& s) {
  const mesh::MassProperties mass = mesh::massProperties(s.mesh);
  const Mat3 own = principalAxes(mass.inertia).axes;
  std::vector<Plane> out;
  for (int k = 0; k < 6; ++k) {
    const Vec3 axis = k < 3 ? Vec3(Vec3::Unit(k)) : Vec3(own.col(k - 3));
    if (k >= 3 && axis.cwiseAbs().maxCoeff() > kSameAxis) continue;
    double low = std::numeric_limits<double>::infinity(), high = -low;
    for (const Vec3& v : s.mesh.vertices) {
      low = least(low, axis.dot(v));
      high = greatest(high, axis.dot(v));
    }
    const double margin = 0.02 * (high - low);
    const std::size_t first = out.size();
    const auto add = [&](double at) {
      const bool known = std::any_of(out.begin() + static_cast<std::ptrdiff_t>(first), out.end(),
                                     [&](const Plane& p) { return absolute(p.offset - at) < 0.2 * margin; });
      if (!known && at > low + margin && at < high - margin) out.push_back({axis, at});
    };
    add(axis.dot(mass.centre));
    for (int n = 1; n <= kOffsets; ++n) add(low + (high - low) * n / (kOffsets + 1));
    // Just before a face, so that nothing of it hangs on the other half as a film.
    const double before = kBefore * (high - low) * (s.mesh.normal(s.deepest).dot(axis) < 0 ? -1 : 1);
    for (const std::uint32_t v : s.mesh.triangles[s.deepest]) add(axis.dot(s.mesh.vertices[v]) + before);
  }
  return out;
}

// Some places of its surface, and lines between them, that stand for it when cuts are compared; and places
// spread evenly over its skin, with their normals.
struct Sketch {
  std::vector<Vec3> points;
  std::vector<std::array<std::uint32_t, 2>> lines;
  std::vector<Vec3> places, normals;
};

// One place a cell of a grid, the first found.
void thin(const Solid& s, Sketch& out, std::vector<std::uint32_t>& of_vertex) {
  const Box box = s.mesh.bounds();
  for (double parts = 64;; parts /= 1.5) {
    const double cell = box.size().maxCoeff() / parts;
    std::vector<std::pair<std::array<std::int64_t, 3>, std::uint32_t>> keyed;
    for (std::uint32_t v = 0; v < s.mesh.vertices.size(); ++v) {
      const Vec3 at = (s.mesh.vertices[v] - box.low) / cell;
      keyed.push_back({{static_cast<std::int64_t>(at.x()), static_cast<std::int64_t>(at.y()),
                        static_cast<std::int64_t>(at.z())},
                       v});
    }
    std::sort(keyed.begin(), keyed.end());
    out.points.clear();
    for (std::size_t k = 0; k < keyed.size(); ++k) {
      if (k == 0 || keyed[k].first != keyed[k - 1].first)
        out.points.push_back(s.mesh.vertices[keyed[k].second]);
      of_vertex[keyed[k].second] = u32(out.points.size() - 1);
    }
    if (out.points.size() <= kPoints || parts < 4) return;
  }
}

void spread(const Solid& s, Sketch& out) {
  std::vector<double> area;
  double sum = 0;
  for (std::size_t t = 0; t < s.mesh.triangles.size(); ++t) {
    const auto [a, b, c] = s.mesh.triangles[t];
    const Vec3 &p = s.mesh.vertices[a], &q = s.mesh.vertices[b], &r = s.mesh.vertices[c];
    area.push_back(s.skin[t] ? 0.5 * (q - p).cross(r - p).norm() : 0);
    sum += area.back();
  }
  const double step = sum / kPlaces;
  double next = 0.5 * step, passed = 0;
  std::uint32_t count = 0;
  for (std::size_t t = 0; t < area.size() && step > 0; passed += area[t++])
    for (; next < passed + area[t]; next += step) {
      // Places that fill a triangle evenly, one after the other (Roberts, The unreasonable effectiveness of
      // quasirandom sequences, 2018).
      ++count;
      double u = 0.7548776662466927 * count, v = 0.5698402909980532 * count;
      u -= std::floor(u);
      v -= std::floor(v);
      if (u + v > 1) u = 1 - u, v = 1 - v;
      const auto [a, b, c] = s.mesh.triangles[t];
      const Vec3 &p = s.mesh.vertices[a], &q = s.mesh.vertices[b], &r = s.mesh.vertices[c];
      out.places.push_back(p + u * (q - p) + v * (r - p));
      out.normals.push_back(s.mesh.normal(t));
    }
}

Sketch sketchOf(const Solid& s) {
  Sketch out;
  std::vector<std::uint32_t> of_vertex(s.mesh.vertices.size());
  thin(s, out, of_vertex);
  for (const mesh::Triangle& t : s.mesh.triangles)
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint32_t a = of_vertex[t[k]], b = of_vertex[t[(k + 1) % 3]];
      if (a < b) out.lines.push_back({a, b});
    }
  std::sort(out.lines.begin(), out.lines.end());
  out.lines.erase(std::unique(out.lines.begin(), out.lines.end()), out.lines.end());
  spread(s, out);
  return out;
}

struct Score {
  double proud = 0;    // how far both hulls would stand proud of the skin, summed over it
  double around = 0;   // the volume of both
  double section = 0;  // m2 of the cut
  double uneven = 0;   // 0: as much skin on both sides
};

// The first sum tells cuts apart which leave the hulls as large as they were: half a ring's hull is as full
// as the whole one's, but what is empty in it is half as far across.
Score scoreOf(const Sketch& s, const Plane& p) {
  std::vector<Vec3> sides[2];
  std::vector<double> height;
  for (const Vec3& v : s.points) {
    height.push_back(p.normal.dot(v) - p.offset);
    sides[height.back() > 0 ? 1 : 0].push_back(v);
  }
  for (const auto& [a, b] : s.lines) {
    if ((height[a] > 0) == (height[b] > 0)) continue;
    const Vec3 at = s.points[a] + height[a] / (height[a] - height[b]) * (s.points[b] - s.points[a]);
    sides[0].push_back(at);
    sides[1].push_back(at);
  }
  const std::optional<Polyhedron> hulls[2] = {hullOf(sides[0]), hullOf(sides[1])};
  Score out;
  for (const auto& hull : hulls) out.around += hull ? volumeOf(*hull) : 0;
  double above = 0;
  for (std::size_t k = 0; k < s.places.size(); ++k) {
    const int side = p.normal.dot(s.places[k]) > p.offset ? 1 : 0;
    above += side;
    if (hulls[side]) out.proud += exitAlong(*hulls[side], s.places[k], s.normals[k]);
  }
  out.uneven = absolute(2 * above / static_cast<double>(s.places.size()) - 1);
  return out;
}

// The area of the solid's section: of its closed outlines, which run counter-clockwise.
double sectionOf(const Solid& s, const Plane& p) {
  const Vec3 origin = p.offset * p.normal;
  double twice = 0;
  for (const mesh::Triangle& t : s.mesh.triangles) {
    double height[3];
    for (std::size_t k = 0; k < 3; ++k) height[k] = p.normal.dot(s.mesh.vertices[t[k]]) - p.offset;
    Vec3 down = origin, up = origin;
    bool any = false;
    for (std::size_t k = 0; k < 3; ++k) {
      const std::size_t n = (k + 1) % 3;
      if ((height[k] > 0) == (height[n] > 0)) continue;
      const Vec3 &a = s.mesh.vertices[t[k]], &b = s.mesh.vertices[t[n]];
      (height[k] > 0 ? down : up) = a + height[k] / (height[k] - height[n]) * (b - a);
      any = true;
    }
    if (any) twice += (down - origin).cross(up - origin).dot(p.normal);
  }
  return 0.5 * absolute(twice);
}

}  // namespace

std::optional<Plane> bestCut(const Solid& s, Team* team) {
  const std::vector<Plane> planes = candidates(s);
  if (planes.empty()) return {};
  const Sketch sketch = sketchOf(s);
  std::vector<Score> score(planes.size());
  shareOrAlone(team, planes.size(), 2, [&](std::size_t, std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      score[k] = scoreOf(sketch, planes[k]);
      score[k].section = sectionOf(s, planes[k]);
    }
  });
  double most_proud = 0;
  for (const Score& x : score) most_proud = greatest(most_proud, x.proud);
  const double wide = cubeRoot(s.around), across = wide * wide;
  const auto cost = [&](const Score& x) {
    return x.around / s.around + (most_proud > 0 ? x.proud / most_proud : 0) + kSection * x.section / across;
  };
  double lowest = cost(score[0]);
  for (const Score& x : score) lowest = least(lowest, cost(x));
  std::size_t best = planes.size();
  for (std::size_t k = 0; k < planes.size(); ++k)
    if (cost(score[k]) <= kNearlyBest * lowest &&
        (best == planes.size() || score[k].uneven < score[best].uneven - kMoreEven))
      best = k;
  return planes[best];
}

}  // namespace drubble::shape
