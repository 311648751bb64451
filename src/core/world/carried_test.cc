// SPDX-License-Identifier: Apache-2.0
// Bonded pieces on movers: what goes with them, bears what that asks, comes off and is let go.
#include <catch2/catch.hpp>

#include "../../../tests/support/bonds.h"

namespace drubble::world {

namespace {

using test::bondAll;
using test::Stage;
using test::stone;

// All of one size, so that each bears what the laws of beams say.
void bondEven(Stage& s) {
  BondTable table;
  table.even = true;
  bondAll(s, 0, s.scene.pieces.size(), table);
}

// A column of two blocks upon a driven foot, none of them weighing anything.
struct Footed : Stage {
  std::size_t foot, low, high;

  explicit Footed(double tension) {
    scene.gravity.setZero();
    material(stone(tension));
    foot = add(boxPrototype("foot", Vec3(0.4, 0.2, 0.4), 2000), Vec3::Zero(), Vec3::Zero(), Role::Kinematic);
    low = box(Vec3(0.2, 0.2, 0.2), Vec3(0, 0.2, 0), Vec3::Zero(), 2000);
    high = box(Vec3(0.2, 0.2, 0.2), Vec3(0, 0.4, 0), Vec3::Zero(), 2000);
    bondEven(*this);
    REQUIRE(scene.bonds.size() == 2);
  }
  Mover& drive() {
    Mover m;
    m.piece = PieceId(foot);
    scene.movers.push_back(m);
    return scene.movers.back();
  }
};

}  // namespace

TEST_CASE("what hangs on something driven goes with it", "[bond]") {
  Stage s;
  s.scene.gravity.setZero();
  s.material(stone(1e7));
  const std::size_t arm =
      s.add(boxPrototype("arm", Vec3(0.2, 0.2, 0.2), 2000), Vec3(0, 0, 0), Vec3::Zero(), Role::Kinematic);
  const std::size_t block = s.box(Vec3(0.2, 0.2, 0.2), Vec3(0.2, 0, 0), Vec3::Zero(), 2000);
  bondAll(s, arm);
  REQUIRE(s.scene.bonds.size() == 1);
  Mover m;
  m.piece = PieceId(arm);
  m.path.at.keys = {{1, Vec3(0, 0, 0)}, {25, Vec3(0, 2, 0)}};
  s.scene.movers.push_back(m);
  s.frames(12);
  CHECK((s.position(block) - s.position(arm) - Vec3(0.2, 0, 0)).norm() < 1e-9);
  CHECK(s.velocity(block).y() == Approx(2).epsilon(1e-6));
  CHECK(s.world().sleepOf(block) == Sleep::Driven);
}

TEST_CASE("a carrier that gathers speed loads what hangs on it, and one that goes evenly does not",
          "[bond]") {
  // From 2 m/s to nothing within a frame is 48 m/s2: the face on the foot bears 2 x 0.2 m of 2 000 kg/m3,
  // times that, in tension as the foot stops while it goes down.
  const double asked = 48 * 2000 * 0.4;
  for (const double share : {0.9, 1.1}) {
    Footed s(share * asked);
    s.drive().path.at.keys = {{1, Vec3(0, 0, 0)}, {13, Vec3(0, 1, 0)}};
    CAPTURE(share);
    s.frames(10);
    CHECK_FALSE(s.world().bondBroken(0));
    const Vec3 low = s.position(s.low);
    s.frames(4);
    CHECK(s.world().bondBroken(0) == (share < 1));
    CHECK_FALSE(s.world().bondBroken(1));  // bears half of it
    s.frames(2);
    CHECK(s.velocity(s.high).y() == Approx(share < 1 ? 2 : 0).margin(1e-3));
    CHECK((s.position(s.high) - s.position(s.low) - Vec3(0, 0.2, 0)).norm() < 1e-6);
    // It goes on from where it was.
    const double way = share < 1 ? 2 * s.scene.seconds(11, 17) : 1 - low.y() + 0.2;
    CHECK(s.position(s.low).y() - low.y() == Approx(way).epsilon(1e-6));
  }
}

TEST_CASE("a tower on a foot that is drawn away from under it parts there by the law of a cantilever",
          "[bond]") {
  // Five blocks, 1 m high and b = 0.2 m wide: 3 rho a h^2 / b in the foot's face.
  const double drawn = 5, asked = 3 * 2000 * drawn / 0.2;
  for (const double share : {0.9, 1.1}) {
    Stage s;
    s.scene.gravity.setZero();
    s.material(stone(share * asked));
    const std::size_t foot =
        s.add(boxPrototype("foot", Vec3(0.4, 0.2, 0.4), 2000), Vec3::Zero(), Vec3::Zero(), Role::Kinematic);
    for (int k = 1; k <= 5; ++k) s.box(Vec3(0.2, 0.2, 0.2), Vec3(0, 0.2 * k, 0), Vec3::Zero(), 2000);
    bondEven(s);
    REQUIRE(s.scene.bonds.size() == 5);
    Mover m;
    m.piece = PieceId(foot);
    for (int f = 1; f <= 12; ++f) {
      const double t = s.scene.seconds(1, f);
      m.path.at.keys.push_back({static_cast<double>(f), Vec3(0.5 * drawn * t * t, 0, 0)});
    }
    s.scene.movers.push_back(m);
    s.frames(6);
    CAPTURE(share);
    for (std::size_t n = 0; n < 5; ++n) CHECK(s.world().bondBroken(n) == (share < 1 && n == 0));
  }
}

TEST_CASE("what is whirled about on a carrier is drawn outward, and its release is no stop", "[bond]") {
  for (const double share : {0.9, 1.1}) {
    // 6 rad/s about the foot's middle: what is beyond the foot's face is drawn by 2000 w2 (0.5^2 - 0.1^2)
    // / 2.
    Footed s(share * 36 * 2000 * 0.12);
    Mover& m = s.drive();
    m.path.at.keys = {{1, Vec3(0, 0, 0)}};
    m.path.turn.keys = {{1, Vec3(0, 0, 0)}, {25, Vec3(0, 0, 6)}};
    m.release_frame = 12;
    CAPTURE(share);
    s.frames(9);
    CHECK(s.world().bondBroken(0) == (share < 1));
    CHECK_FALSE(s.world().bondBroken(1));
    s.frames(6);
    CHECK(s.world().bondBroken(0) == (share < 1));
  }
}

TEST_CASE("what hangs on two that draw apart goes with one, and breaks off the other", "[bond]") {
  for (const bool both : {false, true}) {
    Stage s;
    s.scene.gravity.setZero();
    s.material(stone(1e7));
    const auto end = [&](double x) {
      return s.add(boxPrototype("end", Vec3(0.2, 0.2, 0.2), 2000), Vec3(x, 0, 0), Vec3::Zero(),
                   Role::Kinematic);
    };
    const std::size_t left = end(0);
    for (int k = 1; k <= 3; ++k) s.box(Vec3(0.2, 0.2, 0.2), Vec3(0.2 * k, 0, 0), Vec3::Zero(), 2000);
    const std::size_t right = end(0.8);
    bondAll(s, left);
    REQUIRE(s.scene.bonds.size() == 4);
    for (const std::size_t i : {left, right}) {
      Mover m;
      m.piece = PieceId(i);
      const Vec3 at = s.scene.pieces[i].start.position;
      m.path.at.keys = {{1, at}, {4, at}, {25, at + (both || i == right ? Vec3(0.5, 0, 0) : Vec3::Zero())}};
      s.scene.movers.push_back(m);
    }
    CAPTURE(both);
    s.frames(3);
    CHECK(s.world().bondBreaks().empty());
    s.frames(12);
    std::size_t broken = 0;
    for (std::size_t n = 0; n < 4; ++n) broken += s.world().bondBroken(n);
    CHECK(broken == (both ? 0 : 1));
    CHECK(s.world().bondBroken(3) == !both);  // the one at the right
    CHECK((s.position(2) - s.position(left) - Vec3(0.4, 0, 0)).norm() < 1e-9);
  }
}

TEST_CASE("what keys lead together is one once it is let go, where it is by then and as it goes", "[bond]") {
  for (const bool aside : {false, true}) {
    Stage s;
    s.material(stone(1e7));
    for (int k = 0; k < 3; ++k)
      s.add(boxPrototype("part", Vec3(0.2, 0.2, 0.2), 2000), Vec3(0.2 * k, 5, 0), Vec3::Zero(),
            Role::Kinematic);
    for (std::size_t k = 0; k < 3; ++k) {
      Mover m;
      m.piece = PieceId(k);
      m.anchor = Vec3(-0.2 * static_cast<double>(k), 0, 0);  // all turn about the first one's middle
      m.path.at.keys = {{1, Vec3(0, 5, 0)}, {13, Vec3(1, 5, 0)}};
      m.path.turn.keys = {{1, Vec3(0, 0, 0)}, {13, Vec3(0, 0, 1)}};
      if (aside && k == 2) m.path.at.keys[1].value.z() = 0.5;
      m.release_frame = 9;
      s.scene.movers.push_back(m);
    }
    bondAll(s);
    CAPTURE(aside);
    REQUIRE(s.scene.bonds.size() == (aside ? 1 : 2));
    s.frames(8);
    CHECK(s.world().clusters().empty());
    const Vec3 first = s.position(0), second = s.position(1);
    s.frames(1);
    REQUIRE(s.world().clusters().size() == 1);
    const std::size_t parts = s.world().clusters()[0].pieces.size();
    CHECK(parts == (aside ? 2 : 3));
    const double h = s.scene.seconds(9, 10);
    const Vec3 spin(0, 0, 1 / s.scene.seconds(1, 13));
    CHECK((s.world().motion().spin[0] - spin).norm() < 1e-3);
    CHECK((s.position(0) - first).norm() < 3 * h);
    CHECK((s.position(1) - second).norm() < 3 * h);
    CHECK((s.position(1) - s.position(0)).norm() == Approx(0.2).epsilon(1e-9));
    // Its middle flies as what the keys gave it lets it.
    const double push = 1 / s.scene.seconds(1, 13);
    const Vec3 arm = 0.1 * static_cast<double>(parts - 1) * Vec3(std::cos(8.0 / 12), std::sin(8.0 / 12), 0);
    Vec3 flies = Vec3(push, 0, 0) + spin.cross(arm);
    flies.y() -= 9.81 * h;
    CHECK((s.world().clusters()[0].velocity - flies).norm() < 0.01);
  }
}

TEST_CASE("what hung on either side of something driven falls with it as one once that is let go", "[bond]") {
  Stage s;
  s.material(stone(1e7));
  for (int k = 0; k < 7; ++k) {
    const Vec3 at(0.2 * k, 20, 0);
    if (k == 3)
      s.add(boxPrototype("arm", Vec3(0.2, 0.2, 0.2), 2000), at, Vec3::Zero(), Role::Kinematic);
    else
      s.box(Vec3(0.2, 0.2, 0.2), at, Vec3::Zero(), 2000);
  }
  bondAll(s, 0);
  REQUIRE(s.scene.bonds.size() == 6);
  Mover m;
  m.piece = PieceId(3);
  m.path.at.keys = {{1, s.scene.pieces[3].start.position}};
  m.release_frame = 6;
  s.scene.movers.push_back(m);
  s.frames(4);
  CHECK(s.world().clusters().size() == 2);
  s.frames(8);
  REQUIRE(s.world().clusters().size() == 1);
  CHECK(s.world().clusters()[0].pieces.size() == 7);
  const double fell = s.scene.seconds(6, 13);
  for (std::size_t k = 0; k < 7; ++k) {
    CHECK((s.position(k) - s.position(3) - Vec3(0.2 * (static_cast<double>(k) - 3), 0, 0)).norm() < 1e-6);
    CHECK(s.velocity(k).y() == Approx(-9.81 * fell).epsilon(1e-3));
    CHECK_FALSE(s.world().bondBroken(k < 6 ? k : 0));
  }
}

}  // namespace drubble::world
