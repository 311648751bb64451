// SPDX-License-Identifier: Apache-2.0
// Pieces in files, and what they look like there.
#include <fmt/format.h>
#include <catch2/catch.hpp>

#include <algorithm>
#include <array>
#include <filesystem>
#include <fstream>
#include <map>
#include <sstream>
#include <unordered_map>

#include "core/base/error.h"
#include "core/cut/pieces_check.h"
#include "core/mesh/mass.h"
#include "core/mesh/test_solids.h"
#include "core/world/world.h"
#include "files/cuts.h"
#include "files/meshes.h"
#include "files/obj.h"
#include "files/points.h"
#include "files/test_folder.h"

using namespace drubble;
using namespace drubble::files;

namespace {

// A block whose texture runs with its places: u along x, v along y.
std::string painted() {
  const mesh::TriangleMesh m = mesh::boxMesh(vec3(2, 1, 1));
  std::string out;
  for (const Vec3& v : m.vertices)
    out += "v " + std::to_string(v.x()) + " " + std::to_string(v.y()) + " " + std::to_string(v.z()) + "\n";
  for (const Vec3& v : m.vertices) out += "vt " + std::to_string(v.x()) + " " + std::to_string(v.y()) + "\n";
  for (const Vec3& v : m.vertices) {
    const Vec3 n = v.normalized();
    out += "vn " + std::to_string(n.x()) + " " + std::to_string(n.y()) + " " + std::to_string(n.z()) + "\n";
  }
  for (std::size_t t = 0; t < m.triangles.size(); ++t) {
    if (t == 0) out += "usemtl tarred\n";
    if (t == 6) out += "usemtl painted\n";
    out += "f";
    for (const std::uint32_t n : m.triangles[t]) {
      const std::string k = std::to_string(n + 1);
      out += " " + k + "/" + k + "/" + k;
    }
    out += "\n";
  }
  return out;
}

}  // namespace

TEST_CASE("pieces keep their skin's texture, normals and materials; the inside has its own") {
  const TestFolder folder("drubble_pieces_test");
  folder.write("block.obj", painted());
  const Setup s =
      parseSetup(folder.at("block.toml"),
                 "[[body]]\nname = \"block\"\nmesh = \"block.obj\"\n[[cut]]\nof = \"block\"\ncount = 12\n");
  const BuiltScene built = buildScene(s);
  const std::vector<LookedPiece> pieces = piecesOf(s, built, built.cuts[0]);
  REQUIRE(pieces.size() == 12);
  std::size_t outside = 0, inside = 0;
  for (const LookedPiece& p : pieces)
    for (std::size_t t = 0; t < p.mesh.triangles.size(); ++t) {
      const std::string& material = p.look.names[p.look.materials[t]];
      const Vec3 flat = p.mesh.normal(t);
      for (std::size_t k = 0; k < 3; ++k) {
        const Vec3& v = p.mesh.vertices[p.mesh.triangles[t][k]];
        if (p.inside[t] == 0) {
          CHECK((p.look.uvs[t][k] - Vec2(v.x(), v.y())).norm() < 1e-6);
          CHECK(p.look.normals[t][k].dot(v) > 0);
        } else {
          CHECK((p.look.normals[t][k] - flat).norm() < 1e-12);
        }
      }
      CHECK((p.inside[t] != 0 ? material == "block_inside" : material == "tarred" || material == "painted"));
      ++(p.inside[t] != 0 ? inside : outside);
    }
  CHECK(outside > 12);
  CHECK(inside > 12);

  writeObj(folder.at("pieces.obj"), pieces);
  const std::vector<NamedMesh> read = readObjGroups(folder.at("pieces.obj"));
  REQUIRE(read.size() == 12);
  CHECK(read[4].name == "block/0005");
  double volume = 0;
  for (const NamedMesh& p : read) {
    CHECK(mesh::closedness(p.mesh).closed());
    volume += mesh::massProperties(p.mesh).volume;
  }
  CHECK(volume == Approx(2).epsilon(1e-6));
  const LookedMesh again = readLookedMesh(folder.at("pieces.obj"));
  CHECK(again.look.names.size() == 3);
  CHECK(again.look.uvs.size() == again.mesh.triangles.size());

  writeGlb(folder.at("pieces.glb"), pieces);
  writePly(folder.at("pieces.ply"), pieces);
  for (const char* name : {"pieces.glb", "pieces.ply"}) {
    const mesh::TriangleMesh m = readMesh(folder.at(name));
    CHECK(m.triangles.size() == inside + outside);
    CHECK(mesh::massProperties(m).volume == Approx(2).epsilon(1e-5));
  }
  CHECK(readLookedMesh(folder.at("pieces.glb")).look.uvs.size() == inside + outside);
}

