// SPDX-License-Identifier: Apache-2.0
#include "core/collide/pairs.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "core/base/random.h"
#include "core/collide/broad.h"
#include "core/collide/closest.h"
#include "core/collide/separation.h"

using namespace drubble;
using namespace drubble::collide;

namespace {

Vec3 randomPoint(RandomStream& r, double range) {
  return vec3(r.between(-range, range), r.between(-range, range), r.between(-range, range));
}

shape::Shape randomConvex(RandomStream& r) {
  std::vector<Vec3> points;
  const int n = 8 + static_cast<int>(r.between(0, 20));
  for (int i = 0; i < n; ++i) points.push_back(randomPoint(r, 0.5));
  return shape::convex(points);
}

// How far apart the bodies are along n (negative: how deep they overlap).
double gapAlong(const shape::Polyhedron& a, const Pose& pa, const shape::Polyhedron& b, const Pose& pb,
                const Vec3& n) {
  double top = -1e9, low = 1e9;
  for (const Vec3& v : a.vertices) top = greatest(top, n.dot(pa.toWorld(v)));
  for (const Vec3& v : b.vertices) low = least(low, n.dot(pb.toWorld(v)));
  return low - top;
}

// The best direction by climbing from many random ones.
double bestGap(const shape::Polyhedron& a, const Pose& pa, const shape::Polyhedron& b, const Pose& pb,
               RandomStream& r) {
  double best = -1e9;
  for (int start = 0; start < 40; ++start) {
    Vec3 n = r.turn() * Vec3::UnitX();
    double gap = gapAlong(a, pa, b, pb, n), step = 0.5;
    for (int i = 0; i < 220; ++i) {
      const Vec3 m = (n + step * randomPoint(r, 1)).normalized();
      const double g = gapAlong(a, pa, b, pb, m);
      if (g > gap)
        gap = g, n = m;
      else
        step *= 0.96;
    }
    best = greatest(best, gap);
  }
  return best;
}

}  // namespace

TEST_CASE("the separating axis test finds the direction that a search over directions finds") {
  RandomStream r(11, "convex");
  int overlapping = 0, apart = 0;
  for (int i = 0; i < 60; ++i) {
    const shape::Shape a = randomConvex(r), b = randomConvex(r);
    const Pose pa{randomPoint(r, 0.1), r.turn()}, pb{randomPoint(r, 0.55), r.turn()};
    const Axis axis = leastOverlap(sideOf(*a.convex), sideOf(*b.convex), relative(pb, pa), 1e9, 0);
    REQUIRE(axis.kind != AxisKind::None);
    const Vec3 n = pa.turn * axis.normal;
    CHECK(gapAlong(*a.convex, pa, *b.convex, pb, n) == Approx(axis.gap).margin(1e-9));
    const double searched = bestGap(*a.convex, pa, *b.convex, pb, r);
    // Overlapping: the axes tested hold the best. Apart: a corner may face a corner, which has no axis of its
    // own.
    if (axis.gap < 0) {
      ++overlapping;
      CHECK(searched <= axis.gap + 1e-9);
      CHECK(searched >= axis.gap - 0.02);
    } else {
      ++apart;
      CHECK(searched > 0);
    }
  }
  CHECK(overlapping > 10);
  CHECK(apart > 10);
}

