// SPDX-License-Identifier: Apache-2.0
#include "core/shape/decompose.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "core/base/error.h"
#include "core/base/trig.h"
#include "core/cut/pieces.h"
#include "core/mesh/mass.h"

namespace drubble::shape {

namespace {

constexpr std::size_t kPoints = 300;     // that a cut is judged by
constexpr double kPlaces = 1000;         // and places of the skin
constexpr int kOffsets = 5;              // evenly spaced along an axis
constexpr double kNothing = 1e-5;        // of the whole's volume: a part that is less is dropped
constexpr double kSection = 0.5;         // how much a narrow cut counts
constexpr double kNearlyBest = 1.02;     // cuts that are as good as the best: the most even one is taken
constexpr double kEmptyEnough = 0.0001;  // of the whole's volume: the empty room of what counts as convex
constexpr double kBefore = 1e-5;         // of the size
constexpr double kSamePlace = 1e-6;      // of the size
constexpr double kNeedle = 1e-5;         // of its size: thinner triangles do not say where they look
constexpr double kSameAxis = 0.999;
constexpr double kHelped = 0.98;
constexpr double kMoreEven = 0.1;
constexpr std::size_t kMoreThanAsked = 2;

struct Plane {
  Vec3 normal = Vec3::Zero();
  double offset = 0;
};

struct Solid {
  mesh::TriangleMesh mesh;
  std::vector<char> skin;  // one a triangle: it is of the whole's surface
  std::vector<Plane> inner;
  Polyhedron hull;
  double volume = 0, around = 0;  // of it, of its hull; m3
  double proud = 0;
  std::size_t deepest = 0;  // the triangle where that is
};

// Of places that are apart; none where they are flat.
std::optional<Polyhedron> hullOf(std::span<const Vec3> points) {
  Box box;
  for (const Vec3& p : points) box.add(p);
  if (box.empty()) return {};
  const double cell = kSamePlace * box.size().maxCoeff();
  std::vector<std::array<double, 3>> cells;
  for (const Vec3& p : points) {
    const Vec3 at = (p - box.low) / cell;
    cells.push_back({std::floor(at.x()), std::floor(at.y()), std::floor(at.z())});
  }
  std::vector<std::uint32_t> order(points.size());
  for (std::uint32_t k = 0; k < order.size(); ++k) order[k] = k;
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    return cells[a] != cells[b] ? cells[a] < cells[b] : a < b;
  });
  std::vector<Vec3> apart;
  for (std::size_t k = 0; k < order.size(); ++k)
    if (k == 0 || cells[order[k]] != cells[order[k - 1]]) apart.push_back(points[order[k]]);
  try {
    return convexHull(apart);
  } catch (const Error&) {  // flat
    return {};
  }
}

double volumeOf(const Polyhedron& p) { return mesh::massProperties(meshOf(p)).volume; }

// How far beyond `x` the hull ends along `d`; nothing is made of what is no more than `enough`.
double exitAlong(const Polyhedron& hull, const Vec3& x, const Vec3& d, double enough = 0) {
  double out = std::numeric_limits<double>::infinity();
  for (const Face& f : hull.faces) {
    const double fast = f.normal.dot(d);
    if (!(fast > 1e-9)) continue;
    out = least(out, (f.offset - f.normal.dot(x)) / fast);
    if (out <= enough) break;
  }
  return greatest(out, 0);
}

// How far the hull stands proud of the skin, and where most.
void judge(const Solid& s, const Polyhedron& hull, double& proud, std::size_t& deepest) {
  const double thin = kNeedle * s.mesh.bounds().size().maxCoeff();
  for (std::size_t t = 0; t < s.mesh.triangles.size(); ++t) {
    if (!s.skin[t]) continue;
    const auto [i, j, k] = s.mesh.triangles[t];
    const Vec3 &a = s.mesh.vertices[i], &b = s.mesh.vertices[j], &c = s.mesh.vertices[k];
    const double longest = greatest((b - a).norm(), greatest((c - b).norm(), (a - c).norm()));
    const Vec3 normal = (b - a).cross(c - a);
    if (!(normal.norm() > thin * longest)) continue;
    if (const double out = exitAlong(hull, (a + b + c) / 3, normal.normalized(), proud); out > proud)
      proud = out, deepest = t;
  }
}