TEST_CASE("a body without a file has flat normals and coordinates from a box") {
  const Setup s = parseSetup(
      "x.toml",
      "units = \"cm\"\n[[body]]\nname = \"slab\"\nbox = [200, 10, 100]\n[[cut]]\nof = \"slab\"\ncount = 2\n");
  const BuiltScene built = buildScene(s);
  for (const LookedPiece& p : piecesOf(s, built, built.cuts[0])) {
    CHECK(p.mesh.bounds().size().maxCoeff() > 20);
    for (std::size_t t = 0; t < p.mesh.triangles.size(); ++t)
      for (std::size_t k = 0; k < 3; ++k)
        CHECK((p.look.uvs[t][k] - boxProjected(p.mesh.vertices[p.mesh.triangles[t][k]], p.mesh.normal(t)))
                  .norm() < 1e-9);
  }
}

TEST_CASE("places are read from tables with and without names, and from meshes") {
  const TestFolder folder("drubble_pieces_test");
  const std::vector<Vec3> plain = readPoints(folder.write("a.csv", "1, 2, 3\n# a remark\n\n4; 5; 6\n"));
  REQUIRE(plain.size() == 2);
  CHECK(plain[1] == vec3(4, 5, 6));
  CHECK(readPoints(folder.write("b.csv", "id,Z,Y,X\n7,3,2,1\n"))[0] == vec3(1, 2, 3));
  CHECK(
      readPoints(folder.write("c.ply",
                              "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\n"
                              "property float z\nend_header\n1 2 3\n"))[0] == vec3(1, 2, 3));
  const auto why = [&](const std::string& text) {
    try {
      readPoints(folder.write("d.csv", text));
    } catch (const Error& e) {
      return std::to_string(e.problems()[0].where->line) + ": " + e.what();
    }
    return std::string();
  };
  CHECK(why("1,2,3\n1,2\n") == "2: a place needs three numbers: x, y and z");
  CHECK(why("a,b,c\n") == "1: no column is called x: name three of them x, y and z");
  CHECK(why("# nothing\n") == "0: the file holds no places");
}

TEST_CASE("cut pieces lie still against each other: without weight, and asleep under it until they are hit") {
  const TestFolder folder("drubble_pieces_test");
  const mesh::TriangleMesh ring = mesh::torus(0.5, 0.2, 24, 12);
  writeObj(folder.at("ring.obj"), ring, "ring");
  const std::string text = R"([[body]]
name = "ring"
mesh = "ring.obj"
at = [0, 2, 0]
[[body]]
name = "block"
box = [1, 1, 1]
at = [3, 2, 0]
[[cut]]
of = "ring"
count = 16
[[cut]]
of = "block"
count = 16
)";
  const auto farthest = [](const Setup& s, int frames) {
    const BuiltScene built = buildScene(s);
    world::World w(built.scene);
    world::Watcher nobody;
    for (int f = 0; f < frames; ++f) w.advance(nobody);
    double far = 0;
    for (std::size_t i = 0; i < built.scene.pieces.size(); ++i)
      far = std::max(far, (w.motion().position[i] - built.scene.pieces[i].start.position).norm());
    return far;
  };
  CHECK(farthest(parseSetup(folder.at("x.toml"), "gravity = 0\n" + text), 48) < 1e-14);  // rounding alone
  const std::string asleep = text + "[[adjust]]\nwho = \"**\"\nstart = \"asleep\"\n";
  CHECK(farthest(parseSetup(folder.at("x.toml"), asleep), 24) == 0);
  const std::string hit = asleep +
                          "[[body]]\nname = \"shot\"\nsphere = 0.2\nat = [3, 2, 3]\nvelocity = [0, 0, -20]\n"
                          "[[adjust]]\nwho = \"shot\"\nstart = \"awake\"\n";
  CHECK(farthest(parseSetup(folder.at("x.toml"), hit), 8) > 0.05);
}

