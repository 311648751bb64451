// SPDX-License-Identifier: Apache-2.0
#include <algorithm>
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>

#include "core/world/world.h"
#include "files/cache/reader.h"
#include "files/report/damage.h"
#include "files/setup/test_problems.h"
#include "files/simulate.h"

namespace drubble::files {

namespace {

const std::string kWall = R"(
frames = [1, 12]
[[body]]
name = "quay"
ground = 0
material = "granite"
[[body]]
name = "wall"
box = [2, 1, 0.4]
origin = "base"
material = "brick"
[[cut]]
of = "wall"
count = 40
)";

BuiltScene built(const std::string& text, const std::vector<std::string>& set = {}) {
  return buildScene(parseSetup("wall.toml", text, set));
}

}  // namespace

TEST_CASE("bonds among the pieces of a cut stand on the faces that it left", "[bond]") {
  const BuiltScene b = built(kWall + "[[bond]]\nname = \"mortar\"\namong = \"wall/*\"\nstrength = 0.5\n");
  const world::Scene& s = b.scene;
  REQUIRE(b.cuts.size() == 1);
  std::size_t faces = 0;
  for (const cut::Interface& f : b.cuts[0].interfaces) faces += f.area > 0;
  REQUIRE(s.bonds.size() == faces);
  for (const bond::Bond& x : s.bonds) {
    const Vec3 between = s.pieces[x.b.index()].start.position - s.pieces[x.a.index()].start.position;
    CHECK(x.face.normal.dot(between) > 0);
    CHECK(x.face.place.y() > -1e-9);
    CHECK(x.face.place.y() < 1 + 1e-9);
    CHECK(x.strength.tension == 2e6);
  }
  REQUIRE(s.bond_tables.size() == 1);
  CHECK(s.bond_tables[0].strength == 0.5);
}

TEST_CASE("bonds within reach stand on what faces each other, and a later table wins", "[bond]") {
  const std::string more =
      "[[bond]]\nname = \"mortar\"\namong = \"wall/*\"\nvary = 0.3\n"
      "[[bond]]\nname = \"foot\"\nbetween = [\"wall/*\", \"quay\"]\nreach = 0.01\nunbreakable = true\n"
      "[[bond]]\nname = \"crack\"\namong = \"wall/*\"\nforce = 100\n";
  const BuiltScene b = built(kWall + more);
  double foot = 0;
  std::size_t cracks = 0;
  for (const bond::Bond& x : b.scene.bonds) {
    const std::string& table = b.scene.bond_tables[x.table].name;
    CHECK(table != "mortar");
    if (table == "foot") {
      foot += x.face.area;
      CHECK(x.strength.tension == bond::kUnbreakable);
    } else {
      ++cracks;
      CHECK(x.strength.tension * x.face.area == Approx(100));
    }
  }
  CHECK(cracks > 40);
  CHECK(foot == Approx(2 * 0.4).epsilon(1e-6));
}

TEST_CASE("chance, zones and clumps change how much bonds bear", "[bond]") {
  const std::string plain = kWall + "[[bond]]\nname = \"mortar\"\namong = \"wall/*\"\n";
  const auto strengths = [](const BuiltScene& b) {
    std::vector<double> out;
    for (const bond::Bond& x : b.scene.bonds) out.push_back(x.strength.tension / 2e6);
    return out;
  };
  const std::vector<double> varied = strengths(built(plain + "vary = 0.2\n"));
  double low = 9, high = 0, sum = 0;
  for (const double x : varied) low = least(low, x), high = greatest(high, x), sum += x;
  CHECK(low >= 0.8);
  CHECK(low < 0.9);
  CHECK(high <= 1.2);
  CHECK(high > 1.1);
  CHECK(sum / static_cast<double>(varied.size()) == Approx(1).margin(0.05));
  CHECK(strengths(built(plain + "vary = 0.2\n")) == varied);
  CHECK(strengths(built(plain + "vary = 0.2\nseed = 9\n")) != varied);
  const BuiltScene zoned = built(plain + "zones = [{ box = [-9, -1, -9, 0, 9, 9], times = 0.25 }]\n");
  for (const bond::Bond& x : zoned.scene.bonds)
    CHECK(x.strength.tension == (x.face.place.x() <= 0 ? 0.25 : 1) * 2e6);
  const std::vector<double> clumped = strengths(built(plain + "clumps = { size = [3, 6], times = 4 }\n"));
  const auto strong = std::count(clumped.begin(), clumped.end(), 4.0);
  CHECK(strong > 20);
  CHECK(static_cast<std::size_t>(strong) < clumped.size() / 2);
}

