// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "core/base/trig.h"
#include "files/export/glb.h"
#include "files/export/test_quay.h"

using namespace drubble;
using namespace drubble::files;
using namespace drubble::files::test;

TEST_CASE("a point instancer has the cache's places, turns and speeds, as long as its list of ids",
          "[export]") {
  Exporting e("quay.usda");
  const std::string usd = e.usd(UsdForm::Instances);
  CHECK(usd.find("metersPerUnit = 0.01") != std::string::npos);
  CHECK(usd.find("nan") == std::string::npos);
  const std::size_t moving = usd.find("PointInstancer \"moving\"");
  const std::vector<double> ids = numbersIn(valueOf(usd, "int64[] ids", moving));
  REQUIRE(ids.size() == 9);  // five pieces and four floats
  const auto places = samplesOf(usd, "positions", moving),
             turns = samplesOf(usd, "quatf[] orientationsf", moving),
             speeds = samplesOf(usd, "vector3f[] velocities", moving),
             spins = samplesOf(usd, "angularVelocities", moving),
             absent = samplesOf(usd, "invisibleIds", moving);
  REQUIRE(places.size() == 30);
  for (const auto& [time, values] : places) {
    const std::vector<PieceState> states = e.cache.states(static_cast<int>(time));
    REQUIRE(values.size() == 3 * ids.size());
    REQUIRE(turns.at(time).size() == 4 * ids.size());
    for (std::size_t k = 0; k < ids.size(); ++k) {
      const PieceState& s = states[static_cast<std::size_t>(ids[k])];
      for (std::size_t i = 0; i < 3; ++i) {
        CHECK(values[3 * k + i] / 100 == Approx(s.position[i]).margin(1e-6));
        CHECK(speeds.at(time)[3 * k + i] / 100 == Approx(0.5 * s.velocity[i]).margin(1e-5));
        CHECK(spins.at(time)[3 * k + i] * kDegree == Approx(0.5 * s.spin[i]).margin(1e-5));
      }
      for (std::size_t i = 0; i < 4; ++i) CHECK(turns.at(time)[4 * k + i] == Approx(s.turn[i]).margin(1e-6));
    }
  }
  CHECK(absent.at(1).size() == 4);
  CHECK(absent.at(30).empty());
  CHECK(numbersIn(valueOf(usd, "int[] protoIndices", moving)).back() == 5);
}

TEST_CASE("what stays is written once, and what is not shown not at all", "[export]") {
  Exporting e("quay.usda");
  const std::string usd = e.usd(UsdForm::Instances);
  const std::size_t still = usd.find("PointInstancer \"still\"");
  REQUIRE(still != std::string::npos);
  CHECK(usd.find("timeSamples", still) == std::string::npos);
  CHECK(valueOf(usd, "string[] drubble:names", still) == "[\"quay\", \"bollard\"]");
  CHECK(usd.find("\"post\"") == std::string::npos);
  // The ground bears all that moves.
  Shot shot(e.cache, e.options);
  CHECK(shot.meshes()[0].radius > 200);
}

TEST_CASE("USD meshes: indices in range, a normal and a texture coordinate a corner, surfaces of all faces",
          "[export]") {
  Exporting e("quay.usda");
  const std::string usd = e.usd(UsdForm::Instances);
  std::size_t meshes = 0;
  for (std::size_t at = usd.find("def Mesh"); at != std::string::npos; at = usd.find("def Mesh", at + 1)) {
    ++meshes;
    const std::size_t points = numbersIn(valueOf(usd, "point3f[] points", at)).size() / 3;
    const std::vector<double> counts = numbersIn(valueOf(usd, "int[] faceVertexCounts", at));
    const std::vector<double> indices = numbersIn(valueOf(usd, "int[] faceVertexIndices", at));
    CHECK(indices.size() == 3 * counts.size());
    CHECK(*std::max_element(indices.begin(), indices.end()) < static_cast<double>(points));
    CHECK(numbersIn(valueOf(usd, "normal3f[] normals", at)).size() == 3 * indices.size());
    CHECK(numbersIn(valueOf(usd, "texCoord2f[] primvars:st", at)).size() == 2 * indices.size());
    const std::size_t end = usd.find("def Mesh", at + 1);
    std::size_t in_surfaces = 0;
    for (std::size_t s = usd.find("def GeomSubset", at); s < end && s != std::string::npos;
         s = usd.find("def GeomSubset", s + 1))
      in_surfaces += numbersIn(valueOf(usd, "int[] indices", s)).size();
    if (usd.substr(at, 20).find("block") != std::string::npos) CHECK(in_surfaces == counts.size());
  }
  CHECK(meshes == 8);
  CHECK(usd.find("\"block_inside\"") != std::string::npos);
}

