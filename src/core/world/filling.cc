// SPDX-License-Identifier: Apache-2.0
// What lies in a region.
#include <algorithm>
#include <limits>

#include "core/shape/hull.h"
#include "core/world/world.h"

namespace drubble::world {

namespace {

constexpr double kDense = 0.4;   // what lies fills so much of the room below its level, at least
constexpr double kLying = 0.25;  // of the square of the speed of a fall over its own size
constexpr double kMost = 0.95;   // and of all that lies still so much is below it
constexpr int kLevels = 100;     // up to the highest top
constexpr int kLattice = 20;     // points along each side of the box about a body

// Those of a lattice over a body's box that lie in it, body space.
template <class Inside>
void fillLattice(const Box& box, Inside inside, Lattice& out) {
  const Vec3 step = box.size() / kLattice;
  out.cell = step.prod();
  for (int i = 0; i < kLattice; ++i)
    for (int j = 0; j < kLattice; ++j)
      for (int k = 0; k < kLattice; ++k) {
        const Vec3 p = box.low + step.cwiseProduct(Vec3(i + 0.5, j + 0.5, k + 0.5));
        if (inside(p)) out.points.push_back(p);
      }
}

}  // namespace

namespace {

bool inOutline(const Outline& o, const Vec3& at) {
  return std::all_of(o.hull.faces.begin(), o.hull.faces.end(),
                     [&](const shape::Face& f) { return f.normal.dot(at) <= f.offset; });
}

}  // namespace

Outline outlineOf(const mesh::TriangleMesh& m) {
  Outline out;
  out.hull = shape::convexHull(m.vertices);
  // Its walls are no room.
  const bool solid = mesh::closedness(mesh::welded(m)).closed();
  const mesh::Tree walls = solid ? mesh::Tree(m) : mesh::Tree();
  const auto open = [&](const Vec3& at) { return inOutline(out, at) && !(solid && walls.inside(m, at)); };
  fillLattice(m.bounds(), open, out.room);
  return out;
}

void World::takeRegion(const Region& r) {
  if (!r.body.valid()) return;
  const std::uint32_t p = scene_.pieces[r.body.index()].prototype.value;
  const mesh::TriangleMesh& m = scene_.prototypes[p].mesh;
  if (!r.container) {
    region_trees_.try_emplace(p, m);
    return;
  }
  if (region_outlines_.contains(p)) return;
  region_outlines_.emplace(p, outlineOf(m));
}

bool World::inRegion(const Region& r, const Vec3& at) const {
  if (r.box) return r.box->contains(at);
  if (!r.body.valid()) return (at - r.centre).norm() <= r.radius;
  const std::size_t i = r.body.index();
  const std::uint32_t p = scene_.pieces[i].prototype.value;
  const Vec3 inside = motion_.pose(i).toBody(at);
  if (!r.container) return region_trees_.at(p).inside(scene_.prototypes[p].mesh, inside);
  return inOutline(region_outlines_.at(p), inside);
}

RoomBelow World::roomOf(const Region& r) const {
  RoomBelow out;
  const Vec3& up = scene_.up;
  if (r.box) {
    const double side = up.dot(r.box->size());
    out.base = up.dot(r.box->low);
    out.heights = {out.base, out.base + side};
    out.straight = r.box->size().prod();
    return out;
  }
  if (!r.body.valid()) {
    Lattice ball;
    const Box box = Box{r.centre, r.centre}.grown(r.radius);
    fillLattice(
        box, [&](const Vec3& at) { return (at - r.centre).norm() <= r.radius; }, ball);
    out.base = up.dot(r.centre) - r.radius;
    out.cell = ball.cell;
    for (const Vec3& p : ball.points) out.heights.push_back(up.dot(p));
  } else {
    const std::size_t i = r.body.index();
    const std::uint32_t p = scene_.pieces[i].prototype.value;
    const mesh::TriangleMesh& m = scene_.prototypes[p].mesh;
    Lattice own;
    if (!r.container)
      fillLattice(
          m.bounds(), [&](const Vec3& at) { return region_trees_.at(p).inside(m, at); }, own);
    const Lattice& room = r.container ? region_outlines_.at(p).room : own;
    out.base = std::numeric_limits<double>::infinity();
    for (const Vec3& v : m.vertices) out.base = least(out.base, up.dot(motion_.pose(i).toWorld(v)));
    out.cell = room.cell;
    for (const Vec3& at : room.points) out.heights.push_back(up.dot(motion_.pose(i).toWorld(at)));
  }
  std::sort(out.heights.begin(), out.heights.end());
  return out;
}

double RoomBelow::below(double height) const {
  if (straight > 0) return straight * clamped((height - heights[0]) / (heights[1] - heights[0]), 0, 1);
  const auto n = std::lower_bound(heights.begin(), heights.end(), height) - heights.begin();
  return cell * static_cast<double>(n);
}

Filled World::filledOf(const Region& r, const std::vector<PieceId>* who) const {
  Filled out;
  struct Lies {
    double low, top, volume;
  };
  std::vector<Lies> lying;
  const double gravity = scene_.gravity.norm();
  const auto look = [&](std::size_t i) {
    if (!present(i) || scene_.pieces[i].role != Role::Dynamic || !inRegion(r, motion_.position[i])) return;
    ++out.count;
    const double volume = scene_.prototypeOf(i).volume;
    out.volume += volume;
    if (motion_.velocity[i].squaredNorm() > 2 * kLying * gravity * traits_[i].size) return;
    const Box box = shape::boundsAt(shapeOf(i), motion_.pose(i));
    const double middle = scene_.up.dot(box.centre()), half = 0.5 * box.size().dot(scene_.up);
    lying.push_back({middle - half, middle + half, volume});
  };
  if (who != nullptr)
    for (const PieceId p : *who) look(p.index());
  else
    for (std::size_t i = 0; i < motion_.size(); ++i) look(i);
  if (out.count == 0) return out;
  const RoomBelow room = roomOf(r);
  const double all = room.below(std::numeric_limits<double>::infinity());
  out.share = all > 0 ? out.volume / all : 0;
  double top = room.base, still = 0;
  for (const Lies& x : lying) top = greatest(top, x.top), still += x.volume;
  for (int n = kLevels; n > 0 && out.height == 0; --n) {
    const double level = room.base + (top - room.base) * n / kLevels;
    double below = 0;
    for (const Lies& x : lying) below += x.volume * clamped((level - x.low) / (x.top - x.low), 0, 1);
    const double next = level - (top - room.base) / kLevels;  // most of what lies reaches above that
    double under = 0;
    for (const Lies& x : lying) under += x.volume * clamped((next - x.low) / (x.top - x.low), 0, 1);
    const bool most = under < kMost * still;
    if (below > 0 && most && below >= kDense * room.below(level)) out.height = level - room.base;
  }
  return out;
}

}  // namespace drubble::world
