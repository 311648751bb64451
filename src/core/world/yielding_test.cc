// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>

#include "../../../tests/support/stage.h"
#include "core/world/bonding.h"

namespace drubble::world {

namespace {

using test::Stage;

constexpr double kSide = 0.1, kGravity = 9.81;
constexpr double kArea = kSide * kSide, kMass = 2000 * kSide * kSide * kSide;

// A cube that hangs below one that is static, by a bond that yields.
struct Hung {
  Stage s;
  std::size_t top, cube;
  // `times` its weight: what the bond bears drawn; shear and bending bear as much more.
  explicit Hung(double times, double stiffness = 1e9, double tear = 0.3) {
    Material m{"leather", 2000, 0.5, 0.5, 0, true};
    const double stress = times * kMass * kGravity / kArea;
    m.strength = {stress, 10 * stress, 5 * stress};
    m.stiffness = stiffness;
    s.material(m);
    top = s.box(Vec3(kSide, kSide, kSide), Vec3(0, 1 + kSide, 0), Vec3::Zero(), 2000);
    s.scene.pieces[top].role = Role::Static;
    cube = s.box(Vec3(kSide, kSide, kSide), Vec3(0, 1, 0), Vec3::Zero(), 2000);
    BondTable t;
    t.yields = true;
    t.tear = tear;
    s.scene.bond_tables.push_back(t);
    const std::vector<PieceId> who{PieceId(top), PieceId(cube)};
    for (const Facing& f : facing(s.scene, who, who, 0.001))
      s.scene.bonds.push_back(bondOf(s.scene, f.a, f.b, f.face, 0));
  }
};

}  // namespace

TEST_CASE("a yielding bond stretches under a load as a bar of its material", "[bond][yielding]") {
  Hung x(100, 1e5);
  x.s.frames(48);
  CHECK(x.s.world().clusters().empty());
  const double sag = kMass * kGravity * kSide / (1e5 * kArea);
  CHECK(1 - x.s.position(x.cube).y() == Approx(sag).epsilon(0.01));
  CHECK(x.s.asleep(x.cube));
  CHECK(x.s.velocity(x.cube).norm() == 0);
  CHECK(x.s.world().stats().yield_worst.load == Approx(0.01).epsilon(0.01));
  CHECK(x.s.world().stats().yield_worst.strain == 0);
}

TEST_CASE("stiff as steel, it neither rings nor gives", "[bond][yielding]") {
  Hung x(10, 200e9);
  x.s.scene.pieces[x.cube].velocity = Vec3(0.02, 0, 0);
  x.s.frames(24);
  CHECK((x.s.position(x.cube) - Vec3(0, 1, 0)).norm() < 1e-5);
  CHECK(x.s.world().frame() == 25);
}

TEST_CASE("drawn beyond its strength it gives as that leaves it to fall, and tears where it is said to",
          "[bond][yielding]") {
  const double times = GENERATE(0.5, 0.8);
  Hung x(times);
  // It falls with what its weight has over; until its fibres are 30 % longer.
  const double a = (1 - times) * kGravity, torn = std::sqrt(2 * 0.3 * kSide / a);
  int broke = 0;
  Watcher nobody;
  for (int f = 1; f < 48 && broke == 0; ++f) {
    x.s.world().advance(nobody);
    if (!x.s.world().bondBreaks().empty()) broke = f;
    if (broke != 0) break;
    const double t = f / 24.0;
    CHECK(1 - x.s.position(x.cube).y() == Approx(0.5 * a * t * t).epsilon(0.03).margin(1e-5));
    CHECK(x.s.world().stats().yield_worst.strain ==
          Approx((1 - x.s.position(x.cube).y()) / kSide / 0.3).epsilon(0.02).margin(1e-4));
  }
  CAPTURE(times, torn * 24);
  CHECK(broke == static_cast<int>(std::ceil(torn * 24)));
  CHECK(x.s.world().bondBreaks()[0].why == bond::Why::Tension);
  CHECK(x.s.world().bondBroken(0));
  const double y = x.s.position(x.cube).y(), v = x.s.velocity(x.cube).y();
  x.s.frames(3);  // and then freely
  CHECK(x.s.position(x.cube).y() == Approx(y + v * 0.125 - 0.5 * kGravity * 0.125 * 0.125).epsilon(1e-6));
}

TEST_CASE("a blow bends it for good, and it stays so", "[bond][yielding]") {
  Hung x(6, 1e9, 10);
  const std::size_t ball = x.s.sphere(0.05, Vec3(-0.4, 0.98, 0), Vec3(8, 0, 0), 4000);
  x.s.scene.gravity = Vec3::Zero();
  x.s.frames(40);
  const auto& state = x.s.world();
  CHECK_FALSE(state.bondBroken(0));
  const Vec3 at = x.s.position(x.cube);
  CHECK(at.x() > 0.01);  // pushed aside
  x.s.frames(24);
  CHECK((x.s.position(x.cube) - at).norm() < 1e-3);
  CHECK(x.s.velocity(ball).x() < 8);
}

TEST_CASE("what is pressed together by more than a yielding bond bears meets, and does not sink in",
          "[bond][yielding]") {
  Hung x(0.01);  // pressed, it bears a tenth of its weight
  const std::size_t post = x.s.box(Vec3(kSide, kSide, kSide), Vec3(0, 1 + 2 * kSide, 0), Vec3::Zero(), 2000);
  x.s.scene.pieces[x.top].role = Role::Dynamic;
  x.s.scene.pieces[x.cube].role = Role::Static;
  x.s.frames(48);
  CHECK(x.s.world().bondBreaks().empty());
  CHECK(x.s.world().stats().yield_worst.strain > 0.01);
  CHECK(x.s.position(x.top).y() == Approx(1 + kSide).margin(1e-3 * kSide));
  CHECK(x.s.position(post).y() == Approx(1 + 2 * kSide).margin(1e-3 * kSide));
  CHECK(x.s.asleep(x.top));
}

TEST_CASE("what it holds gains no energy, and momentum stays", "[bond][yielding]") {
  Hung x(1e6, 1e7);
  x.s.scene.gravity = Vec3::Zero();
  x.s.scene.pieces[x.top].role = Role::Dynamic;
  x.s.scene.pieces[x.top].velocity = Vec3(0.3, 0, 0.1);
  x.s.scene.pieces[x.cube].spin = Vec3(1, 2, 3);
  const auto momentum = [&] { return Vec3(kMass * (x.s.velocity(x.top) + x.s.velocity(x.cube))); };
  x.s.frames(1);
  const Vec3 before = momentum();
  CHECK((before - kMass * Vec3(0.3, 0, 0.1)).norm() < 1e-6 * kMass);
  Watcher nobody;
  double energy = 1e9;
  for (int f = 0; f < 48; ++f) {
    const FrameStats now = x.s.world().advance(nobody);
    CHECK(now.kinetic + now.potential < energy + 1e-4);
    energy = now.kinetic + now.potential;
  }
  CHECK((momentum() - before).norm() < 1e-5 * before.norm());
}

TEST_CASE("its strength may be keyed, and comes to nothing on cue", "[bond][yielding]") {
  Hung x(5);
  x.s.scene.bond_tables[0].strengths.keys = {{1, Vec3(1, 0, 0)}, {10, Vec3(0, 0, 0)}};
  x.s.scene.bond_tables[0].strengths.ease = act::Ease::Hold;
  x.s.frames(8);
  CHECK_FALSE(x.s.world().bondBroken(0));
  CHECK(x.s.position(x.cube).y() == Approx(1).margin(1e-4));
  x.s.frames(4);
  CHECK(x.s.world().bondBroken(0));
  CHECK(x.s.position(x.cube).y() == Approx(1 - 0.5 * kGravity * 0.125 * 0.125).epsilon(1e-4));
}

TEST_CASE("a hit that a rule has break it leaves nothing of its hold", "[bond][yielding][rule]") {
  Hung x(1e6);
  x.s.scene.gravity = Vec3::Zero();
  x.s.surface(0, 1);
  for (Prototype& p : x.s.scene.prototypes) p.material = MaterialId(x.s.scene.materials.size() - 1);
  const std::size_t ball = x.s.sphere(0.05, Vec3(-0.4, 1, 0), Vec3(4, 0, 0), 4000);
  Rule& r = x.s.scene.rules.emplace_back();
  r.name = "knocked off";
  r.who = {PieceId(x.cube)};
  r.when.hit_harder_than = 1;
  r.then = Deed::BreakBonds;
  x.s.frames(12);
  CHECK(x.s.world().bondBroken(0));
  const double mass = 4000 * 4.0 / 3 * 3.14159265358979 * 0.05 * 0.05 * 0.05;
  const double speed = 2 * mass / (mass + kMass) * 4;  // as if it had been free
  CHECK(x.s.velocity(x.cube).x() == Approx(speed).epsilon(1e-3));
  CHECK(x.s.velocity(ball).x() == Approx(4 - speed * kMass / mass).epsilon(1e-2));
}

TEST_CASE("yielding bonds are where they were in a restored world", "[bond][yielding]") {
  const auto made = [] {
    auto x = std::make_unique<Hung>(0.7);
    x->s.scene.bond_tables[0].strengths.keys = {{1, Vec3(2, 0, 0)}, {6, Vec3(0.9, 0, 0)}};
    return x;
  };
  const auto straight = made();
  for (int f = 0; f < 16; ++f) {
    const auto other = made();
    other->s.world().restore(straight->s.world().save());
    straight->s.frames(1);
    other->s.frames(1);
    CAPTURE(f);
    REQUIRE(other->s.world().save() == straight->s.world().save());
  }
  CHECK(straight->s.world().bondBroken(0));
}

}  // namespace drubble::world
