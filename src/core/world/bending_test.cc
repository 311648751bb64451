// SPDX-License-Identifier: Apache-2.0
// Driven meshes that change their form.
#include <catch2/catch.hpp>
#include <cmath>
#include <functional>

#include "../../../tests/support/stage.h"
#include "core/base/trig.h"
#include "core/measure/penetration.h"

using namespace drubble;
using drubble::test::Stage;

namespace {

// A square sheet in the xz plane, `half` from its middle to its sides.
mesh::TriangleMesh sheet(double half, std::uint32_t cells) {
  mesh::TriangleMesh m;
  for (std::uint32_t i = 0; i <= cells; ++i)
    for (std::uint32_t k = 0; k <= cells; ++k)
      m.vertices.push_back(vec3(half * (2.0 * i / cells - 1), 0, half * (2.0 * k / cells - 1)));
  for (std::uint32_t i = 0; i < cells; ++i) {
    for (std::uint32_t k = 0; k < cells; ++k) {
      const std::uint32_t a = i * (cells + 1) + k, b = a + 1, c = a + cells + 1, d = c + 1;
      m.triangles.push_back({a, b, d});
      m.triangles.push_back({a, d, c});
    }
  }
  return m;
}

// Adds a driven sheet whose vertices are put anew in each of `frames` frames; `where` gets the vertex at rest
// and the seconds since the start.
std::size_t addBending(Stage& s, const mesh::TriangleMesh& m, int frames,
                       const std::function<Vec3(const Vec3&, double)>& where) {
  s.scene.prototypes.push_back(world::surfacePrototype("sheet", m));
  world::Prototype& p = s.scene.prototypes.back();
  p.material = MaterialId(s.scene.materials.size() - 1);
  for (int f = 0; f < frames; ++f) {
    std::vector<Vec3>& now = p.bends.emplace_back();
    for (const Vec3& v : m.vertices) now.push_back(where(v, f / s.scene.fps));
  }
  world::Piece piece;
  piece.name = "sheet";
  piece.prototype = PrototypeId(s.scene.prototypes.size() - 1);
  piece.role = world::Role::Kinematic;
  s.scene.pieces.push_back(piece);
  return s.scene.pieces.size() - 1;
}

}  // namespace

TEST_CASE("a bent surface is the surface of the bent mesh") {
  const mesh::TriangleMesh flat = sheet(1, 9);
  mesh::TriangleMesh m = flat;
  for (Vec3& v : m.vertices) v += vec3(0.3 * v.z(), 0.4 * v.x() * v.x(), 0.1 * v.x());
  const shape::Shape bent = shape::bent(shape::surface(flat), m.vertices), fresh = shape::surface(m);
  CHECK(bent.bounds.low == fresh.bounds.low);
  CHECK(bent.outer_radius == fresh.outer_radius);
  CHECK(bent.surface->normals == fresh.surface->normals);
  for (const Vec3& at : {vec3(0.7, 0.2, 0.1), vec3(-0.8, 0.3, 0.9), vec3(0, 0, 0)}) {
    std::vector<std::uint32_t> a, b;
    const Box box = Box{at, at}.grown(0.15);
    bent.surface->tree.overlapping(box, a);
    fresh.surface->tree.overlapping(box, b);
    CHECK(a == b);
    CHECK_FALSE(a.empty());
  }
}

TEST_CASE("a belt that runs within itself carries a box by friction, and lets it rest when it stops") {
  Stage s;
  s.surface(0.4, 0);
  const double v = 0.8;
  addBending(s, sheet(4, 20), 25, [&](const Vec3& p, double t) { return Vec3(p + vec3(v * t, 0, 0)); });
  const std::size_t load = s.box(Vec3::Constant(0.2), vec3(0, 0.1, 0));
  s.frames(24);
  const double slide = 0.4 * 9.81, catch_up = v / slide;
  CHECK(s.position(load).x() == Approx(v * (1 - 0.5 * catch_up)).epsilon(0.02));
  CHECK(s.velocity(load).x() == Approx(v).epsilon(1e-3));
  CHECK_FALSE(s.asleep(load));
  s.frames(36);
  CHECK(s.asleep(load));
}

TEST_CASE("a floor that rises and stops throws a ball with its speed") {
  Stage s;
  s.surface(0.4, 0);
  addBending(s, sheet(1, 8), 13, [](const Vec3& p, double t) { return Vec3(p + vec3(0, 2 * t, 0)); });
  const std::size_t ball = s.sphere(0.1, vec3(0.2, 0.1, 0.1));
  s.frames(12);  // 0.5 s at 2 m/s
  CHECK(s.position(ball).y() == Approx(1.1).margin(1e-3));
  double highest = 0;
  for (int f = 0; f < 10; ++f) {
    s.frames(1);
    highest = greatest(highest, s.position(ball).y());
  }
  CHECK(highest == Approx(1.1 + 4 / (2 * 9.81)).epsilon(0.005));
}

TEST_CASE("a ball bounces off a rising surface by the speed at which they close") {
  Stage s;
  s.surface(0, 0.5);
  s.scene.gravity = Vec3::Zero();
  addBending(s, sheet(1, 8), 49, [](const Vec3& p, double t) { return Vec3(p + vec3(0, 0.5 * t, 0)); });
  const std::size_t ball = s.sphere(0.1, vec3(0.13, 1, 0.2), vec3(0, -3, 0));
  s.frames(24);
  CHECK(s.velocity(ball).y() == Approx(0.5 + 0.5 * 3.5).epsilon(1e-3));
}

