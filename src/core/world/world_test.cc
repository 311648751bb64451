// SPDX-License-Identifier: Apache-2.0
#include "core/world/world.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>

#include "../tests/support/stage.h"
#include "core/base/random.h"
#include "core/measure/motion.h"
#include "core/measure/penetration.h"

using namespace drubble;
using drubble::test::Stage;

namespace {

// A small heap: boxes, balls and shards falling on a floor, close enough to meet.
void addHeap(Stage& s, const Vec3& at, std::uint64_t seed) {
  RandomStream random(seed, "heap");
  for (int i = 0; i < 12; ++i) {
    const Vec3 place = at + vec3(random.between(-0.15, 0.15), 0.2 + 0.22 * i, random.between(-0.15, 0.15));
    if (i % 3 == 0) s.sphere(0.1, place);
    if (i % 3 == 1) s.box(vec3(0.2, 0.15, 0.25), place);
    if (i % 3 == 2) {
      mesh::TriangleMesh m = mesh::sphereMesh(0.1, 4);
      for (Vec3& v : m.vertices) v = v.cwiseProduct(vec3(1.2, 0.7, 1)) * random.between(0.9, 1.1);
      s.add(world::meshPrototype("shard", m, world::ShapeChoice::Hull, 1500), place);
    }
    s.scene.pieces.back().start.turn = random.turn();
  }
}

}  // namespace

TEST_CASE("saved and restored after every frame, the motion is what it is straight through") {
  Stage straight;
  straight.surface(0.4, 0.3);
  straight.ground();
  addHeap(straight, Vec3::Zero(), 1);
  world::Watcher nobody;
  auto broken = std::make_unique<world::World>(straight.scene);
  for (int frame = 0; frame < 40; ++frame) {
    straight.frames(1);
    broken->advance(nobody);
    const Bytes saved = broken->save();
    broken = std::make_unique<world::World>(straight.scene);
    broken->restore(saved);
    REQUIRE(broken->digest() == straight.world().digest());
    REQUIRE(broken->save() == saved);
    REQUIRE(broken->whyInvalid() == "");
  }
}

TEST_CASE("a checkpoint of another scene, or one cut short, is refused") {
  Stage a, b;
  a.sphere(0.1, Vec3::Zero());
  b.sphere(0.1, Vec3::Zero());
  b.sphere(0.1, vec3(1, 0, 0));
  Bytes saved = a.world().save();
  CHECK_THROWS_AS(b.world().restore(saved), Error);
  saved.resize(saved.size() / 2);
  CHECK_THROWS_AS(a.world().restore(saved), Error);
}

TEST_CASE("what happens in one heap does not depend on another heap, to the last bit") {
  Stage alone, together;
  for (Stage* s : {&alone, &together}) {
    s->scene.solver.substeps = 8;  // fixed: auto looks at all pieces
    s->scene.solver.iterations = 6;
    s->surface(0.4, 0.3);
    s->ground();
    addHeap(*s, Vec3::Zero(), 1);
  }
  addHeap(together, vec3(40, 0.1, 1), 2);
  for (int frame = 0; frame < 40; ++frame) {
    alone.frames(1);
    together.frames(1);
    for (std::size_t i = 0; i < alone.scene.pieces.size(); ++i) {
      REQUIRE(alone.position(i) == together.position(i));
      REQUIRE(alone.world().motion().turn[i].coeffs() == together.world().motion().turn[i].coeffs());
      REQUIRE(alone.velocity(i) == together.velocity(i));
    }
  }
}

TEST_CASE("a heap comes to rest, sleeps, and stays where it is") {
  Stage s;
  s.surface(0.6, 0.1);
  s.ground();
  addHeap(s, Vec3::Zero(), 3);
  for (std::size_t i = 1; i < s.scene.pieces.size(); ++i)
    s.scene.prototypes[i].traits.spin_damping = 8;  // balls roll for ever
  s.frames(240);
  std::vector<Vec3> places = s.world().motion().position;
  for (std::size_t i = 1; i < s.scene.pieces.size(); ++i) CHECK(s.asleep(i));
  s.frames(48);
  CHECK(places == s.world().motion().position);
  measure::PenetrationMeter meter;
  CHECK(meter.measure(s.world()).worst_share < 0.005);
}

