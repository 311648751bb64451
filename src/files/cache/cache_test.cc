// SPDX-License-Identifier: Apache-2.0
#include <unistd.h>
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>

#include "core/base/random.h"
#include "files/cache/format.h"
#include "files/cache/reader.h"
#include "files/cache/writer.h"
#include "files/obj.h"
#include "files/simulate.h"
#include "files/test_folder.h"

using namespace drubble;
using namespace drubble::files;
namespace fs = std::filesystem;

namespace {

std::vector<PieceState> randomStates(std::size_t n, std::uint64_t seed) {
  RandomStream r(seed, "states");
  std::vector<PieceState> out(n);
  for (PieceState& s : out) {
    for (double& x : s.position) x = r.between(-100, 100);
    for (float& x : s.turn) x = static_cast<float>(r.between(-1, 1));
    for (float& x : s.velocity) x = static_cast<float>(r.between(-9, 9));
    for (float& x : s.spin) x = static_cast<float>(r.between(-9, 9));
    s.flags = static_cast<std::uint8_t>(r.next() & 3);
  }
  return out;
}

Setup dropSetup(int last) {
  return parseSetup("drop.toml", "frames = [1, " + std::to_string(last) +
                                     "]\n[[body]]\nname = \"floor\"\nground = 0\n[[body]]\nname = "
                                     "\"ball\"\nsphere = 0.1\nat = [0, 0.4, 0]\n"
                                     "[[body]]\nname = \"still\"\nbox = [0.2, 0.2, 0.2]\nat = [1, 0.1, "
                                     "0]\n[[camera]]\nname = \"side\"\nat = [0, 1, 5]\nlook = [0, 0, 0]\n");
}

}  // namespace

TEST_CASE("frames come back from their blocks bit for bit, whole or changed pieces only") {
  const std::vector<PieceState> states = randomStates(500, 1);
  std::vector<std::uint32_t> index, back_index;
  for (std::uint32_t i = 0; i < 500; ++i) index.push_back(3 * i);
  std::vector<PieceState> back;
  unpackFrame(packFrame({}, states).data, 500, true, back_index, back);
  CHECK(back == states);
  CHECK(back_index.empty());
  unpackFrame(packFrame(index, states).data, 500, false, back_index, back);
  CHECK(back == states);
  CHECK(back_index == index);
  Bytes broken = packFrame({}, states).data;
  broken.resize(broken.size() / 2);
  CHECK_THROWS_AS(unpackFrame(broken, 500, true, back_index, back), Error);
}

TEST_CASE("meshes come back bit for bit") {
  const mesh::TriangleMesh m = mesh::sphereMesh(0.3, 8), back = unpackMesh(packMesh(m).data);
  CHECK(back.vertices == m.vertices);
  CHECK(back.triangles == m.triangles);
}

TEST_CASE("what a run wrote is what the reader gives, at any frame in any order") {
  const TestFolder folder("drubble_cache");
  const std::string path = folder.at("drop.drub");
  std::vector<int> told;
  RunOptions options;
  options.cache_path = path;
  options.progress = [&](const RunProgress& p) { told.push_back(p.frame); };
  const RunOutcome done = simulate(dropSetup(60), options);
  CHECK(done.last_frame == 60);
  CHECK(told.size() == 59);
  CHECK_FALSE(fs::exists(path + "-wal"));

  const Setup setup = dropSetup(60);
  const BuiltScene built = buildScene(setup);
  world::World w(built.scene);
  world::Watcher nobody;
  std::vector<std::vector<Vec3>> places{w.motion().position};
  for (int f = 2; f <= 60; ++f) {
    w.advance(nobody);
    places.push_back(w.motion().position);
  }
  CacheReader cache(path);
  REQUIRE(cache.frames().size() == 60);
  CHECK(cache.info().state == "done");
  CHECK(cache.cameras()[0].name == "side");
  CHECK(cache.pieces()[1].name == "ball");
  for (const int f : {60, 1, 37, 24, 25, 48, 49, 2, 59}) {
    const std::vector<PieceState> states = cache.states(f);
    for (std::size_t i = 0; i < states.size(); ++i)
      CHECK(states[i].pose().position == places[static_cast<std::size_t>(f - 1)][i]);
  }
  CHECK_THROWS_AS(cache.states(61), Error);
}

TEST_CASE("a resting piece costs nothing between key frames") {
  const TestFolder folder("drubble_cache");
  RunOptions options;
  options.cache_path = folder.at("drop.drub");
  simulate(dropSetup(200), options);
  Database db(options.cache_path, Database::Mode::Read);
  Statement last(db, "SELECT count, key_frame, length(data) FROM frames WHERE frame = 200");
  REQUIRE(last.step());
  CHECK(last.integer(0) == 0);  // all asleep since the last key frame
  CHECK(last.integer(1) > 200 - kKeyFrameEvery);
}

