// SPDX-License-Identifier: Apache-2.0
#include <catch2/catch.hpp>

#include "files/export/events.h"
#include "files/export/sequence.h"
#include "files/export/table_out.h"
#include "files/export/test_quay.h"

using namespace drubble;
using namespace drubble::files;
using namespace drubble::files::test;

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
  e.options.velocities = true;
  {
    Shot shot(e.cache, e.options);
    writeFrames(shot, FrameForm::ObjMesh);
  }
  const std::string obj = textOf(e.options.path);
  for (const char* group :
       {"g quay\n", "g block/0005\n", "g bollard\n", "g floats/0001\n", "usemtl block_inside\n"})
    CHECK(obj.find(group) != std::string::npos);
  CHECK(textOf(made().folder.at("quay.mtl")).find("newmtl block_inside\nKd ") != std::string::npos);
  std::size_t vertices = 0;
  for (std::size_t at = obj.find("\nv "); at != std::string::npos; at = obj.find("\nv ", at + 1)) ++vertices;
  const std::string beside = textOf(made().folder.at("quay.velocities.ply"));
  CHECK(beside.find("element vertex " + std::to_string(vertices) + "\n") != std::string::npos);
  CHECK(beside.size() - beside.find("end_header\n") - 11 == 24 * vertices);
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
