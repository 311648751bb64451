// SPDX-License-Identifier: Apache-2.0
#include "core/cut/patterns.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

#include "core/base/error.h"
#include "core/base/random.h"
#include "core/base/trig.h"
#include "core/mesh/mass.h"
#include "core/mesh/tree.h"

namespace drubble::cut {

namespace {

constexpr int kTries = 20000;

// Ten bits an axis, woven: where a place comes on a curve through all places (Morton, A computer oriented
// geodetic data base, 1966).
std::uint32_t along(const Vec3& p, const Box& box) {
  std::uint32_t out = 0;
  for (int k = 0; k < 3; ++k) {
    const double size = box.size()[k];
    const double share = size > 0 ? clamped((p[k] - box.low[k]) / size, 0, 1) : 0;
    const auto x = static_cast<std::uint32_t>(share * 1023);
    for (std::uint32_t bit = 0; bit < 10; ++bit)
      out |= (x >> bit & 1) << (3 * bit + static_cast<std::uint32_t>(k));
  }
  return out;
}

std::vector<Vec3> inOrder(std::vector<Vec3> sites, const Box& box) {
  std::stable_sort(sites.begin(), sites.end(),
                   [&](const Vec3& a, const Vec3& b) { return along(a, box) < along(b, box); });
  return sites;
}

Vec3 within(const Box& box, RandomStream& r) {
  Vec3 p;
  for (int k = 0; k < 3; ++k) p[k] = r.between(box.low[k], box.high[k]);
  return p;
}

Vec3 inBall(const Vec3& centre, double radius, RandomStream& r) {
  const Box box = Box{centre, centre}.grown(radius);
  for (;;)
    if (const Vec3 p = within(box, r); (p - centre).norm() <= radius) return p;
}

// A place on the line, all of its length alike.
Vec3 onLine(const std::vector<Vec3>& line, RandomStream& r) {
  double length = 0;
  for (std::size_t k = 1; k < line.size(); ++k) length += (line[k] - line[k - 1]).norm();
  double left = r.between(0, length);
  for (std::size_t k = 1; k < line.size(); ++k) {
    const double part = (line[k] - line[k - 1]).norm();
    if (left <= part && part > 0) return line[k - 1] + left / part * (line[k] - line[k - 1]);
    left -= part;
  }
  return line.back();
}

// The first of many tries that lies in the mesh and that `try_one` does not refuse.
Vec3 placeIn(const mesh::TriangleMesh& m, const mesh::Tree& tree,
             const std::function<std::optional<Vec3>()>& try_one) {
  for (int n = 0; n < kTries; ++n)
    if (const std::optional<Vec3> p = try_one(); p && tree.inside(m, *p)) return *p;
  throw Error(ErrorKind::Input, "a cut finds no room for its sites: they are to stand where the mesh is not");
}

}  // namespace

std::vector<Vec3> smoothed(std::span<const Vec3> places) {
  constexpr int kLines = 16;
  std::vector<Vec3> out;
  for (std::size_t k = 1; k < places.size(); ++k) {
    const Vec3 &from = places[k - 1], &to = places[k];
    const Vec3 before = k > 1 ? places[k - 2] : Vec3(2 * from - to),
               after = k + 1 < places.size() ? places[k + 1] : Vec3(2 * to - from);
    const Vec3 leaves = 0.5 * (to - before), comes = 0.5 * (after - from);
    for (int n = 0; n < kLines; ++n) {
      const double t = static_cast<double>(n) / kLines, t2 = t * t, t3 = t2 * t;
      out.push_back((2 * t3 - 3 * t2 + 1) * from + (t3 - 2 * t2 + t) * leaves + (3 * t2 - 2 * t3) * to +
                    (t3 - t2) * comes);
    }
  }
  if (!places.empty()) out.push_back(places.back());
  return out;
}

std::vector<Vec3> scatter(const mesh::TriangleMesh& m, const Scatter& how, std::uint64_t seed,
                          const std::string& stream) {
  const mesh::Tree tree(m);
  const Box box = m.bounds();
  std::vector<Vec3> out;
  RandomStream r(seed, stream);
  for (int n = 0; n < how.count; ++n) out.push_back(placeIn(m, tree, [&] { return within(box, r); }));
  for (std::size_t k = 0; k < how.more.size(); ++k) {
    const More& more = how.more[k];
    RandomStream own(seed, stream + " more " + std::to_string(k));
    const mesh::Tree region(more.mesh);
    const auto try_one = [&]() -> std::optional<Vec3> {
      if (more.region == Region::Ball) return inBall(more.centre, more.radius, own);
      if (more.region == Region::Line) return inBall(onLine(more.line, own), more.radius, own);
      if (more.region == Region::Box) return within(more.box, own);
      const Vec3 p = within(region.bounds(), own);
      return region.inside(more.mesh, p) ? std::optional(p) : std::nullopt;
    };
    for (int n = 0; n < more.count; ++n) out.push_back(placeIn(m, tree, try_one));
  }
  return inOrder(std::move(out), box);
}

std::vector<Vec3> evened(const mesh::TriangleMesh& m, std::vector<Vec3> sites, int rounds, const How& how,
                         Team* team) {
  How whole = how;
  whole.slivers = 0;
  for (int n = 0; n < rounds; ++n) {
    whole.told = partOf(how.told, static_cast<double>(n) / rounds, (n + 1.0) / rounds);
    std::vector<Vec3> sum(sites.size(), Vec3::Zero());
    std::vector<double> volume(sites.size(), 0);
    for (const Piece& p : cutIntoCells(m, sites, whole, team).pieces) {
      const mesh::MassProperties part = mesh::massProperties(p.mesh);
      if (!(part.volume > 0)) continue;
      sum[p.cell] += part.volume * part.centre;
      volume[p.cell] += part.volume;
    }
    for (std::size_t k = 0; k < sites.size(); ++k)
      if (volume[k] > 0) sites[k] = sum[k] / volume[k];
  }
  return inOrder(std::move(sites), m.bounds());
}

std::vector<Vec3> parallel(const mesh::TriangleMesh& m, const Parallel& how, std::uint64_t seed,
                           const std::string& stream) {
  RandomStream r(seed, stream);
  const Vec3 u = anyNormalTo(how.axis), v = how.axis.cross(u), middle = m.bounds().centre();
  double low = std::numeric_limits<double>::infinity(), high = -low;
  for (const Vec3& p : m.vertices) {
    low = least(low, how.axis.dot(p - middle));
    high = greatest(high, how.axis.dot(p - middle));
  }
  // Sites one above the other; what they stand aside of each other tilts the cut between them.
  const double slab = (high - low) / how.count;
  const SinCos on = sinCos(how.tilt);
  const double aside = 0.5 * slab * (1 - how.uneven) * on.sin / on.cos;  // cuts may be that much nearer
  std::vector<Vec3> out;
  for (int n = 0; n < how.count; ++n) {
    const double height = low + slab * (n + 0.5 + 0.5 * how.uneven * r.between(-1, 1));
    const Vec3 off = inBall(Vec3::Zero(), 1, r);
    out.push_back(middle + height * how.axis + aside * (off.x() * u + off.y() * v));
  }
  return out;
}

std::vector<Vec3> impact(const mesh::TriangleMesh& m, const Impact& how, std::uint64_t seed,
                         const std::string& stream) {
  RandomStream r(seed, stream);
  const Box box = m.bounds();
  const Vec3 u = anyNormalTo(how.axis), v = how.axis.cross(u);
  const Vec3 middle = how.at + how.axis.dot(box.centre() - how.at) * how.axis;
  double far = 0;
  for (const Vec3& p : m.vertices) far = greatest(far, (p - middle).cross(how.axis).norm());
  std::vector<Vec3> out{middle};
  const auto radius = [&](double ring) {
    const double share = ring / how.rings;
    return far * share * (1 - how.finer + how.finer * share);
  };
  for (int ring = 1; ring <= how.rings; ++ring) {
    const double turned = r.between(0, 1);
    for (int ray = 0; ray < how.rays; ++ray) {
      const double angle = 2 * kPi * (ray + turned + 0.5 * how.uneven * r.between(-1, 1)) / how.rays;
      const double rho = radius(ring - 0.5 + 0.5 * how.uneven * r.between(-1, 1));
      const SinCos on = sinCos(angle);
      const Vec3 p = middle + rho * (on.cos * u + on.sin * v);
      if (box.grown(0.25 * far).contains(p)) out.push_back(p);
    }
  }
  return inOrder(std::move(out), box);
}

Vec3 thinnestAxis(const mesh::TriangleMesh& m) {
  int axis = 0;
  m.bounds().size().minCoeff(&axis);
  return Vec3::Unit(axis);
}

}  // namespace drubble::cut
