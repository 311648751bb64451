// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>
#include <cmath>

#include "core/world/world.h"
#include "files/setup/build_pours.h"
#include "files/setup/test_problems.h"

namespace drubble::files {

namespace {

const std::string kBodies = R"(
frames = [1, 97]
[[body]]
name = "quay"
ground = 0
[[body]]
name = "pan"
box = [1, 0.1, 1]
at = [0, 1, 0]
role = "static"
[[body]]
name = "pebble"
sphere = 0.05
density = 2000
[[body]]
name = "keg"
box = [0.2, 0.3, 0.2]
[[body]]
name = "lid"
box = [0.2, 0.02, 0.2]
[[group]]
name = "kegged"
parts = [{ of = "keg" }, { of = "lid", at = [0, 0.17, 0] }]
)";

BuiltScene builtFrom(const std::string& more) { return buildScene(parseSetup("pours.toml", kBodies + more)); }

const std::string kPour = R"(
[[pour]]
name = "stones"
copies = { pebble = 1 }
from = { disc = [0, 3, 0, 0.4] }
)";

}  // namespace

TEST_CASE("a pour's births are as many as its rate says, evenly", "[pour]") {
  const Setup s = parseSetup("p.toml", kBodies + kPour + "rate = 60\nframes = [1, 49]\n");
  const BuiltScene b = buildScene(s);
  REQUIRE(b.scene.pours.size() == 1);
  const std::vector<world::Birth>& births = b.scene.pours[0].births;
  REQUIRE(births.size() == 120);  // two seconds
  for (std::size_t k = 0; k < births.size(); ++k)
    CHECK(births[k].frame == Approx(1 + 24.0 / 60 * (static_cast<double>(k) + 0.5)).margin(1e-9));
  CHECK(b.scene.pieces[births[7].first].name == "stones/0008");
  CHECK(b.scene.pieces[births[7].first].start_state == world::Start::Unborn);
}

TEST_CASE("per frame, by count, in pulses, up to a limit, at a slower clock", "[pour]") {
  const auto births = [](const std::string& more) { return builtFrom(kPour + more).scene.pours[0].births; };
  CHECK(births("per_frame = 2\nframes = [1, 25]\n").size() == 48);
  CHECK(births("count = 77\nframes = [10, 20]\n").size() == 77);
  CHECK(births("count = 77\nframes = [10, 20]\nlimit = 30\n").size() == 30);
  const auto pulsed = births("per_frame = 4\nframes = [1, 41]\npulses = { every = 20, length = 5 }\n");
  CHECK(pulsed.size() == 40);
  for (const world::Birth& b : pulsed) CHECK(std::fmod(b.frame - 1, 20) < 5);
  // Half the clock's speed: half the simulated seconds in the same frames.
  const BuiltScene slow = buildScene(
      parseSetup("p.toml", "time_scale = 0.5\n" + kBodies + kPour + "rate = 60\nframes = [1, 49]\n"));
  CHECK(slow.scene.pours[0].births.size() == 60);
  const auto keyed = births("rate = { keys = [[1, 0], [49, 120]] }\nframes = [1, 49]\n");
  CHECK(keyed.size() == Approx(120).margin(2));
  CHECK(keyed[keyed.size() / 2].frame > 30);
}

TEST_CASE("copies are drawn by weight and size, and another pour changes none of it", "[pour]") {
  const std::string mixed = R"(
[[pour]]
name = "mixed"
copies = { pebble = 3, keg = 1 }
size = [0.5, 1.5]
from = { point = [0, 3, 0] }
count = 400
)";
  const auto sizesOf = [](const BuiltScene& b, const std::string& name) {
    std::vector<double> out;
    for (const world::Pour& p : b.scene.pours)
      for (const world::Birth& x : p.births)
        if (p.name == name) out.push_back(b.scene.prototypeOf(x.first).traits.size);
    return out;
  };
  const BuiltScene alone = builtFrom(mixed), both = builtFrom(kPour + "count = 50\n" + mixed);
  const std::vector<double> sizes = sizesOf(alone, "mixed");
  CHECK(sizes == sizesOf(both, "mixed"));
  int pebbles = 0;
  double least = 1, most = 0;
  for (const world::Birth& x : alone.scene.pours[0].births) {
    const world::Prototype& p = alone.scene.prototypeOf(x.first);
    if (p.name != "pebble") continue;
    ++pebbles;
    least = std::min(least, p.traits.size);
    most = std::max(most, p.traits.size);
    const double radius = p.traits.size / 2;
    CHECK(p.traits.mass() == Approx(2000 * 4.18879 * radius * radius * radius).epsilon(0.02));
  }
  CHECK(pebbles == Approx(300).margin(4 * std::sqrt(400 * 0.75 * 0.25)));
  CHECK(least == Approx(0.05).margin(0.01));
  CHECK(most == Approx(0.15).margin(0.01));
  const BuiltScene other = builtFrom(mixed + "seed = 9\n");
  CHECK(sizes != sizesOf(other, "mixed"));
}

