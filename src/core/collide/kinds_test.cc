// SPDX-License-Identifier: Apache-2.0
// Every pair of kinds against a search over directions that knows nothing of the pair tests.
#include <catch2/catch.hpp>
#include <cmath>

#include "core/base/random.h"
#include "core/collide/ellipsoid.h"
#include "core/collide/pairs.h"

using namespace drubble;
using namespace drubble::collide;

namespace {

Vec3 somewhere(RandomStream& r, double range) {
  return vec3(r.between(-range, range), r.between(-range, range), r.between(-range, range));
}

shape::Shape randomShape(RandomStream& r, shape::Kind k) {
  const auto length = [&] { return r.between(0.2, 0.6); };
  const Vec3 axis = Vec3::Unit(static_cast<int>(r.between(0, 3)));
  switch (k) {
    case shape::Kind::Sphere:
      return shape::sphere(length());
    case shape::Kind::Ellipsoid:
      return shape::ellipsoid(vec3(length(), length(), length()));
    case shape::Kind::Capsule:
      return shape::capsule(length(), 2 * length(), axis);
    case shape::Kind::Cylinder:
      return shape::cylinder(length(), 2 * length(), axis);
    case shape::Kind::Joined:
      return shape::joined({{shape::sphere(length()), {somewhere(r, 0.3), r.turn()}}});
    default: {
      std::vector<Vec3> points;
      for (int i = 0; i < 14; ++i) points.push_back(somewhere(r, 0.5));
      return shape::convex(points);
    }
  }
}

struct Two {
  const shape::Shape& a;
  const shape::Shape& b;
  Pose pa, pb;

  // How far apart the shapes' supporting planes are along n (world, from a to b).
  double gapAlong(const Vec3& n) const {
    const double top = n.dot(pa.position) + shape::reachAlong(a, pa.turn.conjugate() * n);
    return n.dot(pb.position) - shape::reachAlong(b, pb.turn.conjugate() * -n) - top;
  }

  // The best direction by climbing from many random ones.
  double bestGap(RandomStream& r) const {
    double best = -1e9;
    for (int start = 0; start < 24; ++start) {
      Vec3 n = start == 0 ? (pb.position - pa.position).normalized() : Vec3(r.turn() * Vec3::UnitX());
      double gap = gapAlong(n), step = 0.5;
      for (int i = 0; i < 300; ++i) {
        const Vec3 m = (n + step * somewhere(r, 1)).normalized();
        if (const double g = gapAlong(m); g > gap)
          gap = g, n = m;
        else
          step *= 0.95;
      }
      best = greatest(best, gap);
    }
    return best;
  }
};

constexpr shape::Kind kKinds[] = {shape::Kind::Sphere,   shape::Kind::Ellipsoid, shape::Kind::Capsule,
                                  shape::Kind::Cylinder, shape::Kind::Convex,    shape::Kind::Joined};

// Moves b along `out` (world, unit) until a search finds the wanted gap.
void bringTo(Two& t, double wanted, RandomStream& r, const Vec3& out) {
  for (int i = 0; i < 12; ++i) t.pb.position += (wanted - t.bestGap(r)) * out;
}

// The same along the line between the centres.
void bringTo(Two& t, double wanted, RandomStream& r) {
  for (int i = 0; i < 12; ++i) {
    const double gap = t.bestGap(r);
    t.pb.position += (wanted - gap) * (t.pb.position - t.pa.position).normalized();
  }
}

// The hull of twelve places in a box of these half sizes.
shape::Shape chipIn(RandomStream& r, const Vec3& half) {
  std::vector<Vec3> points;
  for (int k = 0; k < 12; ++k) points.push_back(somewhere(r, 1).cwiseProduct(half));
  return shape::convex(points);
}

}  // namespace