TEST_CASE("a sleeping stack wakes when it is hit: the lower box is driven out, the upper one comes down") {
  Stage s;
  s.surface(0.05, 0);
  s.ground();
  const std::size_t lower = s.box(vec3(0.4, 0.2, 0.4), vec3(0, 0.1, 0));
  const std::size_t upper = s.box(vec3(0.4, 0.2, 0.4), vec3(0, 0.3, 0));
  const std::size_t ball = s.sphere(0.1, vec3(-6, 0.1, 0), vec3(5, 0, 0), 12000);
  s.frames(24);
  CHECK(s.asleep(lower));
  CHECK(s.asleep(upper));
  s.frames(60);
  CHECK(s.position(lower).x() > s.position(upper).x() + 0.3);
  CHECK(s.position(upper).y() < 0.29);
  CHECK(s.position(ball).x() > -0.5);
}

TEST_CASE("a starting overlap parts slowly and is reported") {
  Stage s;
  s.scene.gravity.setZero();
  s.surface(0.5, 0.5);
  const std::size_t a = s.box(Vec3::Ones(), vec3(0, 0, 0)), b = s.box(Vec3::Ones(), vec3(0.8, 0.05, 0));
  const auto found = measure::startOverlaps(s.scene);
  REQUIRE(found.size() == 1);
  CHECK(found[0].depth == Approx(0.2));
  CHECK(found[0].share == Approx(0.2));
  double fastest = 0;
  for (int i = 0; i < 48; ++i) {
    s.frames(1);
    fastest = greatest(fastest, greatest(s.velocity(a).norm(), s.velocity(b).norm()));
  }
  measure::PenetrationMeter meter;
  CHECK(meter.measure(s.world()).worst < 0.002);
  CHECK(fastest < 2);                 // two sizes a second at most while parting
  CHECK(s.velocity(a).norm() < 0.2);  // and less than a tenth of that is left behind
}

TEST_CASE("a wall of bricks stands from the first frame on: its loads are found beforehand") {
  Stage s;
  s.surface(0.6, 0);
  s.ground();
  std::vector<Vec3> start;
  for (int row = 0; row < 8; ++row)
    for (int k = 0; k < 6 - row % 2; ++k)
      s.box(vec3(0.2, 0.1, 0.1), vec3(0.2 * k + 0.1 * (row % 2), 0.05 + 0.1 * row, 0));
  for (const world::Piece& p : s.scene.pieces) start.push_back(p.start.position);
  double sag = 0;
  for (int frame = 0; frame < 24; ++frame) {
    s.frames(1);
    for (std::size_t i = 1; i < start.size(); ++i) sag = greatest(sag, (s.position(i) - start[i]).norm());
  }
  CHECK(sag < 1e-3 * 0.8);  // of the height
  for (std::size_t i = 1; i < start.size(); ++i) CHECK(s.asleep(i));
}

TEST_CASE("a row of touching balls hands the blow to the last one, whichever way it is numbered") {
  const bool reversed = GENERATE(false, true);
  Stage s;
  s.scene.gravity.setZero();
  s.surface(0, 1);
  std::vector<std::size_t> row;
  for (int k = 0; k < 12; ++k) row.push_back(s.sphere(0.1, vec3((reversed ? 11 - k : k) * 0.2, 0, 0)));
  if (reversed) std::reverse(row.begin(), row.end());
  const std::size_t first = s.sphere(0.1, vec3(-1, 0, 0), vec3(2, 0, 0));
  s.frames(24);
  CHECK(s.velocity(row.back()).x() == Approx(2).epsilon(1e-3));
  CHECK(s.velocity(first).norm() < 0.02);
  for (std::size_t k = 0; k + 1 < row.size(); ++k) CHECK(s.velocity(row[k]).norm() < 0.02);
}

TEST_CASE("friction and bounce combine, and a piece without a material takes its partner's") {
  const world::Material none{}, rough{"rough", 1, 0.9, 0.8, 0.4, true},
      slick{"slick", 1, 0.1, 0.05, 0.9, true};
  CHECK(world::combine(none, rough).friction_rest == 0.9);
  CHECK(world::combine(slick, none).bounce == 0.9);
  CHECK(world::combine(rough, slick).friction_rest == Approx(0.3));
  CHECK(world::combine(rough, slick).bounce == Approx(0.9));
}