TEST_CASE("as nodes each piece is where its name says, and goes as the cache has it", "[export]") {
  Exporting e("nodes.usda");
  const std::string usd = e.usd(UsdForm::Nodes, true);
  const std::size_t block = usd.find("def Xform \"block\"\n"), piece = usd.find("def Xform \"_0003\"", block);
  REQUIRE(piece != std::string::npos);
  CHECK(usd.find("string piece = \"block/0003\"", piece) < usd.find("def Xform", piece + 1));
  const auto places = samplesOf(usd, "double3 xformOp:translate", piece);
  const std::size_t id = 3;  // after quay
  REQUIRE(e.cache.pieces()[id].name == "block/0003");
  for (const int f : {1, 9, 30})
    for (std::size_t i = 0; i < 3; ++i)
      CHECK(places.at(f)[i] / 100 == Approx(e.cache.states(f)[id].position[i]).margin(1e-6));
  // Turns go the shorter way.
  std::vector<double> last;
  for (const auto& [time, q] : samplesOf(usd, "quatf xformOp:orient", piece)) {
    double dot = last.empty() ? 1 : 0;
    for (std::size_t i = 0; i < last.size(); ++i) dot += q[i] * last[i];
    CHECK(dot > 0);
    last = q;
  }
  CHECK(usd.find("token visibility.timeSamples", usd.find("def Xform \"floats\"")) != std::string::npos);
  const auto curves = samplesOf(usd, "int[] curveVertexCounts");
  CHECK(curves.at(1).size() > 4);
  CHECK(curves.at(30).size() < curves.at(1).size());
  CHECK(samplesOf(usd, "point3f[] points").at(1).size() == 6 * curves.at(1).size());
}

TEST_CASE("glTF: lengths and offsets add up, nodes go as the cache has them, in metres", "[export]") {
  Exporting e("quay.glb");
  Shot shot(e.cache, e.options);
  CHECK(writeGlb(shot, GlbForm::Nodes).empty());
  const std::string file = textOf(e.options.path);
  std::uint32_t head[5];
  std::memcpy(head, file.data(), sizeof(head));
  REQUIRE(head[2] == file.size());
  const auto json = nlohmann::json::parse(file.substr(20, head[3]));
  const std::size_t body = 20 + head[3] + 8;
  CHECK(json["buffers"][0]["byteLength"].get<std::size_t>() == file.size() - body);
  const auto floats = [&](std::size_t accessor, std::size_t width) {
    const auto& a = json["accessors"][accessor];
    const auto& view = json["bufferViews"][a["bufferView"].get<std::size_t>()];
    std::vector<float> out(a["count"].get<std::size_t>() * width);
    REQUIRE(view["byteLength"].get<std::size_t>() == out.size() * 4);
    std::memcpy(out.data(), file.data() + body + view["byteOffset"].get<std::size_t>(), out.size() * 4);
    return out;
  };
  const auto& animation = json["animations"][0];
  std::size_t checked = 0;
  for (const auto& c : animation["channels"]) {
    if (c["target"]["path"] != "translation") continue;
    const std::string name = json["nodes"][c["target"]["node"].get<std::size_t>()]["name"];
    std::size_t id = 0;
    while (e.cache.pieces()[id].name != name) ++id;
    const std::vector<float> places =
        floats(animation["samplers"][c["sampler"].get<std::size_t>()]["output"], 3);
    REQUIRE(places.size() == 90);
    for (std::size_t f = 0; f < 30; ++f)
      for (std::size_t i = 0; i < 3; ++i)
        CHECK(static_cast<double>(places[3 * f + i]) ==
              Approx(e.cache.states(static_cast<int>(f + 1))[id].position[i]).margin(1e-6));
    ++checked;
  }
  CHECK(checked == 9);
  CHECK(json["meshes"].size() == 8);
  CHECK_THROWS_AS(writeGlb(shot, GlbForm::Instances), Error);
}

TEST_CASE("glTF instances of a frame: as many as are there", "[export]") {
  Exporting e("still.glb");
  e.options.first = e.options.last = 8;
  Shot shot(e.cache, e.options);
  writeGlb(shot, GlbForm::Instances);
  const std::string file = textOf(e.options.path);
  std::uint32_t length = 0;
  std::memcpy(&length, file.data() + 12, 4);
  const auto json = nlohmann::json::parse(file.substr(20, length));
  std::size_t copies = 0;
  for (const auto& n : json["nodes"])
    if (n.contains("extensions")) {
      const auto& at = n["extensions"]["EXT_mesh_gpu_instancing"]["attributes"];
      const auto count = [&](const char* what) {
        return json["accessors"][at[what].get<std::size_t>()]["count"].get<std::size_t>();
      };
      CHECK(count("TRANSLATION") == count("ROTATION"));
      copies += count("TRANSLATION");
    }
  std::size_t there = 0;
  for (const PieceMoment& m : shot.at(8)) there += m.there();
  CHECK(copies == there - 1);  // the hidden post
}