TEST_CASE("what a bond table lacks or gets wrong is said", "[bond]") {
  const auto only = [](const std::string& text) {
    const std::vector<std::string> p = problemsOf(text);
    return p.empty() ? std::string() : p.front();
  };
  CHECK(only(kWall + "[[bond]]\namong = \"wall/*\"\n").find("needs a name") != std::string::npos);
  CHECK(only(kWall + "[[bond]]\nname = \"m\"\n").find("which pieces") != std::string::npos);
  CHECK(only(kWall + "[[bond]]\nname = \"m\"\namong = \"wal/*\"\n").find("wal/*") != std::string::npos);
  CHECK(only(kWall + "[[bond]]\nname = \"m\"\namong = \"wall/*\"\nzones = [{ times = 2 }]\n")
            .find("a zone takes") != std::string::npos);
  CHECK(only(kWall + "[[bond]]\nname = \"m\"\namong = \"wall/*\"\nclumps = { size = [9, 3] }\n")
            .find("clump") != std::string::npos);
  const std::string bare =
      "frames = [1, 2]\n[[body]]\nname = \"a\"\nbox = [1, 1, 1]\n[[cut]]\nof = \"a\"\ncount = 5\n"
      "[[bond]]\nname = \"m\"\namong = \"a/*\"\n";
  CHECK(only(bare).find("could never break") != std::string::npos);
  const BuiltScene apart =
      built(kWall + "[[bond]]\nname = \"m\"\nbetween = [\"wall/0001\", \"wall/0040\"]\n");
  REQUIRE(!apart.notes.empty());
  CHECK(apart.notes.back().find("joins nothing") != std::string::npos);
}

TEST_CASE(
    "the pieces of a cut that one motion leads are bonded as they stand at its start, until they are let go",
    "[bond]") {
  const std::string thrown = kWall +
                             "[[bond]]\nname = \"m\"\namong = \"wall/*\"\n"
                             "[[adjust]]\nwho = \"wall/*\"\nrole = \"kinematic\"\n"
                             "[[motion]]\nname = \"throw\"\nwho = \"wall/*\"\nrelease = { frame = 6 }\n"
                             "keys = [{ frame = 1, at = [0, 3, 0] }, { frame = 9, at = [1, 3, 0] }]\n";
  const BuiltScene b = built(thrown), stands = built(kWall + "[[bond]]\nname = \"m\"\namong = \"wall/*\"\n");
  REQUIRE(b.scene.bonds.size() == stands.scene.bonds.size());
  CHECK(b.scene.bond_tables[0].blow_time == stands.scene.bond_tables[0].blow_time);
  for (std::size_t n = 0; n < b.scene.bonds.size(); ++n)
    CHECK((b.scene.bonds[n].face.place - stands.scene.bonds[n].face.place - Vec3(0, 3, 0)).norm() < 1e-9);
  world::World w(b.scene, {1});
  world::Watcher nobody;
  while (w.frame() < 8) w.advance(nobody);
  REQUIRE(w.clusters().size() == 1);
  CHECK(w.clusters()[0].pieces.size() == 40);
  CHECK(w.clusters()[0].velocity.x() == Approx(1 / b.scene.seconds(1, 9)).epsilon(1e-3));
  // Before its first piece hits the ground all are let go, those that would never hit it too.
  std::string dropped = thrown;
  const auto swap = [&](const std::string& what, const std::string& with) {
    dropped.replace(dropped.find(what), what.size(), with);
  };
  swap("frame = 6", "before_hit = 1");
  swap("at = [1, 3, 0]", "at = [1, -0.1, 0]");
  const BuiltScene falls = built(dropped);
  for (const world::Mover& m : falls.scene.movers)
    CHECK(m.release_frame == falls.scene.movers[0].release_frame);
  CHECK(falls.notes.size() == 1);
  CHECK(falls.notes[0].find("'wall' will hit 'quay' at frame 8.7 with") != std::string::npos);
  // Nothing is bonded that stays where it is.
  const BuiltScene stays = built(kWall +
                                 "[[bond]]\nname = \"m\"\namong = \"wall/*\"\n"
                                 "[[adjust]]\nwho = \"wall/*\"\nrole = \"static\"\n");
  CHECK(stays.scene.bonds.empty());
  CHECK(stays.notes.back().find("nothing moves those of its pieces that share a face") != std::string::npos);
}

