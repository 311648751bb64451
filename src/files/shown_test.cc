// SPDX-License-Identifier: Apache-2.0
#include "files/shown.h"

#include <fmt/format.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <map>

#include "core/mesh/mass.h"
#include "files/check.h"
#include "files/export/shot.h"
#include "files/made_look.h"
#include "files/simulate.h"
#include "files/test_folder.h"
#include "files/write_pieces.h"

using namespace drubble;
using namespace drubble::files;

namespace {

// A ball of many triangles, as OBJ, with normals, texture coordinates and two materials.
std::string ballObj(double radius, bool inward = false) {
  mesh::TriangleMesh m = mesh::transformed(mesh::sphereMesh(radius), Vec3::Ones(), {});
  for (mesh::Triangle& t : m.triangles)
    if (inward) std::swap(t[1], t[2]);
  std::string out;
  for (const Vec3& v : m.vertices) out += fmt::format("v {} {} {}\n", v.x(), v.y(), v.z());
  for (const Vec3& v : m.vertices) out += fmt::format("vt {} {}\n", v.x(), v.y());
  for (const Vec3& v : m.vertices)
    out += fmt::format("vn {} {} {}\n", v.x() / radius, v.y() / radius, v.z() / radius);
  for (std::size_t t = 0; t < m.triangles.size(); ++t) {
    if (t == 0) out += "usemtl cork\n";
    if (t == m.triangles.size() / 2) out += "usemtl paint\n";
    const auto [a, b, c] = m.triangles[t];
    out += fmt::format("f {0}/{0}/{0} {1}/{1}/{1} {2}/{2}/{2}\n", a + 1, b + 1, c + 1);
  }
  return out;
}

}  // namespace

TEST_CASE("what a file says of looks is kept through the cache, and handed on", "[shown]") {
  const TestFolder folder("drubble_shown");
  folder.write("ball.obj", ballObj(2));
  const Setup s =
      parseSetup(folder.at("x.toml"),
                 "units = \"cm\"\nframes = [1, 2]\n[[body]]\nname = \"float\"\nmesh = \"ball.obj\"\n");
  RunOptions options;
  options.cache_path = folder.at("x.drub");
  simulate(s, options);
  CacheReader cache(options.cache_path);
  const std::optional<LookedMesh> shown = cache.shownMesh(0);
  REQUIRE(shown);
  CHECK(shown->look.names == std::vector<std::string>{"cork", "paint"});
  REQUIRE(shown->look.normals.size() == cache.prototypes()[0].mesh.triangles.size());
  for (std::size_t t = 0; t < shown->look.normals.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 place = shown->mesh.vertices[shown->mesh.triangles[t][k]];
      CHECK(shown->look.normals[t][k].dot(place.normalized()) > 0.999);
      CHECK(shown->look.uvs[t][k].x() * 0.01 == Approx(place.x()).margin(1e-6));
    }
  ExportOptions to;
  Shot shot(cache, to);
  CHECK(shot.surfaces().size() == 2);
  CHECK(shot.meshes()[0].radius == Approx(2).epsilon(1e-6));
}

TEST_CASE("a detail stands where the simulated mesh does, whatever that is made of", "[shown]") {
  const TestFolder folder("drubble_shown");
  folder.write("ball.obj", ballObj(1.1));
  folder.write("plain.obj", ballObj(1));
  for (const char* body : {"sphere = 1", "mesh = \"plain.obj\"\ncentre_of_mass = [0, 0.2, 0]"}) {
    const Setup s = parseSetup(
        folder.at("x.toml"),
        fmt::format("[[body]]\nname = \"float\"\n{}\ndetail = {{ mesh = \"ball.obj\" }}\nscale = 2\n", body));
    const BuiltScene scene = buildScene(s);
    const auto shown = shownMeshes(s, scene);
    REQUIRE(shown[0]);
    const world::Prototype& p = scene.scene.prototypes[0];
    Box seen, felt;
    for (const Vec3& v : shown[0]->mesh.vertices) seen.add(v);
    for (const Vec3& v : p.mesh.vertices) felt.add(v);
    CHECK((seen.centre() - felt.centre()).norm() < 1e-9);
    CHECK(seen.size().x() == Approx(1.1 * felt.size().x()).epsilon(0.01));
  }
}

