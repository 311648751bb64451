// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>

#include "core/base/random.h"
#include "core/collide/pairs.h"
#include "core/measure/fit.h"
#include "core/place/layout.h"
#include "core/place/room.h"

using namespace drubble;
using namespace drubble::place;

TEST_CASE("a grid is centred on its base, rises along up, and turns as a whole") {
  for (const bool z_up : {false, true}) {
    LayoutSpec g;
    g.name = "g";
    g.count = {3, 2, 4};
    g.spacing = vec3(1, 2, 0.5);
    g.choices = {{1, {1}}};
    g.up = z_up ? Vec3::UnitZ() : Vec3::UnitY();
    g.base.position = vec3(10, 20, 30);
    const std::vector<Copy> copies = layOut(g);
    REQUIRE(copies.size() == 24);
    Box box;
    for (const Copy& c : copies) box.add(c.pose.position);
    const Vec3 low = z_up ? vec3(9, 19, 30.25) : vec3(9, 21, 29.25),
               high = z_up ? vec3(11, 21, 31.75) : vec3(11, 23, 30.75);
    CHECK((box.low - low).norm() < 1e-12);
    CHECK((box.high - high).norm() < 1e-12);
    CHECK((copies[1].pose.position - copies[0].pose.position - vec3(1, 0, 0)).norm() < 1e-12);
  }
}

TEST_CASE("what varies stays within its bounds, and one cell does not change another") {
  LayoutSpec g;
  g.name = "g";
  g.seed = 5;
  g.count = {6, 6, 6};
  g.choices = {{1, {1}}, {2, {1}}};
  g.vary_at = vec3(0.1, 0, 0.3);
  LayoutSpec plain = g;
  plain.vary_at.setZero();
  const std::vector<Copy> varied = layOut(g), straight = layOut(plain);
  Vec3 most = Vec3::Zero();
  for (std::size_t i = 0; i < varied.size(); ++i) {
    most = most.cwiseMax((varied[i].pose.position - straight[i].pose.position).cwiseAbs());
    CHECK(varied[i].choice == straight[i].choice);
  }
  CHECK((most.x() <= 0.1 && most.x() > 0.08));
  CHECK(most.y() < 1e-12);
  CHECK((most.z() <= 0.3 && most.z() > 0.25));
}

TEST_CASE("room: what would overlap is found, whoever is large or small (brute force)") {
  RandomStream r(6, "room");
  std::vector<shape::Shape> shapes;
  std::vector<Pose> poses;
  for (int i = 0; i < 150; ++i) {
    const double size = i % 20 == 0 ? 3.0 : r.between(0.05, 0.4);
    shapes.push_back(i % 2 == 0 ? shape::sphere(size)
                                : shape::convex(mesh::boxMesh(Vec3::Constant(size)).vertices));
    poses.push_back({vec3(r.between(-6, 6), r.between(-6, 6), r.between(-6, 6)), r.turn()});
  }
  Room room(0.8);
  for (std::size_t i = 0; i < shapes.size(); ++i) {
    int expected = -1;
    for (std::size_t j = 0; j < i && expected < 0; ++j)
      if (collide::overlapDepth(shapes[i], poses[i], shapes[j], poses[j]) > 1e-6)
        expected = static_cast<int>(j);
    CHECK(room.blockedBy(shapes[i], poses[i], 1e-6) == expected);
    room.add(shapes[i], poses[i]);
  }
}

namespace {

// An open box: outer size 1, walls 0.1, no lid.
mesh::TriangleMesh openBox() {
  mesh::TriangleMesh m = mesh::boxMesh(Vec3::Ones());
  const mesh::TriangleMesh hollow = mesh::transformed(mesh::boxMesh(vec3(0.8, 0.9, 0.8)), Vec3::Ones(),
                                                      {vec3(0, 0.05, 0), Quat::Identity()});
  // The lid's two triangles of both boxes go; a rim joins the two squares.
  const auto open = [](const mesh::TriangleMesh& box, bool flip, std::uint32_t base,
                       std::vector<mesh::Triangle>& out) {
    for (const mesh::Triangle& t : box.triangles) {
      int top = 0;
      for (const std::uint32_t v : t) top += (v & 2) != 0;
      if (top == 3) continue;
      out.push_back(flip ? mesh::Triangle{t[0] + base, t[2] + base, t[1] + base}
                         : mesh::Triangle{t[0] + base, t[1] + base, t[2] + base});
    }
  };
  std::vector<mesh::Triangle> triangles;
  open(m, false, 0, triangles);
  open(hollow, true, 8, triangles);
  m.vertices.insert(m.vertices.end(), hollow.vertices.begin(), hollow.vertices.end());
  const std::uint32_t ring[4] = {2, 6, 7, 3};
  for (std::size_t k = 0; k < 4; ++k) {
    const std::uint32_t a = ring[k], b = ring[(k + 1) % 4];
    triangles.push_back({a, b, b + 8});
    triangles.push_back({a, b + 8, a + 8});
  }
  m.triangles = triangles;
  return m;
}

}  // namespace

TEST_CASE("a hull plugs an open box, its own triangles do not; a solid box has nothing to plug", "[slow]") {
  const mesh::TriangleMesh cup = openBox();
  REQUIRE(mesh::closedness(cup).closed());
  const double hollow = 0.8 * 0.9 * 0.8;
  const measure::Fit plugged = measure::cavityFit(cup, shape::convex(cup.vertices), 200000);
  CHECK(plugged.hollow == Approx(hollow).margin(0.03));
  CHECK(plugged.plugged == Approx(1));
  const measure::Fit free = measure::cavityFit(cup, shape::surface(cup), 200000);
  CHECK(free.hollow == Approx(hollow).margin(0.03));
  CHECK(free.plugged == 0);
  const measure::Fit ball = measure::cavityFit(cup, shape::sphere(0.3));
  CHECK(ball.plugged == Approx(4.0 / 3 * 3.14159 * 0.027 / hollow).margin(0.03));
  const mesh::TriangleMesh solid = mesh::boxMesh(Vec3::Ones());
  CHECK(measure::cavityFit(solid, shape::convex(solid.vertices)).hollow < 0.01);
}
