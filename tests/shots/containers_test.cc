// SPDX-License-Identifier: Apache-2.0
// Containers and carriers: what a hull would plug, a margin would hold off, or a fast frame would let
// through.
#include <catch2/catch.hpp>
#include <cmath>
#include <cstdio>
#include <functional>
#include <nlohmann/json.hpp>
#include <sstream>

#include "../support/program.h"

using drubble::test::Program;
using drubble::test::Ran;
using nlohmann::json;

namespace {

constexpr double kPi = 3.14159265358979;

// A closed solid of revolution: rings (radius, height) from the bottom's outside over the rim to the inside.
std::string lathed(const std::vector<std::pair<double, double>>& rings, int around) {
  std::ostringstream v, f;
  v << "v 0 " << rings.front().second << " 0\n";
  for (std::size_t k = 1; k + 1 < rings.size(); ++k)
    for (int s = 0; s < around; ++s)
      v << "v " << rings[k].first * std::cos(2 * kPi * s / around) << " " << rings[k].second << " "
        << -rings[k].first * std::sin(2 * kPi * s / around) << "\n";
  v << "v 0 " << rings.back().second << " 0\n";
  const auto at = [&](std::size_t k, int s) { return 2 + (static_cast<int>(k) - 1) * around + s % around; };
  const int last = 2 + (static_cast<int>(rings.size()) - 2) * around;
  for (int s = 0; s < around; ++s) {
    f << "f 1 " << at(1, s + 1) << " " << at(1, s) << "\n";
    for (std::size_t k = 1; k + 2 < rings.size(); ++k)
      f << "f " << at(k, s) << " " << at(k, s + 1) << " " << at(k + 1, s + 1) << " " << at(k + 1, s) << "\n";
    f << "f " << at(rings.size() - 2, s) << " " << at(rings.size() - 2, s + 1) << " " << last << "\n";
  }
  return v.str() + f.str();
}

// An open strip: a profile in the yz plane drawn out along x.
std::string drawnOut(const std::vector<std::pair<double, double>>& profile, double length, int cuts) {
  std::ostringstream out;
  for (int i = 0; i <= cuts; ++i)
    for (const auto& [y, z] : profile) out << "v " << length * i / cuts << " " << y << " " << z << "\n";
  const int n = static_cast<int>(profile.size());
  for (int i = 0; i < cuts; ++i)
    for (int k = 1; k < n; ++k)
      out << "f " << i * n + k << " " << i * n + k + 1 << " " << (i + 1) * n + k + 1 << " " << (i + 1) * n + k
          << "\n";
  return out.str();
}

// Of something a little soft, or the eggs would rock for a long time.
const char* kSmallThings = R"(
[material.soft]
rolling = 0.01
[[body]]
name = "egg"
ellipsoid = [0.03, 0.022, 0.022]
material = "soft"
[[body]]
name = "nut"
cylinder = [0.02, 0.025]
material = "soft"
[[body]]
name = "pin"
capsule = [0.012, 0.04]
material = "soft"
)";

// The small things and a grid of them, called "load".
std::string loadOf(const char* count, const char* spacing, const char* at) {
  return std::string(kSmallThings) +
         "[[place]]\nname = \"load\"\ncopies = { egg = 1, nut = 1, pin = 1 }\ncount = " + count +
         "\nspacing = " + spacing + "\nat = " + at + "\n";
}

json run(const Program& p, const std::string& name) {
  const Ran r = p.run({"run", name + ".toml", "--force"});
  INFO(r.err);
  REQUIRE(r.code == 0);
  return json::parse(p.run({"report", "out/" + name + ".drub", "--json"}).out);
}

json posesAt(const Program& p, const std::string& name, int frame) {
  const Ran r =
      p.run({"report", "out/" + name + ".drub", "--frame", std::to_string(frame), "--poses", "--json"});
  REQUIRE(r.code == 0);
  return json::parse(r.out)["poses"];
}

void eachCopy(const json& poses, const std::function<void(double x, double y, double z)>& visit) {
  for (const json& q : poses)
    if (q["name"].get<std::string>().find('/') != std::string::npos)
      visit(q["centre"][0].get<double>(), q["centre"][1].get<double>(), q["centre"][2].get<double>());
}

}  // namespace

