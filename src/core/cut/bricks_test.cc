// SPDX-License-Identifier: Apache-2.0
#include "core/cut/bricks.h"

#include <limits>

#include "core/cut/pieces_check.h"

using namespace drubble;
using namespace drubble::cut;

namespace {

Bricks brick(double length, double height, double depth) {
  Bricks out;
  out.length = length;
  out.height = height;
  out.depth = depth;
  return out;
}

Cut bricks(const mesh::TriangleMesh& m, const Bricks& how) {
  Assembly wall(m);
  std::vector<Made> made;
  const std::vector<std::uint32_t> order = intoBricks(wall, 0, how, 1e-4, made);
  // Made again, step by step, it is the same.
  Assembly again(m);
  std::vector<std::uint32_t> parts;
  for (const Made& x : made) {
    parts = again.again(x.piece, x.sites, x.how);
    REQUIRE(parts.size() == x.parts.size());
    for (std::size_t k = 0; k < parts.size(); ++k) {
      REQUIRE(parts[k] == x.parts[k].piece);
      CHECK((mesh::massProperties(again.piece(parts[k]).mesh).centre - x.parts[k].centre).norm() < 1e-12);
    }
  }
  return wall.finished(order);
}

}  // namespace

TEST_CASE("a wall in courses: whole bricks, half ones at the ends, joints that do not run through") {
  const mesh::TriangleMesh wall = mesh::boxMesh(vec3(2, 0.4, 0.2));
  const Cut cut = bricks(wall, brick(0.4, 0.1, 0));
  checkCut(wall, cut);
  REQUIRE(cut.pieces.size() == 2 * 5 + 2 * 6);
  CHECK(bricksIn(wall, brick(0.4, 0.1, 0)) == Approx(22));
  std::size_t halves = 0;
  for (const Piece& p : cut.pieces) {
    const Vec3 size = p.mesh.bounds().size();
    CHECK(size.y() == Approx(0.1));
    CHECK(size.z() == Approx(0.2));
    CHECK((absolute(size.x() - 0.4) < 1e-6 || absolute(size.x() - 0.2) < 1e-6));
    halves += size.x() < 0.3;
  }
  CHECK(halves == 4);
  // Of one course to the next: each brick lies on two, half ones on one.
  std::size_t beds = 0;
  for (const Interface& i : cut.interfaces) beds += absolute(i.normal.y()) > 0.5;
  CHECK(beds == 3 * 10);
}

TEST_CASE("a flue whose walls are a brick thick comes in whole bricks, none with a film round a corner") {
  // A square tube, four bricks wide, its walls in line with the joints.
  mesh::TriangleMesh flue;
  const double out = 0.45, in = 0.225, high = 0.3;
  for (const auto& [y, w] : {std::pair{0.0, out}, {high, out}, {high, in}, {0.0, in}})
    for (const auto& [x, z] : {std::pair{1, 1}, {1, -1}, {-1, -1}, {-1, 1}})
      flue.vertices.push_back(vec3(x * w, y, z * w));
  for (std::uint32_t k = 0; k < 4; ++k) {
    for (std::uint32_t s = 0; s < 4; ++s) {
      const std::uint32_t next = (s + 1) % 4, above = (4 * k + 4) % 16;
      flue.triangles.push_back({4 * k + s, 4 * k + next, above + next});
      flue.triangles.push_back({4 * k + s, above + next, above + s});
    }
  }
  Bricks how = brick(0.225, 0.075, 0.225);
  const Cut cut = bricks(flue, how);
  checkCut(flue, cut);
  CHECK(cut.pieces.size() == 2 * 12 + 2 * 18);  // shifted: 5 in either end, 4 in each row between
  for (const Piece& p : cut.pieces) {
    const Vec3 size = p.mesh.bounds().size();
    INFO(p.mesh.bounds().low.transpose() << " to " << p.mesh.bounds().high.transpose());
    CHECK(size.prod() == Approx(mesh::massProperties(p.mesh).volume).epsilon(1e-4));
  }
}

TEST_CASE("bricks out of every solid close, fill and fit") {
  for (const Named& s : solids()) {
    INFO(s.name);
    const Vec3 size = s.mesh.bounds().size();
    checkCut(s.mesh, bricks(s.mesh, brick(size.x() / 3.3, size.y() / 4, size.z() / 2)));
    Bricks lying = brick(size.y() / 3, size.z() / 3, 0);
    lying.up = Vec3::UnitZ();
    lying.along = Vec3::UnitY();
    checkCut(s.mesh, bricks(s.mesh, lying));
  }
}

TEST_CASE("room between bricks is as wide as asked, and the skin stays where it is") {
  const mesh::TriangleMesh wall = mesh::boxMesh(vec3(2, 0.4, 0.2));
  const Room room = withRoom(bricks(wall, brick(0.4, 0.1, 0)), 0.01);
  CHECK(room.lost == 0);
  REQUIRE(room.cut.pieces.size() == 22);
  CHECK(room.cut.interfaces.empty());
  double sum = 0;
  Box all;
  for (const Piece& p : room.cut.pieces) {
    CHECK(mesh::closedness(p.mesh).closed());
    sum += volumeOf(p.mesh);
    all.add(p.mesh.bounds());
  }
  CHECK(sum + room.cut.taken == Approx(volumeOf(wall)));
  CHECK((all.size() - vec3(2, 0.4, 0.2)).norm() < 1e-12);
  const Box a = room.cut.pieces[0].mesh.bounds(), b = room.cut.pieces[1].mesh.bounds();
  CHECK(b.low.x() - a.high.x() == Approx(0.01).epsilon(1e-4));
  CHECK(a.low.y() == Approx(-0.2));
  CHECK(a.high.y() == Approx(-0.105).epsilon(1e-5));
}

TEST_CASE("pieces thinner than the room are lost, and told") {
  const mesh::TriangleMesh m = mesh::boxMesh(vec3(1, 1, 1));
  How all;
  all.slivers = 0;
  const std::vector<Vec3> sites = {vec3(-0.3, 0, 0), vec3(0, 0, 0), vec3(0.01, 0, 0), vec3(0.3, 0, 0)};
  const Room room = withRoom(cutIntoCells(m, sites, all), 0.4);  // 0.35, 0.155, 0.15 and 0.345 wide
  CHECK(room.lost == 2);
  REQUIRE(room.cut.pieces.size() == 2);
  CHECK(room.cut.pieces[0].mesh.bounds().size().x() == Approx(0.15).epsilon(1e-4));
}