TEST_CASE("every pair of kinds finds the gap that a search over directions finds", "[slow]") {
  for (const shape::Kind ka : kKinds) {
    for (const shape::Kind kb : kKinds) {
      RandomStream r(7, "kinds", static_cast<std::uint64_t>(ka) * 16 + static_cast<std::uint64_t>(kb));
      double worst = 0, worst_normal = 0;
      for (int i = 0; i < 10; ++i) {
        const shape::Shape a = randomShape(r, ka), b = randomShape(r, kb);
        Two t{a, b, {somewhere(r, 1), r.turn()}, {}};
        t.pb = {t.pa.position + 2 * (r.turn() * Vec3::UnitX()), r.turn()};
        const double wanted = i % 2 == 0 ? 0.004 : -0.004;
        bringTo(t, wanted, r);
        const double best = t.bestGap(r);
        Manifolds found;
        collide::collide(a, t.pa, b, t.pb, 0.1, found);
        REQUIRE(found.size() == 1);
        worst = greatest(worst, absolute(found[0].leastGap() - best));
        // Where a face's patch of several points stands in for a pair of edges, its normal is near enough.
        if (found[0].count == 1)
          worst_normal = greatest(worst_normal, absolute(t.gapAlong(found[0].normal) - best));
        else
          CHECK(t.gapAlong(found[0].normal) > best - 0.1);
      }
      INFO(shape::kindName(ka) << " against " << shape::kindName(kb));
      CHECK(worst < 2e-4);
      CHECK(worst_normal < 2e-4);
    }
  }
}

TEST_CASE("something long meets chips anywhere along it, and wherever they are touched", "[slow]") {
  RandomStream r(5, "poles");
  int single = 0;
  for (int i = 0; i < 120; ++i) {
    const shape::Shape pole = shape::capsule(r.between(0.03, 0.1), r.between(1.5, 3), Vec3::UnitY());
    const shape::Shape chip = chipIn(r, vec3(0.3, r.between(0.06, 0.3), 0.09));
    Two t{pole, chip, {somewhere(r, 1), r.turn()}, {}};
    const Vec3 u = pole.axis, out = t.pa.turn * u.cross(r.turn() * Vec3::UnitX()).normalized();
    const Vec3 along = t.pa.turn * u;
    t.pb = {t.pa.position + r.between(-0.8, 0.8) * pole.half_length * along + 0.5 * out, r.turn()};
    bringTo(t, r.between(-0.1, 0.03), r, out);
    const double best = t.bestGap(r);
    Manifolds found;
    collide::collide(pole, t.pa, chip, t.pb, 0.1, found);
    CAPTURE(i, best);
    REQUIRE(found.size() == 1);
    const double gap = found[0].leastGap();
    CHECK(gap > best - 1e-4);  // the search climbs, and may miss the best
    if (found[0].count == 1)
      CHECK(t.gapAlong(found[0].normal) == Approx(gap).margin(1e-6));
    else
      CHECK(gap < best + 1e-3);
    single += found[0].count == 1;
  }
  CHECK(single > 60);
}

TEST_CASE("a rod that overlaps a chip is felt, wherever and however", "[slow]") {
  RandomStream r(11, "rods");
  int deep = 0;
  for (int i = 0; i < 400; ++i) {
    const shape::Shape rod = shape::cylinder(r.between(0.03, 0.15), r.between(0.5, 3), Vec3::UnitY());
    const shape::Shape chip = chipIn(r, vec3(0.5, r.between(0.15, 0.5), 0.05));
    Two t{rod, chip, {somewhere(r, 1), r.turn()}, {}};
    const Vec3 out = r.turn() * Vec3::UnitX();
    t.pb = {t.pa.position + r.between(-0.5, 0.5) * rod.half_length * (t.pa.turn * rod.axis) + out, r.turn()};
    bringTo(t, r.between(-0.02, 0), r, out);
    const double best = t.bestGap(r);
    if (best > 0 || best < -0.06) continue;
    ++deep;
    Manifolds found;
    collide::collide(rod, t.pa, chip, t.pb, 0.1, found);
    CAPTURE(i, best);
    REQUIRE(found.size() == 1);
    CHECK(found[0].count > 0);
    CHECK(found[0].leastGap() > best - 1e-3);
    CHECK(found[0].leastGap() < 0.5 * best + 1e-4);
  }
  CHECK(deep > 300);
}

