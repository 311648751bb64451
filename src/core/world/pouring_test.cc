// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>
#include <cmath>

#include "../../../tests/support/stage.h"
#include "core/base/trig.h"
#include "core/place/room.h"
#include "core/world/prototypes.h"

namespace drubble::world {

namespace {

using test::Stage;

// Balls of 0.1 m across from a disc 3 m up, `count` of them evenly over frames 1 to 25.
Pour& pourBalls(Stage& s, int count, double radius = 0.05) {
  const PrototypeId ball(s.scene.prototypes.size());
  s.scene.prototypes.push_back(spherePrototype("ball", radius, 1000));
  s.scene.prototypes.back().material = MaterialId(0);
  Pour& p = s.scene.pours.emplace_back();
  p.name = "balls";
  p.seed = 3;
  p.source.kind = place::SourceKind::Disc;
  p.source.at = Vec3(0, 3, 0);
  p.source.radius = 0.4;
  p.source.direction = -Vec3::UnitY();
  p.source.speed = {1, 2};
  p.clear = 0.002;
  p.kits.push_back({{Pose{}}, {Vec3::Zero()}, {Vec3::Zero()}, Vec3::Zero(), radius});
  for (int k = 0; k < count; ++k) {
    p.births.push_back({1 + 24 * (k + 0.5) / count, 0, u32(s.scene.pieces.size()), 0});
    Piece& piece = s.scene.pieces.emplace_back();
    piece.name = "balls/" + std::to_string(k);
    piece.prototype = ball;
    piece.start.position = p.source.at;
    piece.start_state = Start::Unborn;
  }
  return p;
}

std::size_t unborn(const World& w) {
  std::size_t n = 0;
  for (std::size_t i = 0; i < w.motion().size(); ++i) n += w.sleepOf(i) == Sleep::Unborn;
  return n;
}

}  // namespace

TEST_CASE("a pour bears what is due, and what is not born weighs and touches nothing", "[pour]") {
  Stage s;
  s.ground();
  const std::size_t table = s.box(Vec3(1, 1, 1), Vec3(0, 3, 0));  // about the source: free to fall
  s.scene.pieces[table].role = Role::Static;
  s.scene.pieces[table].start.position.x() = 3;
  pourBalls(s, 48);
  CHECK(unborn(s.world()) == 48);
  CHECK(s.world().stats().potential == 0);
  s.frames(1);
  // Two are due in the first frame; the second one only at its end or later.
  const std::size_t first = 48 - unborn(s.world());
  CHECK(first >= 1);
  CHECK(first <= 2);
  CHECK(s.world().births().size() == first);
  s.frames(24);
  CHECK(unborn(s.world()) == 0);
  CHECK(s.world().pourStates()[0].born == 48);
  s.frames(120);
  for (std::size_t i = 0; i < s.world().motion().size(); ++i)
    if (s.scene.pieces[i].name.starts_with("balls")) CHECK(s.position(i).y() == Approx(0.05).margin(0.002));
  CHECK_FALSE(s.world().poursWait());
}

TEST_CASE("what is born in free fall is where its start takes it, however time is cut", "[pour]") {
  for (const int substeps : {1, 4, 16}) {
    Stage s;
    Pour& p = pourBalls(s, 10);
    p.source.kind = place::SourceKind::Point;
    p.source.speed = {2, 2};
    s.scene.solver.substeps = substeps;
    s.frames(24);
    const double seconds = 24 / 24.0;
    for (std::size_t k = 0; k < 10; ++k) {
      const double t = seconds - (p.births[k].frame - 1) / 24;
      INFO("substeps " << substeps << " ball " << k);
      CHECK(s.position(k).y() == Approx(3 - 2 * t - 0.5 * 9.81 * t * t).margin(1e-6));
    }
  }
}

TEST_CASE("nothing is born into anything: it waits for room, or is left out", "[pour][slow]") {
  for (const bool waits : {true, false}) {
    Stage s;
    s.ground();
    Pour& p = pourBalls(s, 2000);
    p.waits = waits;
    double deepest = 0, nearest = 1;
    std::vector<char> seen(s.scene.pieces.size(), 0);
    std::size_t late = 0;
    for (int f = 0; f < 24; ++f) {
      s.frames(1);
      late = std::max(late, s.world().pourStates()[0].waiting.size());
      const FrameStats now = s.world().stats();
      CHECK(now.frame == f + 2);
      for (std::size_t i = 1; i < s.scene.pieces.size(); ++i)
        for (std::size_t j = 1; j < i && s.world().present(i); ++j) {
          if (!s.world().present(j) || (seen[i] && seen[j])) continue;
          const double apart = (s.position(i) - s.position(j)).norm() - 0.1;
          deepest = greatest(deepest, -apart);
          nearest = least(nearest, apart);
        }
      for (const PieceId b : s.world().births()) seen[b.index()] = 1;
    }
    INFO((waits ? "wait" : "skip"));
    CHECK(deepest < 0.002);  // two of different speeds may have met within the frame
    const PourState& state = s.world().pourStates()[0];
    CHECK(state.born > 300);
    CHECK(state.born < 1900);
    if (waits) {
      CHECK(late > 100);
      CHECK(state.skipped == 0);
    } else {
      CHECK(state.skipped + state.born > 1900);
    }
  }
}

TEST_CASE("a source moves with its body and hands its motion on", "[pour]") {
  Stage s;
  s.scene.gravity = Vec3::Zero();
  const std::size_t cart = s.box(Vec3(0.2, 0.2, 0.2), Vec3(0, 5, 0));
  s.scene.pieces[cart].velocity = Vec3(3, 0, 0);
  s.scene.pieces[cart].collide = false;
  Pour& p = pourBalls(s, 12);
  p.from = PieceId(cart);
  p.source.kind = place::SourceKind::Point;
  p.source.at = Vec3(0, -0.5, 0);
  p.source.speed = {0, 0};
  SECTION("all of it") {
    s.frames(24);
    for (std::size_t i = 1; i < 12; ++i) {
      // All would be at one place of the moving cart: the second finds no room.
      CHECK(s.world().present(i) == (i == 1));
    }
    CHECK((s.velocity(1) - Vec3(3, 0, 0)).norm() < 1e-9);
    CHECK(s.position(1).y() == Approx(4.5).margin(1e-9));
    CHECK(s.world().pourStates()[0].born == 1);
  }
  SECTION("none of it") {
    p.hand_on = 0;
    s.frames(24);
    CHECK(s.world().pourStates()[0].born == 12);
    for (std::size_t i = 1; i < 12; ++i) {
      CHECK(s.position(i).x() == Approx(3 * (p.births[i - 1].frame - 1) / 24).margin(0.04));
      CHECK(s.world().motion().velocity[i].norm() < 1e-9);
    }
  }
}

TEST_CASE("lives end, and what stood on them falls", "[pour]") {
  Stage s;
  s.ground();
  Pour& p = pourBalls(s, 1);
  p.source.kind = place::SourceKind::Point;
  p.source.at = Vec3(0, 0.0505, 0);
  p.clear = 0;
  p.source.speed = {0, 0};
  p.births[0].frame = 1;
  p.births[0].life = 2;
  const std::size_t plate = s.box(Vec3(0.02, 0.02, 0.02), Vec3(0, 0.112, 0));
  s.frames(1);
  CHECK(s.world().present(1));
  s.frames(46);
  CHECK(s.world().present(1));
  s.frames(2);
  CHECK(s.world().sleepOf(1) == Sleep::Gone);
  s.frames(20);
  CHECK(s.position(plate).y() == Approx(0.01).margin(1e-3));
}

TEST_CASE("what was poured before the start lives from then on", "[pour]") {
  Stage s;
  s.ground();
  Pour& p = pourBalls(s, 2);
  for (Birth& b : p.births) b.life = 1;
  s.scene.pieces[1].start_state = Start::Awake;
  s.frames(23);
  CHECK(s.world().pourStates()[0].born == 1);
  CHECK(s.world().present(1));
  s.frames(2);
  CHECK(s.world().sleepOf(1) == Sleep::Gone);
  CHECK(s.world().present(2));
}

TEST_CASE("a pour ends when a container is full", "[pour][slow]") {
  Stage s;
  s.ground();
  // A tray: four walls, open above.
  for (const int side : {0, 1, 2, 3}) {
    const double angle = side * 90 * kDegree;
    const Vec3 out(std::cos(angle), 0, std::sin(angle));
    const std::size_t wall =
        s.box(side % 2 == 0 ? Vec3(0.1, 1, 1.2) : Vec3(1.2, 1, 0.1), 0.55 * out + Vec3(0, 0.5, 0));
    s.scene.pieces[wall].role = Role::Static;
  }
  Pour& p = pourBalls(s, 1500);
  p.source.at = Vec3(0, 1.6, 0);
  p.until.emplace();
  p.until->in.box = Box{Vec3(-0.5, 0, -0.5), Vec3(0.5, 1, 0.5)};
  SECTION("by height") {
    p.until->height = 0.3;
    s.frames(72);
    const PourState& state = s.world().pourStates()[0];
    CHECK(state.over);
    // 0.3 m3 at a packing of about 0.6, and what was in the air.
    CHECK(state.born > 250);
    CHECK(state.born < 700);
    CHECK_FALSE(s.world().poursWait());
  }
  SECTION("by count") {
    p.until->count = 100;
    s.frames(72);
    CHECK(s.world().pourStates()[0].over);
    CHECK(s.world().pourStates()[0].born >= 100);
    CHECK(s.world().pourStates()[0].born < 400);
  }
}

TEST_CASE("a pour goes on from a checkpoint as if it had not stopped, and on any number of threads",
          "[pour][slow]") {
  const auto make = [](Stage& s) {
    s.ground();
    Pour& p = pourBalls(s, 600);
    for (Birth& b : p.births) b.life = 0.5 + 0.001 * b.first;
    p.collide_after = 0;
  };
  Stage whole, again;
  make(whole);
  make(again);
  whole.frames(12);
  const Bytes saved = whole.world().save();
  again.world().restore(saved);
  for (int f = 0; f < 24; ++f) {
    whole.frames(1);
    again.frames(1);
    for (std::size_t i = 0; i < whole.scene.pieces.size(); ++i) {
      INFO("frame " << f << " piece " << i);
      REQUIRE(whole.world().sleepOf(i) == again.world().sleepOf(i));
      REQUIRE(whole.position(i) == again.position(i));
    }
  }
  CHECK(again.world().digest() == whole.world().digest());
  CHECK(again.world().pourStates()[0].born == whole.world().pourStates()[0].born);
}

TEST_CASE("what touches nothing at first does so once it is free", "[pour]") {
  Stage s;
  s.ground();
  const std::size_t lid = s.box(Vec3(2, 0.1, 2), Vec3(0, 2.5, 0));
  s.scene.pieces[lid].role = Role::Static;
  Pour& p = pourBalls(s, 20);
  p.collide_after = 0.3;
  s.frames(120);
  for (std::size_t i = 2; i < 22; ++i) CHECK(s.position(i).y() == Approx(0.05).margin(0.002));
}

TEST_CASE("of fifty thousand births none overlaps another", "[pour][slow]") {
  Stage s;
  s.scene.gravity = Vec3::Zero();
  Pour& p = pourBalls(s, 25000);
  p.source.kind = place::SourceKind::Box;
  p.source.at = Vec3::Zero();
  p.source.size = Vec3(8, 8, 8);
  p.source.speed = {0, 0};
  p.clear = 0;
  const PrototypeId cube(s.scene.prototypes.size());
  s.scene.prototypes.push_back(boxPrototype("cube", Vec3(0.09, 0.07, 0.08), 1000));
  s.scene.prototypes.back().material = MaterialId(0);
  p.kits.push_back({{Pose{}}, {Vec3::Zero()}, {Vec3::Zero()}, Vec3::Zero(), 0.07});
  std::vector<Birth> births;
  for (const Birth& b : p.births) {
    births.push_back(b);
    births.push_back({b.frame, 1, u32(s.scene.pieces.size()), 0});
    Piece& piece = s.scene.pieces.emplace_back();
    piece.name = "cube/" + std::to_string(b.first);
    piece.prototype = cube;
    piece.start_state = Start::Unborn;
  }
  p.births = births;
  for (int f = 0; f < 100 && s.world().poursWait(); ++f) s.frames(1);
  REQUIRE(s.world().pourStates()[0].born == 50000);
  // They have not moved: none was eased out of another.
  place::Room room(0.1);
  for (std::size_t i = 0; i < s.scene.pieces.size(); ++i) {
    const shape::Shape& shape = s.scene.prototypeOf(i).shape;
    CHECK(s.velocity(i).isZero(0));
    CHECK(room.blockedBy(shape, s.world().motion().pose(i), 0) < 0);
    room.add(shape, s.world().motion().pose(i));
  }
}

}  // namespace drubble::world
