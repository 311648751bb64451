// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <regex>
#include <sstream>

#include "core/base/trig.h"
#include "files/export/events.h"
#include "files/export/glb.h"
#include "files/export/sequence.h"
#include "files/export/table_out.h"
#include "files/export/usd.h"
#include "files/simulate.h"
#include "files/test_folder.h"

using namespace drubble;
using namespace drubble::files;

namespace {

// A cut block that falls on a quay, a hidden post, and floats that are poured, in centimetres, half as fast.
const char* kQuay = R"(
units = "cm"
frames = [1, 30]
time_scale = 0.5
[[body]]
name = "quay"
ground = 0
[[body]]
name = "block"
box = [60, 40, 50]
at = [0, 90, 0]
turn = [10, 20, 0]
spin = [0, 90, 40]
material = "pine"
[[cut]]
of = "block"
pattern = "scatter"
count = 5
[[bond]]
name = "glue"
among = "block/*"
strength = 0.002
[[body]]
name = "post"
box = [5, 200, 5]
origin = "base"
at = [150, 0, 0]
role = "static"
show = "no"
[[body]]
name = "bollard"
cylinder = [10, 40]
origin = "base"
at = [-150, 0, 0]
role = "static"
[[watch]]
name = "rubble"
who = "block/*"
keep_contacts = true
[[body]]
name = "float"
sphere = 8
[[pour]]
name = "floats"
copies = { float = 1 }
from = { point = [100, 150, 100] }
per_frame = 1
limit = 4
speed = 300
frames = [5, 24]
)";

struct Made {
  TestFolder folder{"drubble_export"};
  std::string path;
  Made() {
    RunOptions options;
    options.cache_path = path = folder.at("quay.drub");
    options.force = true;
    simulate(parseSetup(folder.at("quay.toml"), kQuay), options);
  }
};

const Made& made() {
  static const Made m;
  return m;
}

std::string textOf(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream out;
  out << in.rdbuf();
  return out.str();
}

std::vector<double> numbersIn(const std::string& text) {
  std::vector<double> out;
  std::string only;
  for (const char c : text) only += std::string("[](),:").find(c) != std::string::npos ? ' ' : c;
  std::istringstream in(only);
  for (double x; in >> x;) out.push_back(x);
  return out;
}

// The time samples of an attribute: numbers by time.
std::map<double, std::vector<double>> samplesOf(const std::string& usd, const std::string& attribute,
                                                std::size_t from = 0) {
  const std::size_t start = usd.find(attribute + ".timeSamples = {\n", from);
  REQUIRE(start != std::string::npos);
  std::istringstream lines(usd.substr(start, usd.find("}\n", start) - start));
  std::string line;
  std::getline(lines, line);
  std::map<double, std::vector<double>> out;
  while (std::getline(lines, line))
    if (const std::size_t colon = line.find(':'); colon != std::string::npos)
      out[std::stod(line)] = numbersIn(line.substr(colon + 1));
  return out;
}

// "rel x = [a, b]" or "int[] x = [1, 2]", up to the line's end.
std::string valueOf(const std::string& usd, const std::string& attribute, std::size_t from = 0) {
  const std::size_t start = usd.find(attribute + " = ", from);
  REQUIRE(start != std::string::npos);
  return usd.substr(start + attribute.size() + 3, usd.find('\n', start) - start - attribute.size() - 3);
}

struct Exporting {
  ExportOptions options;
  CacheReader cache{made().path};
  explicit Exporting(const std::string& name) { options.path = made().folder.at(name); }
  std::string usd(UsdForm form, bool bonds = false) {
    Shot shot(cache, options);
    writeUsd(shot, form, bonds);
    return textOf(options.path);
  }
};

}  // namespace

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

TEST_CASE("PLY frames: the vertices move by their speeds", "[export]") {
  Exporting e("quay.####.ply");
  e.options.first = 3;
  e.options.last = 4;
  Shot shot(e.cache, e.options);
  CHECK(writeFrames(shot, FrameForm::PlyMesh) == 2);
  const auto read = [&](int frame) {
    const std::string file = textOf(made().folder.at("quay.000" + std::to_string(frame) + ".ply"));
    const std::size_t body = file.find("end_header\n") + 11;
    std::vector<float> out(6 * std::stoul(file.substr(file.find("element vertex ") + 15)));
    std::memcpy(out.data(), file.data() + body, 4 * out.size());
    return out;
  };
  const double bytes = static_cast<double>(std::filesystem::file_size(made().folder.at("quay.0003.ply")));
  CHECK(static_cast<double>(bytesOfFrames(shot, FrameForm::PlyMesh)) / 2 == Approx(bytes).epsilon(0.6));
  // Halfway between two frames of free flight speeds are the mean of both; spin of a box changes little.
  const std::vector<float> a = read(3), b = read(4);
  REQUIRE(a.size() == b.size());
  double moved = 0;
  for (std::size_t v = 0; v < a.size(); v += 6)
    for (std::size_t i = 0; i < 3; ++i) {
      const double way = static_cast<double>(b[v + i] - a[v + i]);
      CHECK(0.5 / 24 * static_cast<double>(a[v + 3 + i] + b[v + 3 + i]) == Approx(way).margin(2e-2));
      moved = std::max(moved, std::abs(way));
    }
  CHECK(moved > 1);
}