namespace {

// Long, flat, thin and round by turns.
shape::Shape odd(RandomStream& r, int which) {
  const Vec3 axis = Vec3::Unit(static_cast<int>(r.between(0, 3)));
  switch (which) {
    case 0:
      return shape::sphere(r.between(0.02, 0.5));
    case 1:
      return shape::ellipsoid(vec3(r.between(0.05, 0.6), r.between(0.05, 0.6), r.between(0.05, 0.6)));
    case 2:
      return shape::capsule(r.between(0.03, 0.3), r.between(0.3, 3), axis);
    case 3:  // a rod
      return shape::cylinder(r.between(0.03, 0.15), r.between(0.5, 3), axis);
    case 4:  // a disc
      return shape::cylinder(r.between(0.3, 0.6), r.between(0.03, 0.15), axis);
    case 5:
      return chipIn(r, vec3(0.5, r.between(0.15, 0.5), 0.05));
    case 6:  // a sliver
      return chipIn(r, vec3(0.08, 1.5, 0.08));
    default: {
      const Vec3 half = vec3(r.between(0.02, 0.6), r.between(0.02, 0.6), r.between(0.02, 0.6));
      return shape::box(-half, half);
    }
  }
}
constexpr const char* kOdd[] = {"ball", "ellipsoid", "capsule", "rod", "disc", "chip", "sliver", "box"};

// Brings b from anywhere to a gap between the two, about any place in a's box; the gap that a search then
// finds.
double touchAnywhere(Two& t, double low, double high, RandomStream& r) {
  t.pa = {somewhere(r, 1), r.turn()};
  const Vec3 out = r.turn() * Vec3::UnitX();
  t.pb = {t.pa.toWorld(0.5 * somewhere(r, 1).cwiseProduct(t.a.bounds.size())) + out, r.turn()};
  bringTo(t, r.between(low, high), r, out);
  return t.bestGap(r);
}

}  // namespace

TEST_CASE("whatever is long or flat is felt as deep as it lies, wherever it is touched", "[slow]") {
  for (int ka = 0; ka < 8; ++ka) {
    for (int kb = ka; kb < 8; ++kb) {
      RandomStream r(23, "odd", static_cast<std::uint64_t>(8 * ka + kb));
      int touched = 0;
      for (int i = 0; i < 24; ++i) {
        const shape::Shape a = odd(r, ka), b = odd(r, kb);
        Two t{a, b, {}, {}};
        const double best = touchAnywhere(t, -0.02, 0.02, r);
        if (best > 0.03 || best < -0.06) continue;
        ++touched;
        Manifolds found;
        collide::collide(a, t.pa, b, t.pb, 0.1, found);
        CAPTURE(kOdd[ka], kOdd[kb], i, best);
        REQUIRE(found.size() == 1);
        REQUIRE(found[0].count > 0);
        const double gap = found[0].leastGap();
        CHECK(gap > best - 1e-3);  // the search climbs, and may miss the best
        if (found[0].count == 1)
          CHECK(t.gapAlong(found[0].normal) == Approx(gap).margin(1e-3));
        else if (best < 0)
          CHECK(gap < 0.5 * best + 1e-3);
      }
      CHECK(touched > 20);
    }
  }
}