TEST_CASE("a box slid over a floor of many triangles loses no more speed than friction takes") {
  Stage s;
  s.surface(0.3, 0);
  mesh::TriangleMesh floor;
  const int n = 200;
  for (int i = 0; i <= n; ++i)
    for (int j = 0; j <= n; ++j) floor.vertices.push_back(vec3(0.033 * i - 1, 0, 0.033 * (j - n / 2)));
  for (std::uint32_t i = 0; i < n; ++i) {
    for (std::uint32_t j = 0; j < n; ++j) {
      const std::uint32_t a = i * (n + 1) + j, b = a + n + 1;
      floor.triangles.push_back({a, a + 1, b + 1});
      floor.triangles.push_back({a, b + 1, b});
    }
  }
  s.add(world::surfacePrototype("floor", floor), Vec3::Zero(), Vec3::Zero(), world::Role::Static);
  const std::size_t box = s.box(vec3(0.4, 0.1, 0.3), vec3(0, 0.05, 0), vec3(3, 0, 0.4));
  s.frames(60);
  const double law = (9 + 0.16) / (2 * 0.3 * 9.81);
  const Vec3 off = s.position(box) - vec3(0, 0.05, 0);
  CHECK(vec3(off.x(), 0, off.z()).norm() == Approx(law).epsilon(0.02));
  CHECK(absolute(off.y()) < 1e-3);
}

TEST_CASE("a torque-free spin keeps its angular momentum and nearly its energy") {
  Stage s;
  s.scene.gravity.setZero();
  const std::size_t i = s.box(vec3(0.1, 0.2, 0.3), Vec3::Zero());
  s.scene.pieces[i].spin = vec3(0.1, 10, 0.1);
  const Mat3 inertia = s.scene.prototypes[0].traits.inertia;
  const auto momentum = [&] {
    const Quat& q = s.world().motion().turn[i];
    return Vec3(q * (inertia * (q.conjugate() * s.world().motion().spin[i])));
  };
  const auto energy = [&] { return 0.5 * momentum().dot(s.world().motion().spin[i]); };
  const Vec3 l0 = momentum();
  const double e0 = energy();
  for (int frame = 0; frame < 240; ++frame) {
    s.frames(1);
    REQUIRE((momentum() - l0).norm() < 1e-9 * l0.norm());
    REQUIRE(energy() == Approx(e0).epsilon(0.01));
  }
}

TEST_CASE("jitter, rest and drift are measured as defined") {
  std::vector<measure::Sample> samples;
  for (int f = 0; f < 13; ++f) {
    measure::Sample s;
    s.frame = f;
    s.position = {vec3(f % 2 == 0 ? 0 : 0.001, 0, 0), vec3(0, 0, 0),
                  vec3(0.1 * f, 0, 0)};  // shivers, rests, travels
    s.turn.assign(3, Quat::Identity());
    s.speed = {f < 6 ? 0.5 : 0.001, 0, f < 9 ? 2.0 : 0.0};
    samples.push_back(s);
  }
  const std::vector<double> sizes(3, 0.5), rest(3, 0.01);
  const std::vector<char> all(3, 1), first_two{1, 1, 0};
  const measure::Jitter j = measure::jitter(samples, sizes, all);
  CHECK(j.worst == Approx(0.012 / 0.5));
  CHECK(j.piece == 0u);
  CHECK(measure::restFrame(samples, rest, all) == 9);
  CHECK(measure::restFrame(samples, rest, first_two) == 6);
  samples.back().speed[1] = 1;
  CHECK_FALSE(measure::restFrame(samples, rest, all).has_value());
  CHECK(measure::drift(std::vector<double>{0, 5, 3, 4}, std::vector<double>{10, 5, 7, 8}) ==
        Approx(2.0 / (5 + 5)));
}

TEST_CASE("a substep that is refused names the piece and leaves the world as it was") {
  Stage s;
  s.box(Vec3::Ones(), Vec3::Zero());
  s.sphere(0.1, vec3(5, 0, 0), vec3(1e7, 0, 0));
  world::Watcher nobody;
  const std::uint64_t before = s.world().digest();
  try {
    s.world().advance(nobody);
    FAIL("nothing was refused");
  } catch (const Error& e) {
    CHECK(e.kind() == ErrorKind::Diverged);
    CHECK(std::string(e.what()).find("'p1'") != std::string::npos);
    CHECK(std::string(e.what()).find("frame 2") != std::string::npos);
    CHECK(std::string(e.what()).find("1e7 m/s") != std::string::npos);
    CHECK(std::string(e.what()).find("touching nothing") != std::string::npos);
  }
  CHECK(s.world().digest() == before);
  CHECK(s.world().frame() == 1);
}

