// SPDX-License-Identifier: Apache-2.0
#include "core/cut/patterns.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/base/random.h"
#include "core/base/trig.h"
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

// A place within `box` and the mesh.
Vec3 placeIn(const mesh::TriangleMesh& m, const mesh::Tree& tree, const Box& box, RandomStream& r,
             double radius) {
  for (int n = 0; n < kTries; ++n) {
    Vec3 p;
    for (int k = 0; k < 3; ++k) p[k] = r.between(box.low[k], box.high[k]);
    if (radius > 0 && (p - box.centre()).norm() > radius) continue;
    if (tree.inside(m, p)) return p;
  }
  throw Error(ErrorKind::Input, "a cut finds no room for its sites: they are to stand where the mesh is not");
}

}  // namespace

std::vector<Vec3> scatter(const mesh::TriangleMesh& m, const Scatter& how, std::uint64_t seed,
                          const std::string& stream) {
  const mesh::Tree tree(m);
  const Box box = m.bounds();
  std::vector<Vec3> out;
  RandomStream r(seed, stream);
  for (int n = 0; n < how.count; ++n) out.push_back(placeIn(m, tree, box, r, 0));
  for (std::size_t k = 0; k < how.more.size(); ++k) {
    const More& more = how.more[k];
    RandomStream own(seed, stream + " more " + std::to_string(k));
    const Box around = Box{more.centre, more.centre}.grown(more.radius);
    for (int n = 0; n < more.count; ++n) out.push_back(placeIn(m, tree, around, own, more.radius));
  }
  return inOrder(std::move(out), box);
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