TEST_CASE("whatever overlaps a box of triangles is pushed out the short way, wherever it is touched",
          "[slow]") {
  for (int k = 0; k < 8; ++k) {
    RandomStream r(29, "rims", static_cast<std::uint64_t>(k));
    int touched = 0, off = 0;
    for (int i = 0; i < 60; ++i) {
      const Vec3 size = vec3(r.between(0.3, 1.5), r.between(0.3, 1.5), r.between(0.3, 1.5));
      const shape::Shape box = shape::box(-0.5 * size, 0.5 * size), s = odd(r, k),
                         triangles = shape::surface(mesh::boxMesh(size));
      Two t{box, s, {}, {}};
      const double best = touchAnywhere(t, -0.02, 0, r);
      if (best > 0 || best < -0.06) continue;
      ++touched;
      Manifolds found;
      collide::collide(s, t.pb, triangles, t.pa, 0.1, found);
      double gap = 1;
      for (const Manifold& m : found) gap = least(gap, m.leastGap());
      CAPTURE(kOdd[k], i, best);
      CHECK(gap < 0.5 * best + 2e-3);
      off += gap < 2 * best - 2e-3;  // another face may have it as well, if it lies not far behind that
    }
    CHECK(touched > 40);
    CAPTURE(kOdd[k], off);
    // A corner that pokes into an edge, of something that hangs lower beside it, is held by both faces still.
    CHECK(off <= 2);
  }
}

TEST_CASE("every kind meets a plane at its lowest point, and a box of triangles as it meets the box",
          "[slow]") {
  const Vec3 size = vec3(1.2, 0.9, 1.5);
  const shape::Shape plane = shape::plane(Vec3::UnitY()), box = shape::box(-0.5 * size, 0.5 * size),
                     triangles = shape::surface(mesh::boxMesh(size));
  for (const shape::Kind kind : kKinds) {
    RandomStream r(11, "floors", static_cast<std::uint64_t>(kind));
    double worst_plane = 0, worst_mesh = 0;
    for (int i = 0; i < 40; ++i) {
      const shape::Shape s = randomShape(r, kind);
      Pose p{Vec3::Zero(), r.turn()};
      const double low = shape::reachAlong(s, p.turn.conjugate() * -Vec3::UnitY());
      p.position.y() = low + r.between(-0.004, 0.004);
      Manifolds found;
      collide::collide(s, p, plane, {}, 0.1, found);
      REQUIRE(found.size() == 1);
      worst_plane = greatest(worst_plane, absolute(found[0].leastGap() - (p.position.y() - low)));

      Two t{box, s, {}, {2 * (r.turn() * Vec3::UnitX()), r.turn()}};
      bringTo(t, 0.004, r);
      const auto gapWith = [&](const shape::Shape& other) {
        found.clear();
        collide::collide(s, t.pb, other, t.pa, 0.1, found);
        double gap = 1;
        for (const Manifold& m : found) gap = least(gap, m.leastGap());
        return gap;
      };
      worst_mesh = greatest(worst_mesh, absolute(gapWith(triangles) - gapWith(box)));
    }
    INFO(shape::kindName(kind));
    CHECK(worst_plane < 1e-9);
    CHECK(worst_mesh < 2e-4);
  }
}

TEST_CASE("over a flat floor of triangles every kind is pushed straight up, wherever it stands") {
  mesh::TriangleMesh floor;
  const std::uint32_t n = 12;
  for (std::uint32_t i = 0; i <= n; ++i)
    for (std::uint32_t j = 0; j <= n; ++j) floor.vertices.push_back(vec3(0.3 * i - 1.8, 0, 0.3 * j - 1.8));
  for (std::uint32_t i = 0; i < n; ++i) {
    for (std::uint32_t j = 0; j < n; ++j) {
      const std::uint32_t a = i * (n + 1) + j, b = a + n + 1;
      floor.triangles.push_back({a, a + 1, b + 1});
      floor.triangles.push_back({a, b + 1, b});
    }
  }
  const shape::Shape triangles = shape::surface(floor);
  for (const shape::Kind kind : kKinds) {
    RandomStream r(13, "flat", static_cast<std::uint64_t>(kind));
    double worst = 1;
    for (int i = 0; i < 60; ++i) {
      const shape::Shape s = randomShape(r, kind);
      Pose p{somewhere(r, 0.5), r.turn()};
      p.position.y() = shape::reachAlong(s, p.turn.conjugate() * -Vec3::UnitY()) - 0.01;
      Manifolds found;
      collide::collide(s, p, triangles, {}, 0.1, found);
      REQUIRE_FALSE(found.empty());
      for (const Manifold& m : found) worst = least(worst, -m.normal.y());
    }
    INFO(shape::kindName(kind));
    CHECK(worst > 1 - 0.5e-6);  // a thousandth of a radian counts as straight: kTilt of mesh_pairs.cc
  }
}