TEST_CASE("the checkpoint at the end goes on as if never stopped") {
  const TestFolder folder("drubble_cache");
  RunOptions options;
  options.cache_path = folder.at("short.drub");
  simulate(dropSetup(15), options);
  Database db(options.cache_path, Database::Mode::Read);
  Statement row(db, "SELECT data, hash FROM checkpoints WHERE frame = 15");
  REQUIRE(row.step());
  const Bytes packed = row.blob(0);
  CHECK(hashOf(packed) == row.integer(1));
  const BuiltScene built = buildScene(dropSetup(30));
  world::World on(built.scene), straight(built.scene);
  on.restore(unpackBytes(packed));
  world::Watcher nobody;
  for (int f = 2; f <= 30; ++f) {
    straight.advance(nobody);
    if (f > 15) on.advance(nobody);
  }
  CHECK(on.digest() == straight.digest());
}

TEST_CASE("a stop that is asked for leaves a whole cache") {
  const TestFolder folder("drubble_cache");
  RunOptions options;
  options.cache_path = folder.at("stopped.drub");
  int frames = 0;
  options.progress = [&](const RunProgress&) { ++frames; };
  options.stop = [&] { return frames >= 7; };
  const RunOutcome done = simulate(dropSetup(100), options);
  CHECK(done.stopped);
  CHECK(done.last_frame == 8);
  CacheReader cache(options.cache_path);
  CHECK(cache.info().state == "stopped");
  CHECK(cache.frames().back().frame == 8);
}

TEST_CASE("an OBJ written is the OBJ read") {
  const TestFolder folder("drubble_cache");
  const mesh::TriangleMesh m = mesh::boxMesh(vec3(1, 2, 3));
  writeObj(folder.at("box.obj"), m, "box");
  const mesh::TriangleMesh back = readObj(folder.at("box.obj"));
  CHECK(back.vertices == m.vertices);
  CHECK(back.triangles == m.triangles);
}

TEST_CASE("an OBJ's quads, negative indices, normals and groups are read") {
  const TestFolder folder("drubble_cache");
  std::ofstream(folder.at("a.obj")) << "o first\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvn 0 0 1\nvt 0 0\nf "
                                       "1/1/1 2/1/1 3/1/1 4/1/1\ng second\nv 0 0 +1e0\nf -1 1 2\n";
  const mesh::TriangleMesh m = readObj(folder.at("a.obj"));
  CHECK(m.vertices.size() == 5);
  CHECK(m.triangles.size() == 3);
  CHECK(m.triangles[2] == mesh::Triangle{4, 0, 1});
}

TEST_CASE("the forms of a mesh that bends come back frame by frame; beyond them the first and the last") {
  const TestFolder folder("drubble_cache");
  mesh::TriangleMesh m = mesh::boxMesh(vec3(2, 0.1, 2));
  for (int f = 3; f <= 6; ++f) {
    m.vertices[0].y() = 0.1 * f;
    writeObj(folder.at(("lid." + std::to_string(f) + ".obj").c_str()), m, "lid");
  }
  Setup setup = parseSetup(folder.at("lid.toml"),
                           "frames = [1, 9]\n[[body]]\nname = \"lid\"\nmesh = \"lid.#.obj\"\nrole = "
                           "\"kinematic\"\n[[body]]\nname = \"ball\"\nsphere = 0.1\nat = [0, 0.4, 0]\n");
  RunOptions options;
  options.cache_path = folder.at("lid.drub");
  simulate(setup, options);
  CacheReader cache(options.cache_path);
  CHECK(cache.prototypes()[0].bends);
  CHECK_FALSE(cache.prototypes()[1].bends);
  for (const auto& [frame, height] : {std::pair(1, 0.3), {3, 0.3}, {4, 0.4}, {6, 0.6}, {9, 0.6}}) {
    INFO("frame " << frame);
    CHECK(cache.verticesAt(0, frame)[0].y() == Approx(height));
    CHECK((cache.states(frame)[0].flags & kFlagBending) == (frame > 3 && frame <= 6 ? kFlagBending : 0));
  }
  {
    Database db(options.cache_path, Database::Mode::Write);
    db.run("UPDATE bends SET hash = hash + 1 WHERE frame = 4");
  }
  CacheReader broken(options.cache_path);
  CHECK_THROWS_WITH(broken.verticesAt(0, 4), Catch::Contains("form of 'lid' at frame 4"));
  CHECK(broken.verticesAt(0, 5)[0].y() == Approx(0.5));
}

TEST_CASE("on a network disk no memory is shared: a reader sees what is committed, and one file is left") {
  const TestFolder folder("drubble_cache");
  const std::string path = folder.at("far.drub");
  const Setup setup = dropSetup(6);
  const BuiltScene built = buildScene(setup);
  world::World world(built.scene);
  measure::PenetrationMeter meter;
  const WriterLock lock(path);
  CacheWriter writer(lock, false, false);
  writer.begin(setup, {}, built);
  world::Watcher nobody;
  for (int f = 1; f <= 4; ++f) {
    if (f > 1) world.advance(nobody);
    writer.addFrame(world, world.stats(), meter.measure(world, &world.team()), {});
    CHECK(CacheReader(path).frames().size() == static_cast<std::size_t>(f));
    CHECK_FALSE(fs::exists(path + "-wal"));
  }
  writer.finish(&world, "stopped");
  CHECK_FALSE(fs::exists(path + "-journal"));
  CHECK(CacheReader(path).info().state == "stopped");
  CHECK_THROWS_WITH(WriterLock(path), Catch::Contains("another run"));
}