TEST_CASE("--set makes all bonds weaker, keyed ones too", "[bond]") {
  const std::string two =
      kWall +
      "[[bond]]\nname = \"m\"\namong = \"wall/*\"\nstrength = { keys = [[1, 1.0], [9, 0.5]] }\n"
      "[[bond]]\nname = \"foot\"\nbetween = [\"wall/*\", \"quay\"]\nreach = 0.01\n";
  const world::Scene s = built(two, {"bond.*.strength*=0.5"}).scene;
  REQUIRE(s.bond_tables.size() == 2);
  CHECK(s.bond_tables[0].strengthAt(1) == 0.5);
  CHECK(s.bond_tables[0].strengthAt(5) == Approx(0.375));
  CHECK(s.bond_tables[0].strengthAt(20) == 0.25);
  CHECK(s.bond_tables[1].strengthAt(5) == 0.5);
}

TEST_CASE("what breaks is in the cache, and the report says what would just have broken", "[bond]") {
  namespace fs = std::filesystem;
  const fs::path folder = fs::temp_directory_path() / "drubble_bonds_test";
  fs::remove_all(folder);
  fs::create_directories(folder);
  const std::string text =
      kWall +
      "[[bond]]\nname = \"m\"\namong = \"wall/*\"\n"
      "[[body]]\nname = \"ball\"\nsphere = 0.15\nat = [0, 0.5, 0.8]\nvelocity = [0, 0, -9]\n"
      "material = \"cast_iron\"\n";
  const auto run = [&](const char* name, const std::vector<std::string>& set) {
    RunOptions how;
    how.cache_path = (folder / name).string();
    how.overrides = set;
    simulate(parseSetup("wall.toml", text, set), how);
    CacheReader cache(how.cache_path);
    CHECK(cache.bonds().size() > 40);
    const Damage from_break = damageOf(cache, {});
    if (from_break.first) {  // a hit that comes too late to have broken it says nothing of where that was
      const int frame = from_break.first->frame;
      const Damage late = damageOf(cache, FirstHit{frame + 1, Vec3(40, 0, 0)});
      CHECK_FALSE(late.from_hit);
      CHECK(late.radius90 == from_break.radius90);
      const Damage struck = damageOf(cache, FirstHit{frame, Vec3(40, 0, 0)});
      CHECK(struck.from_hit);
      CHECK(struck.radius90 > 35);
    }
    return from_break;
  };
  const Damage strong = run("strong.drub", {"bond.m.strength=100"});
  CHECK(strong.broken == 0);
  CHECK(strong.clusters == 1);
  CHECK(strong.loose == 0);
  CHECK(strong.largest_share == Approx(1));
  REQUIRE(strong.first_break_factor.has_value());
  CHECK(*strong.first_break_factor < 1);
  const double just = 100 * *strong.first_break_factor;
  CHECK(run("holds.drub", {"bond.m.strength=" + std::to_string(1.02 * just)}).broken == 0);
  const Damage weak = run("weak.drub", {"bond.m.strength=" + std::to_string(0.98 * just)});
  CHECK(weak.broken > 0);
  REQUIRE(weak.first.has_value());
  CHECK(weak.over_time.back().second == weak.broken);
  std::size_t of_rings = 0;
  for (const DamageRing& r : weak.rings) of_rings += r.broken;
  CHECK(of_rings == weak.broken);
  CHECK(*weak.first_break_factor == Approx(1.02).epsilon(0.01));
  fs::remove_all(folder);
}