TEST_CASE("over one side of a roof the ridge does not push, nor does the other side") {
  const double slope = 0.3;
  mesh::TriangleMesh roof;
  for (const double x : {-3.0, 0.0, 3.0})
    for (const double z : {-3.0, 3.0}) roof.vertices.push_back(vec3(x, -slope * absolute(x), z));
  roof.triangles = {{0, 1, 3}, {0, 3, 2}, {2, 3, 5}, {2, 5, 4}};
  const shape::Shape triangles = shape::surface(roof);
  const Vec3 up = vec3(-slope, 1, 0).normalized();  // of the left side
  for (const shape::Kind kind : kKinds) {
    RandomStream r(17, "roof", static_cast<std::uint64_t>(kind));
    double worst = 1;
    int near_ridge = 0;
    for (int i = 0; i < 80; ++i) {
      const shape::Shape s = randomShape(r, kind);
      const Quat turn = r.turn();
      const double low = shape::reachAlong(s, turn.conjugate() * -up);
      const Vec3 foot = vec3(-1, -slope, 0) * r.between(0.05, 0.5);
      const Pose p{foot + up * (low - 0.002), turn};
      // Only those that lie wholly on the left of the ridge's upright plane.
      if (shape::boundsAt(s, p).high.x() > -0.01) continue;
      ++near_ridge;
      Manifolds found;
      collide::collide(s, p, triangles, {}, 0.4, found);
      REQUIRE_FALSE(found.empty());
      for (const Manifold& m : found) worst = least(worst, -m.normal.dot(up));
    }
    INFO(shape::kindName(kind) << ", " << near_ridge << " of them");
    CHECK(worst > 1 - 0.5e-6);
  }
}

TEST_CASE("directions that held pieces apart change no result, and spare most of the full tests") {
  int spared = 0, apart = 0, touching = 0;
  for (const shape::Kind ka : kKinds) {
    for (const shape::Kind kb : kKinds) {
      RandomStream r(9, "cuts", static_cast<std::uint64_t>(ka) * 16 + static_cast<std::uint64_t>(kb));
      const shape::Shape a = randomShape(r, ka), b = randomShape(r, kb);
      Pose pa{Vec3::Zero(), r.turn()}, pb{vec3(-1.6, 0.3, 0.2), r.turn()};
      std::vector<Apart> known, fresh;
      for (int i = 0; i < 200; ++i) {  // b flies past a, both tumbling
        pb.position.x() += 0.016;
        pa.turn = (turnAbout(Vec3::UnitY(), 0.02) * pa.turn).normalized();
        pb.turn = (turnAbout(Vec3::UnitZ(), 0.03) * pb.turn).normalized();
        Manifolds plain, cut;
        fresh.clear();
        collide::collide(a, pa, b, pb, 0.02, plain);
        collide::collide(a, pa, b, pb, 0.02, cut, {known, &fresh});
        REQUIRE(plain.size() == cut.size());
        for (std::size_t m = 0; m < plain.size(); ++m) {
          REQUIRE(plain[m].normal == cut[m].normal);
          REQUIRE(plain[m].count == cut[m].count);
          REQUIRE(plain[m].points[0].gap == cut[m].points[0].gap);
        }
        touching += !plain.empty();
        apart += !fresh.empty();
        spared += !known.empty() && !fresh.empty() && known[0].direction == fresh[0].direction;
        known = fresh;
      }
    }
  }
  CHECK(touching > 500);
  CHECK(apart > 500);
  CHECK(spared > 0.8 * apart);
}