TEST_CASE("a detail of a cut body is cut alike: each piece shows what of it lies in its cells", "[shown]") {
  const TestFolder folder("drubble_shown");
  const bool inward = GENERATE(false, true);  // its faces looking in is a slip that is seen to
  folder.write("ball.obj", ballObj(1.05, inward));
  const Setup s = parseSetup(folder.at("x.toml"),
                             "[[body]]\nname = \"float\"\nsphere = 1\ndetail = { mesh = \"ball.obj\" }\n"
                             "[[cut]]\nof = \"float\"\npattern = \"scatter\"\ncount = 12\n"
                             "[[cut]]\nof = \"float/0003\"\npattern = \"scatter\"\ncount = 4\n");
  const BuiltScene scene = buildScene(s);
  const auto shown = shownMeshes(s, scene);
  double whole = 0;
  REQUIRE(shown.size() == 15);
  for (std::size_t i = 0; i < shown.size(); ++i) {
    REQUIRE(shown[i]);
    const world::Prototype& p = scene.scene.prototypes[i];
    const mesh::MassProperties seen = mesh::massProperties(shown[i]->mesh);
    INFO(p.name);
    CHECK(mesh::closedness(shown[i]->mesh).closed());
    CHECK(seen.volume > 0.9 * p.volume);
    CHECK(seen.volume < 1.6 * p.volume);
    CHECK(seen.centre.norm() < 0.2 * p.traits.size);
    whole += seen.volume;
    CHECK(shown[i]->look.names == std::vector<std::string>{"cork", "paint", "float_inside"});
    std::size_t inside = 0;
    for (const std::uint32_t m : shown[i]->look.materials) inside += m == 2;
    CHECK(inside > 4);
  }
  const mesh::MassProperties ball =
      mesh::massProperties(mesh::welded(readLookedMesh(folder.at("ball.obj")).mesh));
  CHECK(whole == Approx(absolute(ball.volume)).epsilon(1e-6));
}

TEST_CASE("a detail of a wall is cut into the same bricks, and one of them again", "[shown]") {
  const TestFolder folder("drubble_shown");
  // Bulging out by a fifth of its thickness in the middle.
  mesh::TriangleMesh bulged = mesh::transformed(mesh::sphereMesh(1), Vec3::Ones(), {});
  for (Vec3& v : bulged.vertices) {
    const double most = v.cwiseAbs().maxCoeff();
    const Vec3 cube = v / most;
    v = cube.cwiseProduct(Vec3(1, 0.3, 0.1 + 0.02 * (1 - cube.x() * cube.x()) * (1 - cube.y() * cube.y())));
  }
  std::string obj;
  for (const Vec3& v : bulged.vertices) obj += fmt::format("v {} {} {}\n", v.x(), v.y(), v.z());
  for (const mesh::Triangle& t : bulged.triangles)
    obj += fmt::format("f {} {} {}\n", t[0] + 1, t[1] + 1, t[2] + 1);
  folder.write("wall.obj", obj);
  const Setup s =
      parseSetup(folder.at("x.toml"),
                 "[[body]]\nname = \"wall\"\nbox = [2, 0.6, 0.2]\ndetail = { mesh = \"wall.obj\" }\n"
                 "[[cut]]\nof = \"wall\"\npattern = \"bricks\"\nsize = [0.4, 0.2, 0]\n"
                 "[[cut]]\nof = \"wall/0008\"\npattern = \"scatter\"\ncount = 3\n");
  const BuiltScene scene = buildScene(s);
  const auto shown = shownMeshes(s, scene);
  REQUIRE(shown.size() == 5 + 6 + 5 + 2);
  double whole = 0;
  for (std::size_t i = 0; i < shown.size(); ++i) {
    const world::Prototype& p = scene.scene.prototypes[i];
    INFO(p.name);
    REQUIRE(shown[i]);
    CHECK(mesh::closedness(shown[i]->mesh).closed());
    const mesh::MassProperties seen = mesh::massProperties(shown[i]->mesh);
    whole += seen.volume;
    CHECK(seen.volume > 0.9 * p.volume);
    CHECK(seen.volume < 1.4 * p.volume);  // a part of half the thickness has all of one side's bulge
    CHECK(seen.centre.norm() < 0.1 * p.traits.size);
  }
  CHECK(whole == Approx(mesh::massProperties(bulged).volume).epsilon(1e-6));
}

TEST_CASE("a detail that is not there, or cannot be cut, is said with its place", "[shown]") {
  const TestFolder folder("drubble_shown");
  CHECK_THROWS_WITH(
      buildScene(parseSetup(folder.at("x.toml"),
                            "[[body]]\nname = \"float\"\nsphere = 1\ndetail = { mesh = \"no.obj\" }\n")),
      Catch::Contains("no.obj"));
  folder.write("open.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
  const Setup s = parseSetup(folder.at("x.toml"),
                             "[[body]]\nname = \"float\"\nsphere = 1\ndetail = { mesh = \"open.obj\" }\n"
                             "[[cut]]\nof = \"float\"\npattern = \"scatter\"\ncount = 4\n");
  const BuiltScene scene = buildScene(s);
  CHECK_THROWS_WITH(shownMeshes(s, scene), Catch::Contains("not closed"));
  const std::vector<Finding> found = checkScene(s, scene);
  REQUIRE(!found.empty());
  CHECK(found[0].kind == "detail");
  CHECK(found[0].severity == Severity::Error);
  folder.write("ball.obj", ballObj(3));
  const Setup large = parseSetup(
      folder.at("x.toml"), "[[body]]\nname = \"float\"\nsphere = 1\ndetail = { mesh = \"ball.obj\" }\n");
  const std::vector<Finding> beside = checkScene(large, buildScene(large));
  CHECK(std::any_of(beside.begin(), beside.end(), [](const Finding& f) { return f.kind == "detail"; }));
  CHECK_THROWS_WITH(
      parseSetup(folder.at("x.toml"), "[[body]]\nname = \"a\"\nsphere = 1\ndetail = { mash = \"x\" }\n"),
      Catch::Contains("detail"));
}