TEST_CASE("bonds that yield: what they take, and what only they take", "[bond][yielding]") {
  const std::string table = "[[bond]]\nname = \"straps\"\namong = \"wall/*\"\n";
  const world::Scene s =
      built(kWall + table + "kind = \"yielding\"\nstiffness = 0.1\ndamping = 0.5\ntear = 0.4\n").scene;
  const world::Scene rigid = built(kWall + table).scene;
  REQUIRE(s.bonds.size() == rigid.bonds.size());
  CHECK(s.bond_tables[0].yields);
  CHECK(s.bond_tables[0].damping == 0.5);
  CHECK(s.bond_tables[0].tear == 0.4);
  CHECK(s.bonds[0].stiffness == Approx(0.1 * rigid.bonds[0].stiffness));
  CHECK_FALSE(rigid.bond_tables[0].yields);
  const std::vector<std::string> said = problemsOf(kWall + table + "tear = 0.4\n");
  REQUIRE(said.size() == 1);
  CHECK_THAT(said[0], Catch::Matchers::Contains("kind = \"yielding\""));
}

TEST_CASE("stresses are in the cache where they are asked for", "[bond]") {
  const auto folder = std::filesystem::temp_directory_path() / "drubble_stress_test";
  std::filesystem::create_directories(folder);
  for (const bool keep : {false, true}) {
    const Setup setup =
        parseSetup("wall.toml", kWall + "[[bond]]\nname = \"mortar\"\namong = \"wall/*\"\nkeep_stress = " +
                                    (keep ? "true" : "false") + "\n");
    RunOptions options;
    options.cache_path = (folder / "wall.drub").string();
    options.force = true;
    simulate(setup, options);
    CacheReader cache(options.cache_path);
    const std::vector<float> shares = cache.bondStress(6);
    if (!keep) {
      CHECK(shares.empty());
      continue;
    }
    REQUIRE(shares.size() == cache.bonds().size());
    const float most = *std::max_element(shares.begin(), shares.end());
    CHECK(most > 0);
    CHECK(most < 0.5f);
  }
  std::filesystem::remove_all(folder);
}

TEST_CASE("bonds listed in a file: their pairs, strengths and areas, and what is wrong with them", "[bond]") {
  const auto folder = std::filesystem::temp_directory_path() / "drubble_bond_list";
  std::filesystem::create_directories(folder);
  const std::string setup = R"(
[[body]]
name = "left"
box = [1, 1, 1]
material = "brick"
[[body]]
name = "right"
box = [1, 1, 1]
at = [1, 0, 0]
material = "brick"
[[body]]
name = "far"
sphere = 0.5
at = [4, 0, 0]
material = "brick"
[[bond]]
name = "listed"
list = "bonds.csv"
)";
  const auto made = [&](const std::string& csv) {
    std::ofstream(folder / "bonds.csv") << csv;
    return buildScene(parseSetup((folder / "setup.toml").string(), setup)).scene;
  };
  const auto said = [&](const std::string& csv) {
    try {
      made(csv);
    } catch (const Error& e) {
      return e.problems().at(0).message +
             (e.problems().at(0).where ? " in line " + std::to_string(e.problems().at(0).where->line) : "");
    }
    return std::string();
  };
  const world::Scene s = made("# straps\nstrength, a, b, area\n0.5, right, left\n2, left, far, 0.25\n");
  REQUIRE(s.bonds.size() == 2);
  CHECK(s.bonds[0].face.area == Approx(1));
  CHECK(s.bonds[0].strength.tension == 0.5 * 2e6);
  CHECK(s.bonds[1].face.area == Approx(0.25));
  CHECK(s.bonds[1].face.place.x() == Approx(2));
  CHECK(s.bonds[1].strength.tension == 2 * 2e6);
  CHECK(made("left right\n").bonds.size() == 1);
  using Catch::Matchers::Contains;
  CHECK_THAT(said("left,far\n"), Contains("share no face") && Contains("line 1"));
  CHECK_THAT(said("left,right\nright,d\n"), Contains("no piece is called 'd' in line 2"));
  CHECK_THAT(said("left\n"), Contains("names of two pieces"));
  CHECK_THAT(said("left,right,much\n"), Contains("'much' is no strength"));
  CHECK_THAT(said(""), Contains("lists no bonds"));
  std::filesystem::remove_all(folder);
}

}  // namespace drubble::files