TEST_CASE("the nearest points of bodies apart are as near as any two of their triangles (brute force)") {
  RandomStream r(17, "closest");
  int apart = 0;
  for (int i = 0; i < 60; ++i) {
    const shape::Shape a = randomConvex(r), b = randomConvex(r);
    const Pose pa{Vec3::Zero(), r.turn()}, pb{randomPoint(r, 1.2), r.turn()};
    const Closest c =
        closestPoints(sideOf(*a.convex), sideOf(*b.convex), relative(pb, pa), Vec3::UnitX(), 10);
    const mesh::TriangleMesh ma = shape::meshOf(*a.convex),
                             mb = mesh::transformed(shape::meshOf(*b.convex), Vec3::Ones(),
                                                    {pa.toBody(pb.position), pa.turn.conjugate() * pb.turn});
    // Nearest: a corner to a triangle, or an edge to an edge; edges are sampled finely.
    double nearest = 1e9;
    const auto against = [&](const mesh::TriangleMesh& x, const mesh::TriangleMesh& y) {
      for (const mesh::Triangle& t : x.triangles)
        for (std::size_t k = 0; k < 3; ++k)
          for (int s = 0; s <= 40; ++s) {
            const Vec3 p = x.vertices[t[k]] + (x.vertices[t[(k + 1) % 3]] - x.vertices[t[k]]) * (s / 40.0);
            for (const mesh::Triangle& u : y.triangles)
              nearest = least(
                  nearest,
                  (mesh::nearestOnTriangle(p, y.vertices[u[0]], y.vertices[u[1]], y.vertices[u[2]]).point - p)
                      .norm());
          }
    };
    against(ma, mb);
    against(mb, ma);
    if (!c.apart) {
      CHECK(leastOverlap(sideOf(*a.convex), sideOf(*b.convex), relative(pb, pa), 10, 0).gap <= 1e-9);
      continue;
    }
    ++apart;
    CHECK(c.distance <= nearest + 1e-9);
    CHECK(c.distance >= nearest - 0.0217);  // half the samples' spacing on the longest edge
    CHECK((c.on_a - c.on_b).norm() == Approx(c.distance));
    // The plane square to the line between the points holds them apart.
    CHECK(gapAlong(*a.convex, pa, *b.convex, pb, pa.turn * ((c.on_b - c.on_a) / c.distance)) ==
          Approx(c.distance).margin(1e-7));
  }
  CHECK(apart > 15);
}

TEST_CASE(
    "a convex pair's deepest point is as deep as the axis says, and the other way round gives the same") {
  RandomStream r(12, "patch");
  int touching = 0;
  for (int i = 0; i < 200; ++i) {
    const shape::Shape a = randomConvex(r), b = randomConvex(r);
    const Pose pa{Vec3::Zero(), r.turn()}, pb{randomPoint(r, 0.6), r.turn()};
    Manifolds ab, ba;
    collide::collide(a, pa, b, pb, 0, ab);
    collide::collide(b, pb, a, pa, 0, ba);
    REQUIRE(ab.size() == ba.size());
    if (ab.empty()) continue;
    ++touching;
    const double gap = gapAlong(*a.convex, pa, *b.convex, pb, ab[0].normal);
    CHECK(ab[0].leastGap() <= 0);
    CHECK(ab[0].leastGap() >= gap - 1e-9);
    CHECK(ab[0].leastGap() == Approx(ba[0].leastGap()).margin(2e-4));
    CHECK(ab[0].normal.norm() == Approx(1));
  }
  CHECK(touching > 40);
}

TEST_CASE("a box on a box touches at four corners with the true gap") {
  const shape::Shape a = shape::convex(mesh::boxMesh(vec3(1, 1, 1)).vertices),
                     b = shape::convex(mesh::boxMesh(vec3(0.4, 0.2, 0.6)).vertices);
  for (const double gap : {-0.01, 0.0, 0.02}) {
    Manifolds m;
    collide::collide(a, {}, b, {vec3(0.1, 0.6 + gap, 0.05), Quat::Identity()}, 0.05, m);
    REQUIRE(m.size() == 1);
    CHECK(m[0].count == 4);
    CHECK((m[0].normal - Vec3::UnitY()).norm() < 1e-12);
    for (int i = 0; i < 4; ++i)
      CHECK(m[0].points[static_cast<std::size_t>(i)].gap == Approx(gap).margin(1e-12));
  }
}