TEST_CASE("what flies apart tells what it touched, how deep, and what to try") {
  const auto told = [](Stage& s) {
    world::Watcher nobody;
    try {
      for (int f = 0; f < 4; ++f) s.world().advance(nobody);
    } catch (const Error& e) {
      return std::string(e.what());
    }
    return std::string();
  };
  Stage slides;
  slides.ground();
  slides.box(Vec3::Constant(0.2), vec3(0, 0.1, 0), vec3(2e5, 0, 0));
  const std::string sliding = told(slides);
  CHECK_THAT(sliding, Catch::Contains("'p1' flew apart in frame 2") && Catch::Contains("it touched 'p0'") &&
                          Catch::Contains("mm") &&
                          Catch::Contains("try more substeps", Catch::CaseSensitive::No));
  Stage sunk;
  sunk.ground();
  sunk.box(Vec3::Constant(0.2), vec3(0, -0.05, 0), vec3(2e5, 0, 0));
  CHECK_THAT(told(sunk), Catch::Contains("150 mm deep") && Catch::Contains("overlap deeply"));
}

TEST_CASE("a tower of twenty boxes stands straight and sleeps, and sinks the same at double quality") {
  double sag[2];
  for (int k = 0; k < 2; ++k) {
    Stage s;
    s.scene.solver.quality = k + 1;
    s.surface(0.6, 0);
    s.ground();
    for (int i = 0; i < 20; ++i) s.box(Vec3::Constant(0.3), vec3(0, 0.15 + 0.3 * i, 0));
    s.frames(72);
    const Vec3 top = s.position(20);
    for (std::size_t i = 1; i <= 20; ++i) CHECK(s.asleep(i));
    CHECK(vec3(top.x(), 0, top.z()).norm() < 0.005 * 0.3);
    measure::PenetrationMeter meter;
    CHECK(meter.measure(s.world()).worst_share < 0.01);
    sag[k] = 0.15 + 0.3 * 19 - top.y();
  }
  CHECK(sag[0] < 0.001 * 6);
  CHECK(sag[1] == Approx(sag[0]).epsilon(0.1));
}

TEST_CASE(
    "an ellipsoid that rocks about no axis of its own gains no energy, and with rolling resistance rests",
    "[slow]") {
  for (const double rolling : {0.0, 0.001}) {
    Stage s;
    s.material({"m", 1000, 0.5, 0.5, 0, true});
    s.scene.materials.back().rolling = rolling;
    s.scene.materials.back().spinning = 5 * rolling;
    s.ground();
    const std::size_t egg =
        s.add(world::ellipsoidPrototype("egg", vec3(0.06, 0.04, 0.045), 1000), vec3(0, 0.0401, 0));
    s.scene.pieces[egg].start.turn =
        turnAbout(vec3(0.95, 0, -0.3).normalized(), 0.07) * turnAbout(Vec3::UnitY(), -1.22);
    const solve::Traits& t = s.world().traits()[egg];
    const auto energy = [&] {
      const solve::Motion& m = s.world().motion();
      const Vec3 spin = m.turn[egg].conjugate() * m.spin[egg];
      return t.mass() * (0.5 * m.velocity[egg].squaredNorm() + 9.81 * (m.position[egg].y() - 0.04)) +
             0.5 * spin.dot(t.inertia * spin);
    };
    s.frames(24);  // it has met the ground
    const double start = energy();
    for (int f = 0; f < 6; ++f) {
      s.frames(24);
      CHECK(energy() < 1.02 * start);
    }
    if (rolling > 0) s.frames(96);
    CHECK(s.asleep(egg) == (rolling > 0));
    if (rolling == 0) CHECK(energy() > 0.5 * start);
  }
}
TEST_CASE("a cask that rolls over a slat in which it lies is lifted out of it", "[world]") {
  Stage s;
  s.surface(0.5, 0.2);
  s.ground();
  const std::size_t cask = s.add(world::cylinderPrototype("cask", 0.25, 0.7, Vec3::UnitX(), 720),
                                 vec3(0, 0.25, 0)),
                    slat = s.box(vec3(0.3, 0.032, 0.15), vec3(0, 0.016, 0.08), Vec3::Zero(), 600);
  s.scene.pieces[cask].velocity = vec3(0.05, 0, 0.35);
  s.scene.pieces[cask].spin = vec3(1.4, 0, 0);
  s.frames(12);
  double gap = 0;
  for (const solve::Contact& c : s.world().contacts())
    if (c.a.index() == cask && c.b.index() == slat) gap = least(gap, c.patch.leastGap());
  CHECK(gap > -0.1 * 0.032);
  CHECK(s.position(cask).y() > 0.25 + 0.02);
}