TEST_CASE("parts of a concave mesh are made once: the next one finds them") {
  const TestFolder folder("drubble_pieces_test");
  writeObj(folder.at("bracket.obj"), mesh::bracket(), "bracket");
  const Setup s = parseSetup(folder.at("x.toml"), "[[body]]\nname = \"bracket\"\nmesh = \"bracket.obj\"\n");
  Building how;
  how.store = folder.at("parts");
  const BuiltScene first = buildScene(s, how);
  REQUIRE(first.scene.prototypes[0].shape.kind == shape::Kind::Joined);
  CHECK(first.scene.prototypes[0].shape.parts->size() == 2);
  std::vector<std::filesystem::path> kept;
  for (const auto& f : std::filesystem::directory_iterator(how.store)) kept.push_back(f.path());
  REQUIRE(kept.size() == 1);
  const auto written = std::filesystem::last_write_time(kept[0]);
  const BuiltScene again = buildScene(s, how);
  CHECK(std::filesystem::last_write_time(kept[0]) == written);
  const auto& a = *first.scene.prototypes[0].shape.parts;
  const auto& b = *again.scene.prototypes[0].shape.parts;
  REQUIRE(a.size() == b.size());
  for (std::size_t k = 0; k < a.size(); ++k) {
    CHECK(a[k].shape.convex->vertices == b[k].shape.convex->vertices);
    CHECK(a[k].inner.size() == b[k].inner.size());
  }
  // What is damaged is made anew.
  std::filesystem::resize_file(kept[0], 40);
  CHECK(buildScene(s, how).scene.prototypes[0].shape.parts->size() == 2);
  CHECK(std::filesystem::file_size(kept[0]) > 40);
  // A hull is what is asked for, or what a body that does not move by itself is not felt as.
  const Setup hull =
      parseSetup(folder.at("x.toml"), "[[body]]\nname = \"b\"\nmesh = \"bracket.obj\"\nshape = \"hull\"\n");
  CHECK(buildScene(hull, how).scene.prototypes[0].shape.kind == shape::Kind::Convex);
}