TEST_CASE("crossed edges touch in one point between them") {
  const shape::Shape box = shape::convex(mesh::boxMesh(Vec3::Ones()).vertices);
  const Pose lower{Vec3::Zero(), turnXyz(vec3(0, 0, std::atan(1.0)))},
      upper{vec3(0, std::sqrt(2.0) - 0.01, 0), turnXyz(vec3(std::atan(1.0), 0, 0))};
  Manifolds m;
  collide::collide(box, lower, box, upper, 0.05, m);
  REQUIRE(m.size() == 1);
  CHECK(m[0].count == 1);
  CHECK(m[0].points[0].gap == Approx(-0.01).margin(1e-9));
  CHECK((m[0].points[0].position - vec3(0, std::sqrt(0.5) - 0.005, 0)).norm() < 1e-9);
}

// Apart or sunk into each other by little, casks meet as what they are: smooth.
TEST_CASE("casks that cross, and one that comes down on its rim, meet where their smooth skins do") {
  const shape::Shape cask = shape::cylinder(0.4, 1, Vec3::UnitY());
  RandomStream r(5, "casks");
  for (const double gap : {0.004, 0.0005, -0.0005}) {
    for (int i = 0; i < 20; ++i) {
      // Axes that cross at some angle, at places well within both; the whole turned any way.
      const Pose world{randomPoint(r, 1), r.turn()};
      const double angle = r.between(0.3, 2.8);
      const Pose first{vec3(0, r.between(-0.3, 0.3), 0), turnXyz(vec3(0, r.between(0, 6), 0))};
      const Pose second{vec3(0.8 + gap, 0, 0), turnXyz(vec3(angle, 0, 0))};
      const auto put = [&](const Pose& p) {
        return Pose{world.toWorld(p.position), (world.turn * p.turn).normalized()};
      };
      Manifolds m;
      collide::collide(cask, put(first), cask, put(second), 0.01, m);
      CAPTURE(gap, i, angle);
      REQUIRE(m.size() == 1);
      REQUIRE(m[0].count == 1);
      CHECK(m[0].points[0].gap == Approx(gap).margin(1e-6));
      CHECK((m[0].normal - world.turn * Vec3::UnitX()).norm() < 1e-3);
      CHECK((m[0].points[0].position - world.toWorld(vec3(0.4 + 0.5 * gap, 0, 0))).norm() < 1e-3);
    }
    // A cask that leans comes down on a slab with the lowest place of its rim.
    const double lean = 0.4;
    const double rim = 0.5 * std::cos(lean) + 0.4 * std::sin(lean);  // below its middle
    const shape::Shape slab = shape::box(vec3(-2, -0.5, -2), vec3(2, 0, 2));
    const Pose leaning{vec3(0, rim + gap, 0), turnXyz(vec3(0, 0, lean)) * turnXyz(vec3(0, 1, 0))};
    Manifolds m;
    collide::collide(cask, leaning, slab, {}, 0.01, m);
    CAPTURE(gap);
    REQUIRE(m.size() == 1);
    CHECK(m[0].leastGap() == Approx(gap).margin(1e-6));
    CHECK((m[0].normal + Vec3::UnitY()).norm() < 1e-6);
  }
}

TEST_CASE("a ball and a convex body are as far apart as the nearest of the body's triangles") {
  RandomStream r(13, "ball");
  for (int i = 0; i < 400; ++i) {
    const shape::Shape ball = shape::sphere(0.2), body = randomConvex(r);
    const Pose at{randomPoint(r, 1), r.turn()}, pb{randomPoint(r, 0.1), r.turn()};
    const mesh::TriangleMesh m = shape::meshOf(*body.convex);
    const Vec3 c = pb.toBody(at.position);
    double nearest = 1e9, highest = -1e9;
    for (const mesh::Triangle& t : m.triangles)
      nearest =
          least(nearest,
                (mesh::nearestOnTriangle(c, m.vertices[t[0]], m.vertices[t[1]], m.vertices[t[2]]).point - c)
                    .norm());
    for (const shape::Face& f : body.convex->faces) highest = greatest(highest, f.normal.dot(c) - f.offset);
    const double expected = (highest > 0 ? nearest : highest) - 0.2;
    Manifolds found;
    collide::collide(ball, at, body, pb, 10, found);
    REQUIRE(found.size() == 1);
    CHECK(found[0].points[0].gap == Approx(expected).margin(1e-9));
  }
}