TEST_CASE("a group is poured with all its parts", "[pour]") {
  const BuiltScene b = builtFrom(R"(
[[pour]]
name = "stores"
copies = { kegged = 1 }
from = { body = "pan", on = "surface" }
count = 5
)");
  const world::Pour& p = b.scene.pours.at(0);
  REQUIRE(p.kits.at(0).parts.size() == 2);
  CHECK((p.kits[0].parts[1].position - p.kits[0].parts[0].position).y() == Approx(0.17));
  CHECK(b.scene.pieces[p.births[2].first + 1].name == "stores/0003/lid");
  CHECK(p.from.valid());
}

TEST_CASE("what a pour cannot do is said where it stands", "[pour]") {
  const auto said = [](const std::string& more) -> std::string {
    std::string all;
    for (const std::string& x : problemsOf(kBodies + more)) all += x + "\n";
    return all;
  };
  const std::string none = "\n[[pour]]\nname = \"x\"\ncopies = { pebble = 1 }\n";
  CHECK(said(none + "count = 3\n").find("needs from") != std::string::npos);
  CHECK(said(none + "from = { point = [0, 1, 0] }\n").find("needs one of: rate") != std::string::npos);
  CHECK(said(none + "from = { point = [0, 1, 0], disc = [0, 1, 0, 1] }\ncount = 3\n")
            .find("comes from one of") != std::string::npos);
  CHECK(said(none + "from = { body = \"pam\" }\ncount = 3\n").find("no piece is called 'pam'") !=
        std::string::npos);
  CHECK(said(none + "from = { body = \"pan\", on = \"volume\" }\ncount = 3\n").find("collide = false") !=
        std::string::npos);
  CHECK(said(none + "from = { point = [0, 1, 0] }\ncount = 3\nuntil = { height = 1 }\n")
            .find("'until' needs") != std::string::npos);
  CHECK(said(none + "from = { point = [0, 1, 0] }\ncount = 3\nframes = [200, 300]\n")
            .find("outside the shot") != std::string::npos);
  CHECK(said("\n[[pour]]\nname = \"x\"\ncopies = { pan = 1 }\nfrom = { point = [0, 1, 0] }\ncount = 3\n")
            .find("does not move by itself") != std::string::npos);
}

TEST_CASE("copies of a cut body are poured whole, in many sizes, and break where they land", "[pour][bond]") {
  const std::string jars = R"(
[[body]]
name = "jar"
cylinder = [0.12, 0.3]
material = "brick"
[[cut]]
of = "jar"
count = 8
[[bond]]
name = "fired"
among = "jars/**"
strength = 0.2
[[pour]]
name = "jars"
copies = { jar = 1 }
from = { box = [3, 2.6, -0.4, 5, 2.9, 0.4] }
count = 5
frames = [1, 9]
size = [0.7, 1.2]
spin = [0, 200]
)";
  const BuiltScene b = builtFrom(jars);
  const world::Scene& s = b.scene;
  REQUIRE(s.pours.size() == 1);
  REQUIRE(s.pours[0].births.size() == 5);
  const std::vector<std::uint32_t> births = birthsOf(s);
  REQUIRE(s.bonds.size() % 5 == 0);
  for (const bond::Bond& x : s.bonds) CHECK(births[x.a.index()] == births[x.b.index()]);
  world::World w(s);
  world::Watcher nobody;
  const auto broken = [&] {
    std::size_t n = 0;
    for (std::size_t k = 0; k < s.bonds.size(); ++k) n += w.bondBroken(k);
    return n;
  };
  // How far a piece is from where it belongs beside the first of its birth.
  const auto off = [&](std::uint32_t i) {
    const std::uint32_t first = s.pours[0].births[births[i] - 1].first;
    const solve::Motion& m = w.motion();
    return (m.pose(first).toBody(m.position[i]) - s.pieces[first].start.toBody(s.pieces[i].start.position))
        .norm();
  };
  std::size_t whole = 0;
  for (int f = 0; f < 48; ++f) {
    world::World again(s);
    again.restore(w.save());
    w.advance(nobody);
    again.advance(nobody);
    CAPTURE(f);
    REQUIRE(again.save() == w.save());
    if (broken() > 0) continue;
    for (std::uint32_t i = 0; i < s.pieces.size(); ++i)
      if (births[i] > 0 && w.sleepOf(i) == world::Sleep::Awake) {
        CHECK(off(i) < 1e-9);
        ++whole;
      }
  }
  CHECK(whole > 100);
  CHECK(broken() > 5);
  CHECK_THAT(oneProblemOf(kBodies + jars +
                          "[[joint]]\nname = \"j\"\nkind = \"ball\"\na = \"jars/0001/0001\"\nat = "
                          "[0, 0, 0]\n"),
             Catch::Contains("born with it"));
}

}  // namespace drubble::files
