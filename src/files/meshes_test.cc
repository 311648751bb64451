// SPDX-License-Identifier: Apache-2.0
// Meshes and node motion from files of the kinds that other programs write.
#include "files/meshes.h"

#include <catch2/catch.hpp>
#include <cstring>

#include "core/base/error.h"
#include "core/base/trig.h"
#include "core/mesh/mass.h"
#include "files/gltf.h"
#include "files/setup/build_scene.h"
#include "files/test_folder.h"

using namespace drubble;
using namespace drubble::files;

namespace {

const char* kPly = R"(ply
format ascii 1.0
element vertex 4
property float x
property float y
property float z
element face 4
property list uchar int vertex_indices
end_header
0 0 0
1 0 0
0 1 0
0 0 1
3 0 2 1
3 0 1 3
3 1 2 3
3 2 0 3
)";

std::string tetrahedronStl() {
  const Vec3 v[] = {vec3(0, 0, 0), vec3(1, 0, 0), vec3(0, 1, 0), vec3(0, 0, 1)};
  const int faces[4][3] = {{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {2, 0, 3}};
  std::string out = "solid t\n";
  for (const auto& f : faces) {
    out += "facet normal 0 0 0\nouter loop\n";
    for (const int k : f)
      out += "vertex " + std::to_string(v[k].x()) + " " + std::to_string(v[k].y()) + " " +
             std::to_string(v[k].z()) + "\n";
    out += "endloop\nendfacet\n";
  }
  return out + "endsolid t\n";
}

template <class T>
void put(std::string& bytes, std::initializer_list<T> values) {
  for (const T v : values) {
    char raw[sizeof(T)];
    std::memcpy(raw, &v, sizeof(T));
    bytes.append(raw, sizeof(T));
  }
}

// A node that goes from the origin to (2, 0, 0) and a quarter turn about y in one second, under a parent at
// (0, 5, 0); and a triangle.
std::string movingGltf(const TestFolder& folder) {
  std::string bytes;
  put<float>(bytes, {0, 1});                                        // times
  put<float>(bytes, {0, 0, 0, 2, 0, 0});                            // translations
  put<float>(bytes, {0, 0, 0, 1, 0, 0.70710678f, 0, 0.70710678f});  // rotations
  put<float>(bytes, {0, 0, 0, 1, 0, 0, 0, 1, 0});                   // positions
  put<std::uint16_t>(bytes, {0, 1, 2, 0});
  folder.write("move.bin", bytes);
  return folder.write("move.gltf", R"({"asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}],
"nodes": [{"name": "stand", "translation": [0, 5, 0], "children": [1]}, {"name": "boat hook", "mesh": 0}],
"meshes": [{"primitives": [{"attributes": {"POSITION": 3}, "indices": 4}]}],
"buffers": [{"uri": "move.bin", "byteLength": 108}],
"bufferViews": [{"buffer": 0, "byteOffset": 0, "byteLength": 8}, {"buffer": 0, "byteOffset": 8, "byteLength": 24},
 {"buffer": 0, "byteOffset": 32, "byteLength": 32}, {"buffer": 0, "byteOffset": 64, "byteLength": 36},
 {"buffer": 0, "byteOffset": 100, "byteLength": 6}],
"accessors": [{"bufferView": 0, "componentType": 5126, "count": 2, "type": "SCALAR", "min": [0], "max": [1]},
 {"bufferView": 1, "componentType": 5126, "count": 2, "type": "VEC3"},
 {"bufferView": 2, "componentType": 5126, "count": 2, "type": "VEC4"},
 {"bufferView": 3, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
 {"bufferView": 4, "componentType": 5123, "count": 3, "type": "SCALAR"}],
"animations": [{"channels": [{"sampler": 0, "target": {"node": 1, "path": "translation"}},
  {"sampler": 1, "target": {"node": 1, "path": "rotation"}}],
 "samplers": [{"input": 0, "output": 1}, {"input": 0, "output": 2}]}]})");
}

}  // namespace

TEST_CASE("PLY, STL and glTF meshes are read, with their nodes' places") {
  const TestFolder folder("drubble_meshes_test");
  for (const std::string& path : {folder.write("t.ply", kPly), folder.write("t.stl", tetrahedronStl())}) {
    const mesh::TriangleMesh m = mesh::welded(readMesh(path));
    INFO(path);
    CHECK(m.vertices.size() == 4);
    CHECK(mesh::closedness(m).closed());
    CHECK(mesh::massProperties(m).volume == Approx(1.0 / 6));
  }
  const mesh::TriangleMesh m = readMesh(movingGltf(folder));
  REQUIRE(m.triangles.size() == 1);
  CHECK(m.bounds().low.y() == Approx(5.0));
}

TEST_CASE("mesh files that cannot be read say so with their path") {
  const TestFolder folder("drubble_meshes_test");
  CHECK_THROWS_WITH(readMesh(folder.write("t.xyz", "1 2 3")),
                    Catch::Contains("no mesh file that can be read"));
  CHECK_THROWS_WITH(readMesh(folder.write("bad.ply", "ply\nnonsense")),
                    Catch::Contains("cannot read the mesh"));
  CHECK_THROWS_WITH(readMesh("nowhere.stl"), Catch::Contains("no such file"));
}

TEST_CASE("a glTF node's animation leads a body, its parents' places included") {
  const TestFolder folder("drubble_meshes_test");
  const std::string path = movingGltf(folder);
  const std::vector<act::PoseKey> keys = readNodeMotion(path, "boat hook", 1, 24, 10);
  REQUIRE(keys.size() == 2);
  CHECK(keys[0].frame == 10);
  CHECK(keys[1].frame == Approx(34));
  CHECK((keys[1].pose.position - vec3(2, 5, 0)).norm() < 1e-6);
  CHECK(turnBetween(Quat::Identity(), keys[1].pose.turn).y() == Approx(kPi / 2).epsilon(1e-5));
  CHECK_THROWS_WITH(readNodeMotion(path, "mast", 1, 24, 1), Catch::Contains("'boat hook'"));

  const std::string setup = folder.write("s.toml",
                                         "frames = [10, 40]\n[[body]]\nname = \"hook\"\nbox = [1, 1, 1]\n"
                                         "role = \"kinematic\"\n[[motion]]\nwho = \"hook\"\n"
                                         "from = \"move.gltf\"\nnode = \"boat hook\"\n");
  const BuiltScene b = buildScene(readSetup(setup));
  CHECK((b.scene.moverPose(b.scene.movers[0], 22).position - vec3(1, 5, 0)).norm() < 1e-6);
}

TEST_CASE("the same mesh in other units or mended does not borrow the first one's shape") {
  const TestFolder folder("drubble_meshes_test");
  folder.write("t.ply", kPly);
  const std::string setup = folder.write(
      "s.toml",
      "[[body]]\nname = \"a\"\nmesh = \"t.ply\"\nshape = \"hull\"\n[[body]]\nname = \"b\"\nmesh = \"t.ply\"\n"
      "shape = \"hull\"\nmesh_units = \"cm\"\nat = [9, 0, 0]\n[[body]]\nname = \"c\"\nmesh = \"t.ply\"\n"
      "shape = \"hull\"\nscale = 3\nat = [20, 0, 0]\n");
  const BuiltScene b = buildScene(readSetup(setup));
  const auto radius = [&](std::size_t i) { return b.scene.prototypes[i].shape.outer_radius; };
  CHECK(radius(1) == Approx(0.01 * radius(0)));
  CHECK(radius(2) == Approx(3 * radius(0)));
}
