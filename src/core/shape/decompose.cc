// SPDX-License-Identifier: Apache-2.0
#include "core/shape/decompose.h"

#include <algorithm>
#include <limits>

#include "core/base/error.h"
#include "core/cut/pieces.h"
#include "core/mesh/mass.h"
#include "core/shape/concave.h"

namespace drubble::shape {

namespace {

constexpr double kNothing = 1e-5;        // of the whole's volume: a part that is less is dropped
constexpr double kEmptyEnough = 0.0001;  // of the whole's volume: the empty room of what counts as convex
constexpr double kHelped = 0.98;
constexpr std::size_t kMoreThanAsked = 2;

bool convexEnough(const Solid& s, double tolerance, double whole) {
  return s.proud <= tolerance || s.around - s.volume <= kEmptyEnough * whole;
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