TEST_CASE("a ball meets a mesh where the nearest triangle is") {
  const mesh::TriangleMesh m = mesh::transformed(mesh::sphereMesh(1, 10), vec3(1, 0.7, 1.3), {});
  const shape::Shape surface = shape::surface(m), ball = shape::sphere(0.15);
  RandomStream r(14, "mesh");
  int met = 0;
  for (int i = 0; i < 600; ++i) {
    const Pose at{randomPoint(r, 1.4), Quat::Identity()};
    double nearest = 1e9;
    for (const mesh::Triangle& t : m.triangles)
      nearest = least(
          nearest,
          (mesh::nearestOnTriangle(at.position, m.vertices[t[0]], m.vertices[t[1]], m.vertices[t[2]]).point -
           at.position)
              .norm());
    Manifolds found;
    collide::collide(ball, at, surface, {}, 0.05, found);
    CHECK(found.empty() == (nearest > 0.2));
    if (found.empty()) continue;
    ++met;
    double least_gap = 1e9;
    for (const Manifold& p : found) least_gap = least(least_gap, p.leastGap());
    CHECK(least_gap == Approx(nearest - 0.15).margin(1e-9));
  }
  CHECK(met > 50);
}

TEST_CASE("a box on a flat triangulated floor touches at its corners, with the floor's normal") {
  mesh::TriangleMesh floor;
  const int n = 12;
  for (int i = 0; i <= n; ++i)
    for (int j = 0; j <= n; ++j) floor.vertices.push_back(vec3(0.17 * (i - n / 2), 0, 0.17 * (j - n / 2)));
  const auto at = [&](int i, int j) { return static_cast<std::uint32_t>(i * (n + 1) + j); };
  for (int i = 0; i < n; ++i) {
    for (int j = 0; j < n; ++j) {
      floor.triangles.push_back({at(i, j), at(i, j + 1), at(i + 1, j + 1)});
      floor.triangles.push_back({at(i, j), at(i + 1, j + 1), at(i + 1, j)});
    }
  }
  const shape::Shape surface = shape::surface(floor),
                     box = shape::convex(mesh::boxMesh(vec3(0.5, 0.2, 0.3)).vertices);
  RandomStream r(15, "floor");
  for (int i = 0; i < 100; ++i) {
    const double depth = r.between(-0.005, 0.003);
    const Pose pose{vec3(r.between(-0.4, 0.4), 0.1 - depth, r.between(-0.4, 0.4)),
                    turnXyz(vec3(0, r.between(-3, 3), 0))};
    Manifolds found;
    collide::collide(box, pose, surface, {}, 0.01, found);
    REQUIRE(found.size() == 1);
    CHECK((found[0].normal + Vec3::UnitY()).norm() < 1e-9);
    CHECK(found[0].count == 4);
    CHECK(found[0].leastGap() == Approx(-depth).margin(1e-9));
    // From below it is felt just the same.
    Pose under = pose;
    under.position.y() = -pose.position.y();
    found.clear();
    collide::collide(box, under, surface, {}, 0.01, found);
    REQUIRE(found.size() == 1);
    CHECK((found[0].normal - Vec3::UnitY()).norm() < 1e-9);
  }
}