// False for what has no volume.
bool measure(Solid& s) {
  const std::optional<Polyhedron> hull = hullOf(s.mesh.vertices);
  if (!hull) return false;
  s.hull = *hull;
  s.volume = mesh::massProperties(s.mesh).volume;
  s.around = volumeOf(s.hull);
  judge(s, s.hull, s.proud, s.deepest);
  return true;
}

bool convexEnough(const Solid& s, double tolerance, double whole) {
  return s.proud <= tolerance || s.around - s.volume <= kEmptyEnough * whole;
}

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

std::vector<Solid> cutInTwo(const Solid& s, const Plane& p, double nothing) {
  const Box box = s.mesh.bounds();
  const Vec3 on = box.centre() - (p.normal.dot(box.centre()) - p.offset) * p.normal;
  const double away = 0.25 * box.size().maxCoeff();
  const std::vector<Vec3> sites = {on - away * p.normal, on + away * p.normal};
  cut::How exact;
  exact.slivers = 0;
  std::vector<Solid> out;
  for (cut::Piece& piece : cut::cutIntoCells(s.mesh, sites, exact).pieces) {
    Solid part;
    part.mesh = std::move(piece.mesh);
    for (const cut::Source& from : piece.sources) part.skin.push_back(!from.inside && s.skin[from.index]);
    part.inner = s.inner;
    if (piece.cell == 0)
      part.inner.push_back({p.normal, p.offset});
    else
      part.inner.push_back({-p.normal, -p.offset});
    if (measure(part) && part.volume > nothing) out.push_back(std::move(part));
  }
  return out;
}

// Two parts that share a plane as one.
struct Joint {
  std::size_t a = 0, b = 0;
  double more = std::numeric_limits<double>::infinity();  // room that the common hull takes beyond both, m3
  double proud = 0;
};

bool adjoin(const Solid& a, const Solid& b, double size) {
  if (!a.mesh.bounds().grown(1e-6 * size).overlaps(b.mesh.bounds())) return false;
  return std::any_of(a.inner.begin(), a.inner.end(), [&](const Plane& p) {
    return std::any_of(b.inner.begin(), b.inner.end(), [&](const Plane& q) {
      return (p.normal + q.normal).norm() < 1e-6 && absolute(p.offset + q.offset) < 1e-6 * size;
    });
  });
}

Joint jointOf(const std::vector<Solid>& parts, std::size_t a, std::size_t b) {
  Joint out{a, b};
  std::vector<Vec3> points = parts[a].hull.vertices;
  points.insert(points.end(), parts[b].hull.vertices.begin(), parts[b].hull.vertices.end());
  const std::optional<Polyhedron> hull = hullOf(points);
  if (!hull) return out;
  out.more = volumeOf(*hull) - parts[a].around - parts[b].around;
  std::size_t ignored = 0;
  judge(parts[a], *hull, out.proud, ignored);
  judge(parts[b], *hull, out.proud, ignored);
  return out;
}

// Joins what serves as well joined, then what costs least while there are too many.
void joinAgain(std::vector<Solid>& parts, const PartsGoal& goal, double size) {
  std::vector<Joint> joints;
  for (std::size_t a = 0; a < parts.size(); ++a)
    for (std::size_t b = a + 1; b < parts.size(); ++b)
      if (adjoin(parts[a], parts[b], size)) joints.push_back(jointOf(parts, a, b));
  std::vector<char> gone(parts.size(), 0);
  std::size_t left = parts.size();
  for (;;) {
    const Joint* best = nullptr;
    for (const Joint& j : joints) {
      const bool serves = j.proud <= goal.tolerance;
      if (!serves && left <= static_cast<std::size_t>(goal.most)) continue;
      if (best == nullptr || j.more < best->more) best = &j;
    }
    if (best == nullptr) break;
    const auto [a, b, more, proud] = *best;
    // Cut faces between the two are none any more; the rest of both are.
    Solid whole;
    whole.mesh = parts[a].mesh;
    mesh::append(whole.mesh, parts[b].mesh);
    whole.skin = parts[a].skin;
    whole.skin.insert(whole.skin.end(), parts[b].skin.begin(), parts[b].skin.end());
    whole.inner = parts[a].inner;
    whole.inner.insert(whole.inner.end(), parts[b].inner.begin(), parts[b].inner.end());
    std::vector<Vec3> points = parts[a].hull.vertices;
    points.insert(points.end(), parts[b].hull.vertices.begin(), parts[b].hull.vertices.end());
    whole.hull = *hullOf(points);
    whole.volume = parts[a].volume + parts[b].volume;
    whole.around = volumeOf(whole.hull);
    whole.proud = proud;
    parts[a] = std::move(whole);
    gone[b] = 1;
    --left;
    std::erase_if(joints,
                  [&, x = a, y = b](const Joint& j) { return j.a == x || j.b == x || j.a == y || j.b == y; });
    for (std::size_t n = 0; n < parts.size(); ++n)
      if (n != a && !gone[n] && adjoin(parts[a], parts[n], size))
        joints.push_back(jointOf(parts, std::min(a, n), std::max(a, n)));
  }
  std::size_t kept = 0;
  for (std::size_t n = 0; n < parts.size(); ++n)
    if (!gone[n]) {
      if (kept != n) parts[kept] = std::move(parts[n]);
      ++kept;
    }
  parts.resize(kept);
}