namespace {

// A solid as text that gives every place back to the last bit.
std::string written(const mesh::TriangleMesh& m) {
  std::string out;
  for (const Vec3& v : m.vertices) out += fmt::format("v {} {} {}\n", v.x(), v.y(), v.z());
  for (const mesh::Triangle& t : m.triangles)
    out += fmt::format("f {} {} {}\n", t[0] + 1, t[1] + 1, t[2] + 1);
  return out;
}

struct ReadPiece {
  std::string name;
  std::vector<mesh::Triangle> triangles;  // by place
  mesh::TriangleMesh mesh;
};

// Places are the same where they are written alike.
std::vector<ReadPiece> readPieces(const std::string& path, std::vector<Vec3>& places) {
  std::ifstream in(path);
  std::vector<ReadPiece> out;
  std::unordered_map<std::string, std::uint32_t> known;
  std::vector<std::uint32_t> place_of;  // a line of the file
  for (std::string line; std::getline(in, line);) {
    std::istringstream words(line);
    std::string kind;
    words >> kind;
    if (kind == "g" || kind == "o") words >> out.emplace_back().name;
    if (kind == "v") {
      const auto [at, fresh] = known.try_emplace(line, u32(places.size()));
      place_of.push_back(at->second);
      if (!fresh) continue;
      Vec3& p = places.emplace_back();
      words >> p.x() >> p.y() >> p.z();
    }
    if (kind != "f") continue;
    mesh::Triangle t;
    ReadPiece& piece = out.back();
    const auto first = u32(piece.mesh.vertices.size());
    for (std::uint32_t& corner : t) {
      std::string word;
      words >> word;
      corner = place_of[std::stoul(word) - 1];
      piece.mesh.vertices.push_back(places[corner]);
    }
    piece.mesh.triangles.push_back({first, first + 1, first + 2});
    piece.triangles.push_back(t);
  }
  return out;
}

// From the file alone: pieces close, fill the solid, and what is no skin has its like, the other way round.
void checkWritten(const TestFolder& folder, const cut::Named& solid, const std::string& cut) {
  folder.write("solid.obj", written(solid.mesh));
  const Setup s = parseSetup(folder.at("solid.toml"),
                             "[[body]]\nname = \"b\"\nmesh = \"solid.obj\"\n[[cut]]\nof = \"b\"\n" + cut);
  const BuiltScene built = buildScene(s);
  writeObj(folder.at("pieces.obj"), piecesOf(s, built, built.cuts[0]));
  std::vector<Vec3> places;
  const std::vector<ReadPiece> pieces = readPieces(folder.at("pieces.obj"), places);
  INFO(solid.name << ", " << cut << ", " << pieces.size() << " pieces");
  REQUIRE(pieces.size() == built.cuts[0].count);
  double volume = 0;
  std::map<mesh::Triangle, int> faces;  // from the least: how many one way less those the other
  for (const ReadPiece& p : pieces) {
    const mesh::TriangleMesh whole = mesh::welded(p.mesh);
    const mesh::Closedness c = mesh::closedness(whole);
    INFO(p.name);
    CHECK(c.open_edges == 0);
    CHECK(c.flipped_edges == 0);
    volume += mesh::massProperties(whole).volume;
    for (mesh::Triangle t : p.triangles) {
      std::rotate(t.begin(), std::min_element(t.begin(), t.end()), t.end());
      const bool turned = t[2] < t[1];
      if (turned) std::swap(t[1], t[2]);
      faces[t] += turned ? -1 : 1;
    }
  }
  const double truly = mesh::massProperties(solid.mesh).volume;
  CHECK(volume == Approx(truly).epsilon(1e-6));
  double skin = 0, whole_skin = 0;
  const auto areaOf = [](const Vec3& a, const Vec3& b, const Vec3& c) {
    return 0.5 * (b - a).cross(c - a).norm();
  };
  for (const auto& [t, count] : faces)
    if (count != 0) skin += std::abs(count) * areaOf(places[t[0]], places[t[1]], places[t[2]]);
  for (const mesh::Triangle& t : solid.mesh.triangles)
    whole_skin += areaOf(solid.mesh.vertices[t[0]], solid.mesh.vertices[t[1]], solid.mesh.vertices[t[2]]);
  CHECK(skin == Approx(whole_skin).epsilon(1e-5));  // what has no like is the solid's own skin, all of it
}

std::vector<cut::Named> writtenSolids() {
  std::vector<cut::Named> out = cut::solids();
  out.push_back({"pot", mesh::pot(0.06, 24, 2)});
  out.push_back({"bracket", mesh::bracket()});
  out.push_back({"gear", mesh::gear(9)});
  out.push_back({"knot", mesh::knot(120, 10)});
  out.push_back({"armour unit", mesh::fourLegs()});
  return out;
}

const std::array<std::string, 5> kPatterns = {"count = 30\n", "count = 20\ngrain = [1, 6, 1]\neven = 1\n",
                                              "pattern = \"parallel\"\ncount = 5\ntilt = 8\n",
                                              "pattern = \"impact\"\nrays = 7\nrings = 3\n",
                                              "pattern = \"bricks\"\nsize = [0.3, 0.12, 0.2]\n"};

}  // namespace

TEST_CASE("what is written closes, fills and fits as it was cut, by the file alone") {
  const TestFolder folder("drubble_pieces_test");
  const std::vector<cut::Named> solids = writtenSolids();
  for (std::size_t k = 0; k < kPatterns.size(); ++k) checkWritten(folder, solids[2 * k], kPatterns[k]);
}

TEST_CASE("the same of every solid by every pattern and four seeds", "[.fuzz][slow]") {
  const TestFolder folder("drubble_pieces_test");
  for (const cut::Named& solid : writtenSolids())
    for (const std::string& pattern : kPatterns)
      for (int seed = 1; seed <= 4; ++seed)
        checkWritten(folder, solid, pattern + "seed = " + std::to_string(seed) + "\n");
}