TEST_CASE("a turning sheet drags what lies on it as a turning body does") {
  std::array<Vec3, 2> end;
  const double rate = 1.2;
  for (const bool bends : {false, true}) {
    Stage s;
    s.surface(0.5, 0);
    const mesh::TriangleMesh m = sheet(1.5, 12);
    const auto turned = [&](const Vec3& p, double t) { return Vec3(turnAbout(Vec3::UnitY(), rate * t) * p); };
    const std::size_t floor = addBending(s, m, 49, turned);
    if (!bends) {
      s.scene.prototypes.back().bends.clear();
      world::Mover mover;
      mover.piece = PieceId(floor);
      mover.path.turn.keys = {{1, Vec3::Zero()}, {49, vec3(0, 2 * rate, 0)}};
      s.scene.movers.push_back(mover);
    }
    const std::size_t load = s.box(Vec3::Constant(0.2), vec3(0.6, 0.1, 0.1));
    s.frames(48);
    end[bends] = s.position(load);
    CHECK(s.world().motion().spin[load].y() == Approx(rate).epsilon(0.02));
  }
  CHECK((end[0] - end[1]).norm() < 0.02);
}

TEST_CASE("a wave runs under a crowd: none falls through, none sinks in, and restoring changes no bit") {
  Stage s;
  s.surface(0.5, 0.2);
  const auto wave = [](const Vec3& p, double t) {
    const double rim = 0.3 * p.x() * p.x() * p.x() * p.x() + 0.3 * p.z() * p.z() * p.z() * p.z();
    return vec3(p.x(), 0.12 * sinCos(4 * p.x() - 9 * t).sin * least(1, 4 * t) + rim, p.z());
  };
  addBending(s, sheet(1.4, 28), 60, wave);
  for (int i = 0; i < 4; ++i) {
    s.sphere(0.09, vec3(-0.6 + 0.4 * i, 0.25, -0.3));
    s.box(Vec3::Constant(0.16), vec3(-0.6 + 0.4 * i, 0.25, 0.1));
  }
  measure::PenetrationMeter meter;
  world::World again(s.scene);
  world::Watcher watcher;
  for (int f = 0; f < 48; ++f) {
    const Bytes saved = again.save();
    world::World fresh(s.scene);
    fresh.restore(saved);
    fresh.advance(watcher);
    again.advance(watcher);
    s.frames(1);
    REQUIRE(fresh.digest() == s.world().digest());
    REQUIRE(again.digest() == s.world().digest());
    CHECK(meter.measure(s.world()).worst_share < 0.05);
  }
  for (std::size_t i = 1; i < s.scene.pieces.size(); ++i) {
    const Vec3 p = s.position(i);
    CHECK(p.y() > wave(p, 2).y());
  }
}

TEST_CASE("forms go straight from one frame to the next, and are kept before the first and after the last") {
  world::Prototype p = world::surfacePrototype("sheet", sheet(1, 1));
  p.bends_from = 5;
  for (const double height : {0.0, 1.0, 4.0}) {
    std::vector<Vec3>& form = p.bends.emplace_back(p.mesh.vertices);
    for (Vec3& v : form) v.y() = height;
  }
  for (const auto& [frame, height] :
       {std::pair(1.0, 0.0), {5.0, 0.0}, {5.25, 0.25}, {6.0, 1.0}, {6.5, 2.5}, {7.0, 4.0}, {30.0, 4.0}}) {
    for (const Vec3& v : world::verticesAt(p, frame)) CHECK(v.y() == Approx(height).margin(1e-12));
  }
  p.bends.resize(1);
  CHECK(world::verticesAt(p, 9)[0].y() == 0);
}

TEST_CASE("a belt on a moving cart carries by both motions together, and copies of one belt bend alike") {
  Stage s;
  s.surface(0.8, 0);
  const mesh::TriangleMesh m = sheet(3, 12);
  const std::size_t cart =
      addBending(s, m, 97, [](const Vec3& p, double t) { return Vec3(p + vec3(0.4 * t, 0, 0)); });
  world::Mover mover;
  mover.piece = PieceId(cart);
  mover.path.at.keys = {{1, Vec3::Zero()}, {97, vec3(0, 0, 2)}};
  s.scene.movers.push_back(mover);
  s.scene.pieces.push_back(s.scene.pieces[cart]);
  s.scene.pieces.back().name = "other";
  s.scene.pieces.back().start.position = vec3(0, 5, 0);
  const std::size_t on_cart = s.box(Vec3::Constant(0.2), vec3(0, 0.1, 0));
  const std::size_t on_other = s.box(Vec3::Constant(0.2), vec3(0, 5.1, 0));
  s.frames(72);
  CHECK((s.velocity(on_cart) - vec3(0.4, 0, 0.5)).norm() < 2e-3);
  CHECK((s.velocity(on_other) - vec3(0.4, 0, 0)).norm() < 2e-3);
}

TEST_CASE("a sleeper wakes when the sheet under it begins to bend") {
  Stage s;
  s.surface(0.5, 0);
  addBending(s, sheet(1, 8), 61,
             [](const Vec3& p, double t) { return Vec3(p + vec3(0, t > 1.9 ? 0.5 * (t - 1.9) : 0, 0)); });
  const std::size_t load = s.box(Vec3::Constant(0.2), vec3(0, 0.1, 0));
  s.frames(44);
  CHECK(s.asleep(load));
  s.frames(16);
  CHECK_FALSE(s.asleep(load));
  CHECK(s.position(load).y() == Approx(0.1 + 0.5 * (2.5 - 1.9)).margin(5e-3));
}