TEST_CASE("a bowl holds, and a pot with a narrow neck fills from within") {
  const Program p;
  p.write("bowl.obj", lathed({{0, 0.01},
                              {0.1, 0.01},
                              {0.22, 0.06},
                              {0.3, 0.15},
                              {0.33, 0.25},
                              {0.315, 0.255},
                              {0.285, 0.16},
                              {0.21, 0.078},
                              {0.1, 0.03},
                              {0, 0.03}},
                             40));
  p.write("pot.obj", lathed({{0, 0.01},
                             {0.18, 0.01},
                             {0.3, 0.25},
                             {0.1, 0.46},
                             {0.1, 0.56},
                             {0.16, 0.64},
                             {0.145, 0.64},
                             {0.085, 0.56},
                             {0.085, 0.455},
                             {0.285, 0.25},
                             {0.17, 0.025},
                             {0, 0.025}},
                            40));
  p.write("pots.toml", std::string(R"(frames = [1, 168]
[[body]]
name = "floor"
ground = 0
[[body]]
name = "bowl"
mesh = "bowl.obj"
role = "static"
at = [-0.6, 0, 0]
[[body]]
name = "pot"
mesh = "pot.obj"
role = "static"
at = [0.6, 0, 0]
)") + kSmallThings + R"(
[[place]]
name = "in_bowl"
copies = { egg = 1, nut = 1, pin = 1 }
count = [3, 4, 3]
spacing = [0.08, 0.08, 0.08]
at = [-0.6, 0.3, 0]
vary = { turn = [180, 180, 180] }
[[place]]
name = "in_pot"
copies = { egg = 1, nut = 1, pin = 1 }
count = [2, 10, 1]
spacing = [0.07, 0.075, 0.07]
at = [0.6, 0.66, 0]
vary = { turn = [180, 180, 180] }
)");
  const json report = run(p, "pots");
  CHECK(report["jitter"]["worst"].get<double>() < 1e-3);
  CHECK(report["per_frame"].back()["penetration"]["worst_share"].get<double>() < 0.005);
  eachCopy(posesAt(p, "pots", 168), [](double x, double y, double z) {
    const bool bowl = x < 0;
    CHECK(std::hypot(x - (bowl ? -0.6 : 0.6), z) < (bowl ? 0.3 : 0.28));
    CHECK(y > 0.03);
    CHECK(y < (bowl ? 0.25 : 0.2));
  });
}

TEST_CASE("a floor with a hole lets through what is over the hole, and nothing else") {
  const Program p;
  std::ostringstream m;  // a sheet without thickness, nine tiles, the middle one left out
  const double at[] = {-1, -0.2, 0.2, 1};
  for (const double z : at)
    for (const double x : at) m << "v " << x << " 0 " << z << "\n";
  for (int j = 0; j < 3; ++j)
    for (int i = 0; i < 3; ++i)
      if (i != 1 || j != 1)
        m << "f " << 4 * j + i + 1 << " " << 4 * j + i + 5 << " " << 4 * j + i + 6 << " " << 4 * j + i + 2
          << "\n";
  p.write("sheet.obj", m.str());
  p.write("hole.toml", R"(frames = [1, 40]
[[body]]
name = "sheet"
mesh = "sheet.obj"
role = "static"
[[body]]
name = "ball"
sphere = 0.06
[[body]]
name = "crate"
box = [0.12, 0.1, 0.11]
[[place]]
name = "things"
copies = { ball = 1, crate = 1 }
count = [5, 1, 5]
spacing = [0.3, 1, 0.3]
at = [0, 0.2, 0]
)");
  run(p, "hole");
  const json start = posesAt(p, "hole", 1), end = posesAt(p, "hole", 40);
  int through = 0, kept = 0;
  for (std::size_t i = 0; i < start.size(); ++i) {
    if (start[i]["name"] == "sheet") continue;
    const double x = start[i]["centre"][0], z = start[i]["centre"][2], y = end[i]["centre"][1];
    const bool over = std::abs(x) < 0.1 && std::abs(z) < 0.1;
    CHECK((y < -0.5) == over);
    CHECK((y > 0.04) == !over);
    ++(over ? through : kept);
  }
  CHECK(through == 1);
  CHECK(kept == 24);
}

TEST_CASE("a grooved chute keeps its balls, and they run out of its lower end when it is tipped") {
  const Program p;
  p.write("chute.obj", drawnOut({{0.16, -0.2}, {0.0, -0.04}, {0.0, 0.04}, {0.16, 0.2}}, 2, 20));
  p.write("chute.toml", R"(frames = [1, 84]
[[body]]
name = "chute"
mesh = "chute.obj"
role = "kinematic"
at = [0, 1, 0]
[[motion]]
who = "chute"
keys = [{ frame = 24, turn = [0, 0, 0] }, { frame = 48, turn = [0, 0, -20] }]
[[body]]
name = "ball"
sphere = 0.06
[[place]]
name = "balls"
copies = { ball = 1 }
count = [6, 1, 1]
spacing = [0.2, 1, 1]
at = [1, 1.08, 0]
)");
  run(p, "chute");
  // Level: in the groove, at rest. Tipped: past the lower end, still in the groove's plane.
  eachCopy(posesAt(p, "chute", 24), [](double x, double y, double z) {
    CHECK((x > 0.3 && x < 1.7));
    CHECK(y == Approx(1.06).margin(0.02));
    CHECK(std::abs(z) < 0.02);
  });
  eachCopy(posesAt(p, "chute", 84), [](double x, double y, double z) {
    CHECK(x > 1.9);
    CHECK(y < 0.5);
    CHECK(std::abs(z) < 0.05);
  });
}

TEST_CASE("a tray with a rim carries its load, also when it is stopped") {
  const Program p;
  p.write("tray.obj", lathed({{0, 0}, {0.4, 0}, {0.46, 0.08}, {0.45, 0.08}, {0.392, 0.012}, {0, 0.012}}, 32));
  p.write("tray.toml", std::string(R"(frames = [1, 96]
[[body]]
name = "tray"
mesh = "tray.obj"
role = "kinematic"
at = [0, 1, 0]
[[motion]]
who = "tray"
ease = "smooth"
keys = [{ frame = 24, at = [0, 1, 0] }, { frame = 60, at = [1.5, 1.2, 0.4], turn = [0, 0, 0] }]
)") + loadOf("[4, 1, 4]", "[0.12, 1, 0.12]", "[0, 1.03, 0]"));
  const json report = run(p, "tray");
  eachCopy(posesAt(p, "tray", 96), [](double x, double y, double z) {
    CHECK(std::hypot(x - 1.5, z - 0.4) < 0.44);
    CHECK(y > 1.21);
  });
  CHECK(report["strays"].empty());
}

namespace {

constexpr int kTarpCells = 24, kTarpFrames = 48;

// A tarpaulin 3 m wide: a hollow in which waves begin to run.
double tarpHeight(double x, double z, double seconds) {
  return 0.18 * (x * x + z * z) + std::min(1.0, seconds) * 0.1 * std::sin(5 * x - 8 * seconds);
}

std::string tarpAt(double seconds) {
  std::ostringstream out;
  const auto place = [](int i) { return 3.0 * i / kTarpCells - 1.5; };
  for (int i = 0; i <= kTarpCells; ++i)
    for (int k = 0; k <= kTarpCells; ++k)
      out << "v " << place(i) << " " << tarpHeight(place(i), place(k), seconds) << " " << place(k) << "\n";
  for (int i = 0; i < kTarpCells; ++i) {
    for (int k = 0; k < kTarpCells; ++k) {
      const int a = i * (kTarpCells + 1) + k + 1;
      out << "f " << a << " " << a + 1 << " " << a + kTarpCells + 2 << " " << a + kTarpCells + 1 << "\n";
    }
  }
  return out.str();
}

}  // namespace

TEST_CASE("a tarpaulin of numbered meshes billows under its load, and is drawn as it is") {
  const Program p;
  for (int f = 1; f <= kTarpFrames; ++f) {
    char name[32];
    std::snprintf(name, sizeof name, "tarp.%04d.obj", f);
    p.write(name, tarpAt((f - 1) / 24.0));
  }
  p.write("tarp.toml", std::string(R"(frames = [1, 72]
[[body]]
name = "tarp"
mesh = "tarp.####.obj"
role = "kinematic"
)") + loadOf("[4, 2, 4]", "[0.12, 0.12, 0.12]", "[0, 0.3, 0]"));
  CHECK_THAT(p.run({"check", "tarp.toml"}).out, Catch::Contains("changes its form in frames 1 to 48"));
  const json report = run(p, "tarp");
  INFO(report["strays"].dump());
  CHECK(report["strays"].empty());
  CHECK(report["penetration"]["worst_share"].get<double>() < 0.05);
  CHECK(report["drift"].get<double>() < 1e-3);
  for (const int f : {24, 48, 72}) {
    const double t = (std::min(f, kTarpFrames) - 1) / 24.0;
    eachCopy(posesAt(p, "tarp", f),
             [&](double x, double y, double z) { CHECK(y > tarpHeight(x, z, t) + 0.005); });
  }
  const auto pictureOf = [&](const char* frame) {
    const std::string name = std::string("at") + frame + ".png";
    REQUIRE(
        p.run({"draw", "tarp.toml", "--frame", frame, "--quick", "--plain", "--size", "320x200", "-o", name})
            .code == 0);
    return p.read(name);
  };
  CHECK(pictureOf("1") != pictureOf("30"));
  CHECK(pictureOf("48") == pictureOf("60"));  // the last form is kept
}

namespace {

// Four kinds of shape in a grid over a bin with walls, `side` metres wide inside.
std::string binOf(double side, double height, const std::string& count, int frames) {
  std::ostringstream out;
  out << "frames = [1, " << frames << "]\nseed = 3\n[[body]]\nname = \"floor\"\nground = 0\n";
  for (int k = 0; k < 4; ++k) {
    const double away = (k % 2 == 0 ? 1 : -1) * (0.5 * side + 0.02);
    const bool along_x = k < 2;
    out << "[[body]]\nname = \"wall_" << k << "\"\nrole = \"static\"\nbox = [" << (along_x ? 0.04 : side)
        << ", " << height << ", " << (along_x ? side + 0.08 : 0.04) << "]\nat = [" << (along_x ? away : 0)
        << ", " << 0.5 * height << ", " << (along_x ? 0 : away) << "]\n";
  }
  out << R"([[body]]
name = "egg"
ellipsoid = [0.06, 0.04, 0.045]
[[body]]
name = "pill"
capsule = [0.03, 0.07]
[[body]]
name = "drum"
cylinder = [0.04, 0.08]
[[body]]
name = "shard"
mesh = "shard.obj"
shape = "hull"
[[place]]
name = "mix"
copies = { egg = 1, pill = 1, drum = 1, shard = 1 }
spacing = [0.135, 0.14, 0.135]
at = [0, 0.03, 0]
vary = { turn = [180, 180, 180] }
count = )"
      << count << "\n";
  return out.str();
}

void comesToRest(const std::string& setup, int pieces) {
  const Program p;
  p.write("shard.obj",
          "v 0.05 0.01 0\nv -0.05 0 0.01\nv 0 0.04 0.005\nv 0.01 -0.04 0\nv 0 0.01 0.05\nv 0.005 0 -0.05\n"
          "f 1 3 5\nf 3 2 5\nf 2 4 5\nf 4 1 5\nf 3 1 6\nf 2 3 6\nf 4 2 6\nf 1 4 6\n");
  p.write("bin.toml", setup);
  const json report = run(p, "bin");
  const double deepest = report["per_frame"].back()["penetration"]["p99_share"];
  std::printf("  bin of %d: %d asleep, jitter %g, p99 penetration at the end %.3f %%\n", pieces,
              report["asleep"].get<int>(), report["jitter"]["worst"].get<double>(), 100 * deepest);
  CHECK(report["asleep"].get<int>() == pieces);
  CHECK(report["jitter"]["worst"].get<double>() == 0);
  CHECK(deepest < 0.005);
  CHECK(report["strays"].empty());
}

}  // namespace

TEST_CASE("mixed shapes in a bin come to rest, none sunk into another") {
  comesToRest(binOf(0.42, 0.5, "[3, 6, 3]", 192), 54);
}

// A minute: run by scripts/full_check.sh.
TEST_CASE("five hundred mixed shapes in a bin come to rest", "[.full]") {
  comesToRest(binOf(1.0, 0.9, "[7, 11, 7]", 192), 539);
}