// Where the hull is bounded by planes that it was cut along, and how far.
std::vector<InnerFace> bounding(const Solid& s, double size) {
  std::vector<InnerFace> out;
  const double near = 1e-6 * size;
  for (const Plane& p : s.inner) {
    const bool known = std::any_of(out.begin(), out.end(), [&](const InnerFace& f) {
      return (p.normal - f.normal).norm() < 1e-6 && absolute(p.offset - f.offset) < near;
    });
    if (known || absolute(s.hull.reach(p.normal) - p.offset) > near) continue;
    InnerFace face{p.normal, p.offset, {}};
    for (std::size_t t = 0; t < s.mesh.triangles.size(); ++t) {
      if (s.skin[t]) continue;
      std::array<Vec3, 3> corners;
      bool on = true;
      for (std::size_t k = 0; k < 3; ++k) {
        corners[k] = s.mesh.vertices[s.mesh.triangles[t][k]];
        on = on && absolute(p.normal.dot(corners[k]) - p.offset) < near;
      }
      const Vec3 ab = corners[1] - corners[0], ac = corners[2] - corners[0];
      const double longest = greatest(ab.norm(), greatest(ac.norm(), (ac - ab).norm()));
      if (on && ab.cross(ac).norm() > near * longest) face.region.push_back(corners);  // no needles
    }
    if (!face.region.empty()) out.push_back(std::move(face));
  }
  return out;
}

}  // namespace

ConvexParts convexParts(const mesh::TriangleMesh& m, const PartsGoal& goal, Team* team) {
  Solid whole;
  whole.mesh = m;
  whole.skin.assign(m.triangles.size(), 1);
  if (!mesh::closedness(m).closed() || !measure(whole) || !(whole.volume > 0))
    throw Error(ErrorKind::Input, "only a closed mesh with a volume comes in parts");
  const double size = m.bounds().size().maxCoeff(), nothing = kNothing * whole.volume;
  std::vector<Solid> parts;
  parts.push_back(std::move(whole));
  std::vector<char> final_one = {0};
  while (parts.size() < kMoreThanAsked * static_cast<std::size_t>(goal.most)) {
    // The one with the most empty room is cut next.
    std::size_t worst = parts.size();
    for (std::size_t n = 0; n < parts.size(); ++n) {
      if (final_one[n] || convexEnough(parts[n], goal.tolerance, nothing / kNothing)) continue;
      if (worst == parts.size() ||
          parts[n].around - parts[n].volume > parts[worst].around - parts[worst].volume)
        worst = n;
    }
    if (worst == parts.size()) break;
    const std::optional<Plane> plane = bestCut(parts[worst], team);
    std::vector<Solid> two;
    if (plane) two = cutInTwo(parts[worst], *plane, nothing);
    // Where the other half is next to nothing, what is left goes on if that has helped.
    if (two.empty() || (two.size() == 1 && two[0].around > kHelped * parts[worst].around)) {
      final_one[worst] = 1;
      continue;
    }
    parts[worst] = std::move(two[0]);
    for (std::size_t k = 1; k < two.size(); ++k) {
      parts.push_back(std::move(two[k]));
      final_one.push_back(0);
    }
  }
  joinAgain(parts, goal, size);
  std::stable_sort(parts.begin(), parts.end(),
                   [](const Solid& a, const Solid& b) { return a.around > b.around; });
  ConvexParts out;
  for (const Solid& s : parts) {
    out.proud = greatest(out.proud, s.proud);
    out.parts.push_back({s.hull.vertices, bounding(s, size)});
  }
  return out;
}

}  // namespace drubble::shape