TEST_CASE("a frame as OBJ has a group a piece; several frames want a place for their numbers", "[export]") {
  Exporting e("quay.obj");
  e.options.first = e.options.last = 20;
  {
    Shot shot(e.cache, e.options);
    writeFrames(shot, FrameForm::ObjMesh);
  }
  const std::string obj = textOf(e.options.path);
  for (const char* group :
       {"g quay\n", "g block/0005\n", "g bollard\n", "g floats/0001\n", "usemtl block_inside\n"})
    CHECK(obj.find(group) != std::string::npos);
  CHECK(textOf(made().folder.at("quay.mtl")).find("newmtl block_inside\nKd ") != std::string::npos);
  e.options.last.reset();
  Shot many(e.cache, e.options);
  CHECK_THROWS_AS(writeFrames(many, FrameForm::ObjMesh), Error);
}

TEST_CASE("a table has a row a piece and frame; thinned, what lies between its keys is near the motion",
          "[export]") {
  Exporting e("quay.csv");
  e.options.who = {"block/*"};
  const auto rows = [&](double thin) {
    Shot shot(e.cache, e.options);
    const std::size_t count = writeTable(shot, {{"position", "state"}, thin});
    std::istringstream in(textOf(e.options.path));
    std::map<std::string, std::map<double, Vec3>> out;
    std::string line;
    std::getline(in, line);
    CHECK(line == "piece,frame,x,y,z,state");
    std::size_t n = 0;
    for (; std::getline(in, line); ++n) {
      std::istringstream cells(line);
      std::string piece, cell;
      std::getline(cells, piece, ',');
      std::vector<double> v;
      for (int k = 0; k < 4 && std::getline(cells, cell, ','); ++k) v.push_back(std::stod(cell));
      out[piece][v[0]] = vec3(v[1], v[2], v[3]);
    }
    CHECK(n == count);
    return out;
  };
  const auto all = rows(-1), few = rows(1.5);
  CHECK(all.size() == 5);
  std::size_t kept = 0;
  for (const auto& [piece, track] : all) {
    CHECK(track.size() == 30);
    kept += few.at(piece).size();
    for (const auto& [frame, place] : track) {
      const auto after = few.at(piece).lower_bound(frame);
      if (after->first == frame) continue;
      const auto before = std::prev(after);
      const double s = (frame - before->first) / (after->first - before->first);
      CHECK((before->second + s * (after->second - before->second) - place).norm() <= 1.5 + 1e-6);
    }
  }
  CHECK(kept < 150 * 2 / 3);
  CHECK_THROWS_AS(
      [&] {
        Shot shot(e.cache, e.options);
        writeTable(shot, {{"positions"}, -1});
      }(),
      Error);
}

TEST_CASE("events: what the cache has, in the shot's units; bursts keep their impulse", "[export]") {
  Exporting e("events.csv");
  Shot shot(e.cache, e.options);
  const std::vector<ShotEvent> all = eventsOf(shot, {});
  const std::vector<CachedHit> hits = e.cache.hits();
  CHECK(all.size() == hits.size() + e.cache.bondBreaks().size());
  REQUIRE(!hits.empty());
  CHECK(all[0].place.y() / 100 == Approx(hits[0].place.y()).margin(1e-9));
  EventOptions gather;
  gather.breaks = false;
  gather.gather = 30;
  const std::vector<ShotEvent> bursts = eventsOf(shot, gather);
  double sum = 0, gathered = 0;
  std::size_t count = 0;
  for (const CachedHit& h : hits) sum += h.impulse;
  for (const ShotEvent& b : bursts) gathered += b.impulse, count += b.count;
  CHECK(gathered == Approx(sum));
  CHECK(count == hits.size());
  CHECK(bursts.size() < hits.size());
  EventOptions strong;
  strong.least_speed = 50;
  strong.breaks = false;
  for (const ShotEvent& h : eventsOf(shot, strong)) CHECK(h.speed >= 50);
  writeEvents(shot, all);
  CHECK(textOf(e.options.path).find("hit,") != std::string::npos);
}

TEST_CASE("exports refuse frames that are not there and names that nothing has", "[export]") {
  Exporting e("quay.usda");
  e.options.first = 0;
  CHECK_THROWS_WITH(Shot(e.cache, e.options), Catch::Contains("holds 1 to 30"));
  e.options.first.reset();
  e.options.who = {"blocks/*"};
  CHECK_THROWS_WITH(Shot(e.cache, e.options), Catch::Contains("takes no piece"));
}

TEST_CASE("contacts start, last and end, and bear at rest what they have to", "[export]") {
  Exporting e("contacts.csv");
  Shot shot(e.cache, e.options);
  EventOptions options;
  options.hits = options.breaks = false;
  options.contacts = true;
  const std::vector<ShotEvent> all = eventsOf(shot, options);
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::string> last;
  std::map<std::string, std::size_t> kinds;
  for (const ShotEvent& c : all) {
    std::string& before = last[{c.a, c.b}];
    if (c.kind == "start") CHECK((before.empty() || before == "end"));
    if (c.kind != "start") CHECK((before == "start" || before == "lasting"));
    before = c.kind;
    ++kinds[c.kind];
    CHECK((c.a == 0 || e.cache.pieces()[c.a].name.starts_with("block/") ||
           e.cache.pieces()[c.b].name.starts_with("block/")));
    CHECK(c.sliding <= c.speed + 1e-6);
  }
  CHECK(kinds["start"] > 3);
  CHECK(kinds["lasting"] > 5);
  CHECK(kinds["end"] > 0);
  writeEvents(shot, all);
  CHECK(textOf(e.options.path).find(",lasting,quay,block/") != std::string::npos);
}