TEST_CASE("overlapping boxes are found, static pairs are not (brute force)") {
  RandomStream r(16, "boxes");
  std::vector<Box> boxes;
  std::vector<BoxKind> kinds;
  for (int i = 0; i < 300; ++i) {
    const Vec3 low = randomPoint(r, 5);
    boxes.push_back({low, low + vec3(r.between(0.1, 1.5), r.between(0.1, 1.5), r.between(0.1, 1.5))});
    kinds.push_back(i % 7 == 0 ? BoxKind::Ignored : i % 3 == 0 ? BoxKind::Static : BoxKind::Moving);
  }
  std::vector<std::pair<std::uint32_t, std::uint32_t>> expected;
  for (std::uint32_t i = 0; i < boxes.size(); ++i)
    for (std::uint32_t j = i + 1; j < boxes.size(); ++j)
      if (boxes[i].overlaps(boxes[j]) && kinds[i] != BoxKind::Ignored && kinds[j] != BoxKind::Ignored &&
          (kinds[i] == BoxKind::Moving || kinds[j] == BoxKind::Moving))
        expected.emplace_back(i, j);
  CHECK(overlappingPairs(boxes, kinds) == expected);
  CHECK(expected.size() > 50);
}

namespace {

shape::Shape boxOf(const Vec3& size) { return shape::box(-0.5 * size, 0.5 * size); }

}  // namespace

TEST_CASE("a patch cut anew against the same face is what a new look finds, as long as little has changed") {
  RandomStream r(41, "clip");
  int again = 0, refused = 0;
  for (int n = 0; n < 400; ++n) {
    const shape::Shape a = boxOf(vec3(r.between(0.3, 1), 0.4, r.between(0.3, 1)));
    const shape::Shape b = boxOf(vec3(r.between(0.3, 1), 0.4, r.between(0.3, 1)));
    const Pose pose_a{randomPoint(r, 1), r.turn()};
    Pose on{vec3(r.between(-0.2, 0.2), 0.4 - r.between(-1e-4, 2e-3), r.between(-0.2, 0.2)),
            turnAbout(Vec3::UnitY(), r.between(-3, 3))};
    Manifolds first;
    collide::collide(a, pose_a, b, pose_a * on, 0.01, first);
    if (first.size() != 1 || first[0].face_of == FaceOf::Neither) continue;
    on.position += randomPoint(r, 1e-3);
    on.turn = turnAbout(randomPoint(r, 1).normalized(), r.between(0, 2e-3)) * on.turn;
    const Pose pose_b = pose_a * on;
    Manifold m = first[0];
    if (!clipAgain(a, pose_a, b, pose_b, 0.01, m)) {
      ++refused;
      continue;
    }
    ++again;
    Manifolds found;
    collide::collide(a, pose_a, b, pose_b, 0.01, found);
    REQUIRE(found.size() == 1);
    // Of two faces that are nearly parallel either may be chosen.
    CHECK(m.normal.dot(found[0].normal) > 1 - 1e-5);
    CHECK(m.leastGap() == Approx(found[0].leastGap()).margin(3e-4));
    CHECK(m.count >= 3);
  }
  CHECK(again > 200);
  CHECK(refused < 150);
}

TEST_CASE("a patch is not cut anew where the face no longer tells all, or the two are no hulls") {
  const shape::Shape box = boxOf(Vec3::Ones()), ball = shape::sphere(0.5);
  Manifolds found;
  const Pose low, high{vec3(0, 1, 0), Quat::Identity()};
  collide::collide(box, low, box, high, 0.01, found);
  REQUIRE(found.size() == 1);
  REQUIRE(found[0].count == 4);
  Manifold m = found[0];
  CHECK(clipAgain(box, low, box, high, 0.01, m));
  CHECK(m.leastGap() == Approx(0).margin(1e-12));
  m = found[0];
  CHECK_FALSE(clipAgain(box, low, box, {vec3(0.9995, 1, 0), Quat::Identity()}, 0.01, m));  // over an edge
  m = found[0];
  CHECK_FALSE(clipAgain(box, low, box, {vec3(0, 1.005, 0), Quat::Identity()}, 0.01, m));  // it hovers
  m = found[0];
  CHECK_FALSE(
      clipAgain(box, low, box, {vec3(0, 1.2, 0), turnAbout(Vec3::UnitX(), 0.5)}, 0.3, m));  // on an edge
  m = found[0];
  CHECK_FALSE(clipAgain(box, low, ball, high, 0.01, m));
}
