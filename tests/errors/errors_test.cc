// SPDX-License-Identifier: Apache-2.0
// One bad input per message: each says where, what is wrong and what to do, exits with 2, and writes nothing.
#include <catch2/catch.hpp>

#include "../support/program.h"

using Catch::Contains;
using drubble::test::Program;
using drubble::test::Ran;

namespace {

const char* kGood = R"(title = "a ball and a floor"
fps = 24
frames = [1, 6]

[[body]]
name = "floor"
ground = 0

[[body]]
name = "ball"
sphere = 0.1
at = [0, 0.5, 0]
)";

const char* kTetrahedron = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 3 1 4\n";

Ran runText(const Program& p, const std::string& text) {
  p.write("shot.toml", text);
  const Ran r = p.run({"run", "shot.toml"});
  CHECK(r.code == 2);
  CHECK_FALSE(std::filesystem::exists(p.folder() / "out"));
  return r;
}

std::string replaced(std::string text, const std::string& from, const std::string& to) {
  const std::size_t at = text.find(from);
  REQUIRE(at != std::string::npos);
  return text.replace(at, from.size(), to);
}

}  // namespace

TEST_CASE("the good setup runs") {
  const Program p;
  p.write("shot.toml", kGood);
  const Ran r = p.run({"run", "shot.toml"});
  CHECK(r.code == 0);
  CHECK_THAT(r.out, Contains("wrote out/shot.drub"));
}

TEST_CASE("a mistyped key: place, line, caret and the nearest right spelling") {
  const Program p;
  const Ran r = runText(p, replaced(kGood, "sphere = 0.1", "sphere = 0.1\ndensty = 3"));
  CHECK_THAT(r.err, Contains("drubble: error: shot.toml:12:1: unknown key 'densty' in [[body]] 'ball'; did "
                             "you mean 'density'?"));
  CHECK_THAT(r.err, Contains("    densty = 3\n    ^"));
}

TEST_CASE("all problems are told at once, in the order of the file") {
  const Program p;
  const Ran r = runText(p, replaced(replaced(kGood, "fps = 24", "fps = -3"), "sphere = 0.1",
                                    "sphere = \"big\"\ndensity = -5\nrole = \"dinamic\""));
  const std::size_t a = r.err.find("shot.toml:2:7: 'fps' in the setup is -3; it must be from 1 to 1000");
  const std::size_t b = r.err.find("shot.toml:11:10: 'sphere' in [[body]] 'ball' must be a number");
  const std::size_t c = r.err.find("shot.toml:12:11: 'density' in [[body]] 'ball' is -5; it must be above 0");
  const std::size_t d =
      r.err.find("shot.toml:13:8: 'role' in [[body]] 'ball' cannot be 'dinamic'; did you mean 'dynamic'?");
  CAPTURE(r.err);
  REQUIRE(
      (a != std::string::npos && b != std::string::npos && c != std::string::npos && d != std::string::npos));
  CHECK((a < b && b < c && c < d));
}

TEST_CASE("a key for the whole setup below a table is told to move up") {
  const Program p;
  const Ran r = runText(p, replaced(kGood, "ground = 0", "ground = 0\ntime_scale = 0.5"));
  CHECK_THAT(r.err, Contains("shot.toml:8:1: unknown key 'time_scale'"));
  CHECK_THAT(r.err, Contains("move it up, above the first table"));
}

TEST_CASE("a missing mesh") {
  const Program p;
  const Ran r = runText(p, replaced(kGood, "sphere = 0.1", "mesh = \"meshes/none.obj\""));
  CHECK_THAT(r.err,
             Contains("shot.toml:11:8: body 'ball': meshes/none.obj: cannot read the mesh: no such file"));
}

TEST_CASE("NaN in a mesh: the mesh's own line") {
  const Program p;
  p.write("bad.obj", replaced(kTetrahedron, "v 0 1 0", "v 0 nan 0"));
  const Ran r = runText(p, replaced(kGood, "sphere = 0.1", "mesh = \"bad.obj\""));
  CHECK_THAT(r.err, Contains("bad.obj:3:1: a vertex is at 'nan'"));
}

TEST_CASE("numbered meshes: none there, one missing, other vertices, a body that moves by itself") {
  const Program p;
  const auto body = [](const std::string& more) {
    return replaced(kGood, "sphere = 0.1", "mesh = \"sail.###.obj\"\n" + more);
  };
  const std::string driven = "role = \"kinematic\"";
  CHECK_THAT(runText(p, body(driven)).err, Contains("should be one like 'sail.001.obj'"));
  p.write("sail.007.obj", kTetrahedron);
  p.write("sail.009.obj", kTetrahedron);
  CHECK_THAT(runText(p, body(driven)).err, Contains("number 8 of the sequence is missing"));
  p.write("sail.008.obj", replaced(kTetrahedron, "f 3 1 4\n", ""));
  CHECK_THAT(runText(p, body(driven)).err,
             Contains("sail.008.obj: its 4 vertices and 3 triangles are not those of the first"));
  CHECK_THAT(runText(p, body("")).err, Contains("shot.toml:11:8: body 'ball' changes its form"));
  CHECK_THAT(runText(p, body(driven + "\nmend = true")).err, Contains("cannot be mended"));
  CHECK_THAT(runText(p, replaced(kGood, "sphere = 0.1", "sphere = 0.1\nmesh_from = 2")).err,
             Contains("mesh_from"));
  p.write("sail.008.obj", kTetrahedron);
  CHECK_THAT(runText(p, body(driven) + "[[adjust]]\nwho = \"ball\"\nrole = \"static\"\n").err,
             Contains("'ball' cannot be made static: its numbered meshes change its form"));
  CHECK_THAT(
      runText(p, body(driven) + "[[group]]\nname = \"rig\"\njoined = true\nrole = \"kinematic\"\nparts = "
                                "[{ of = \"ball\" }]\n")
          .err,
      Contains("part 'ball' changes its form"));
}

TEST_CASE("letters where a mesh needs numbers, and a face without its vertex") {
  const Program p;
  p.write("bad.obj", replaced(kTetrahedron, "v 0 1 0", "v 0 one 0"));
  CHECK_THAT(runText(p, replaced(kGood, "sphere = 0.1", "mesh = \"bad.obj\"")).err,
             Contains("bad.obj:3:1: a vertex needs three numbers"));
  p.write("bad.obj", replaced(kTetrahedron, "f 3 1 4", "f 3 1 9"));
  CHECK_THAT(runText(p, replaced(kGood, "sphere = 0.1", "mesh = \"bad.obj\"")).err, Contains("bad.obj"));
}

TEST_CASE("an open mesh for a body that moves: how many edges, where, and what to do") {
  const Program p;
  p.write("open.obj", replaced(kTetrahedron, "f 3 1 4\n", ""));
  const Ran r = runText(p, replaced(kGood, "sphere = 0.1", "mesh = \"open.obj\""));
  CHECK_THAT(
      r.err,
      Contains("shot.toml:11:8: body 'ball': the mesh is not closed (3 open, 0 flipped, 0 crowded edges"));
  CHECK_THAT(r.err, Contains("close it, try mend = true, or set role = \"static\""));
}

TEST_CASE("an inside-out mesh") {
  const Program p;
  p.write("out.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 2 3\nf 1 4 2\nf 2 4 3\nf 3 4 1\n");
  CHECK_THAT(runText(p, replaced(kGood, "sphere = 0.1", "mesh = \"out.obj\"")).err,
             Contains("inside-out: turn its faces round"));
}

TEST_CASE("an empty setup, a missing setup, a setup that is no TOML") {
  const Program p;
  CHECK_THAT(runText(p, "").err, Contains("shot.toml: the setup has no [[body]]"));
  const Ran missing = p.run({"run", "nowhere.toml"});
  CHECK(missing.code == 2);
  CHECK_THAT(missing.err, Contains("nowhere.toml: cannot read the setup: no such file"));
  CHECK_THAT(runText(p, "title = \n").err, Contains("shot.toml:1:9: not TOML"));
}

TEST_CASE("a folder, and numbers that are none") {
  const Program p;
  std::filesystem::create_directories(p.folder() / "folder");
  const Ran folder = p.run({"run", "folder"});
  CHECK(folder.code == 2);
  CHECK_THAT(folder.err, Contains("folder: a folder, not a setup file"));
  CHECK_THAT(runText(p, replaced(kGood, "at = [0, 0.5, 0]", "at = [inf, 0.5, 0]")).err,
             Contains("shot.toml:12:7: 'at' in [[body]] 'ball' is inf; it must be a finite number"));
  CHECK_THAT(runText(p, replaced(kGood, "sphere = 0.1", "sphere = nan")).err, Contains("it must be above 0"));
}

TEST_CASE("names used twice") {
  const Program p;
  const Ran r = runText(p, std::string(kGood) + "\n[[body]]\nname = \"ball\"\nsphere = 0.2\n");
  CHECK_THAT(r.err, Contains("shot.toml:14:1: the name 'ball' is used twice: another body has it in line 9"));
}

TEST_CASE("a place that copies nothing there is") {
  const Program p;
  const Ran r = runText(
      p, std::string(kGood) + "\n[[place]]\nname = \"row\"\ncopies = { bal = 1 }\ncount = [2, 1, 1]\n");
  CHECK_THAT(r.err, Contains("place 'row' copies 'bal', but no body has that name; did you mean 'ball'?"));
}

TEST_CASE("a place without room says which piece is in the way") {
  const Program p;
  const Ran r = runText(p, std::string(kGood) +
                               "\n[[place]]\nname = \"row\"\ncopies = { ball = 1 }\ncount = [3, 1, "
                               "1]\nspacing = [0.15, 0.2, 0.2]\nno_room = \"error\"\n");
  CHECK_THAT(r.err, Contains("'row/0002' finds no room: it would overlap 'row/0001'"));
}

TEST_CASE("an unknown material, a bad colour, frames the wrong way round") {
  const Program p;
  CHECK_THAT(runText(p, replaced(kGood, "sphere = 0.1", "sphere = 0.1\nmaterial = \"granit\"")).err,
             Contains("did you mean 'granite'?"));
  CHECK_THAT(runText(p, replaced(kGood, "sphere = 0.1", "sphere = 0.1\ncolour = \"red\"")).err,
             Contains("write it as \"#rrggbb\""));
  CHECK_THAT(runText(p, replaced(kGood, "[1, 6]", "[6, 1]")).err,
             Contains("the last frame lies before the first"));
}

TEST_CASE("no geometry, two geometries, a moving ground, a mesh shape that moves") {
  const Program p;
  CHECK_THAT(runText(p, replaced(kGood, "sphere = 0.1\n", "")).err, Contains("body 'ball' has no geometry"));
  CHECK_THAT(runText(p, replaced(kGood, "sphere = 0.1", "sphere = 0.1\nbox = [1, 1, 1]")).err,
             Contains("more than one geometry"));
  CHECK_THAT(runText(p, replaced(kGood, "ground = 0", "ground = 0\nrole = \"dynamic\"")).err,
             Contains("ground cannot move"));
  CHECK_THAT(runText(p, replaced(kGood, "sphere = 0.1", "sphere = 0.1\nshape = \"mesh\"")).err,
             Contains("'mesh' is for static and kinematic bodies"));
}

TEST_CASE("overrides: malformed, of nothing, of a wrong type") {
  const Program p;
  p.write("shot.toml", kGood);
  for (const auto& [set, message] :
       {std::pair{"fps", "is not KEY=VALUE"}, std::pair{"body.bal.density=3", "meets nothing in the setup"},
        std::pair{"title*=2", "is not a number in the setup"},
        std::pair{"body.ball.density=-1", "--set body.ball.density=-1: 'density'"}}) {
    const Ran r = p.run({"run", "shot.toml", "--set", set});
    CHECK(r.code == 2);
    CHECK_THAT(r.err, Contains(message));
  }
}

TEST_CASE("a truncated, an empty, a foreign and a missing cache") {
  const Program p;
  p.write("shot.toml", kGood);
  REQUIRE(p.run({"run", "shot.toml", "-o", "shot.drub"}).code == 0);
  const std::string whole = p.read("shot.drub");
  p.write("cut.drub", whole.substr(0, whole.size() / 2));
  p.write("stub.drub", whole.substr(0, 50));
  p.write("empty.drub", "");
  p.write("foreign.drub", std::string(40000, 'x'));
  for (const auto& [name, message] :
       {std::pair{"cut.drub", "damaged or cut short"}, std::pair{"stub.drub", "cache"},
        std::pair{"empty.drub", "empty"}, std::pair{"foreign.drub", "not a Drubble cache"},
        std::pair{"missing.drub", "no such cache"}}) {
    for (const char* command : {"report", "draw"}) {
      const Ran r = p.run({command, name});
      INFO(command << " " << name << ": " << r.err);
      CHECK(r.code == 2);
      CHECK_THAT(r.err, Contains(std::string(name) + ": "));
      CHECK_THAT(r.err, Contains(message));
      CHECK(std::count(r.err.begin(), r.err.end(), '\n') == 1);
    }
  }
  CHECK(p.read("shot.drub") == whole);
}

TEST_CASE("a byte changed in a frame is noticed, and the frame is named") {
  const Program p;
  p.write("shot.toml", kGood);
  REQUIRE(p.run({"run", "shot.toml", "-o", "shot.drub"}).code == 0);
  REQUIRE(std::system(
              ("sqlite3 '" + p.path("shot.drub") + "' \"UPDATE frames SET hash = hash + 1 WHERE frame = 4\"")
                  .c_str()) == 0);
  const Ran bad = p.run({"report", "shot.drub", "--frame", "4", "--poses"});
  CHECK(bad.code == 2);
  CHECK_THAT(bad.err, Contains("frame 4 is damaged"));
  CHECK(p.run({"report", "shot.drub", "--frame", "3", "--poses"}).code == 0);
}

TEST_CASE("commands, options and values that are not there") {
  const Program p;
  p.write("shot.toml", kGood);
  for (const auto& [words, message] : std::vector<std::pair<std::vector<std::string>, std::string>>{
           {{"rnu"}, "there is no command 'rnu'; did you mean 'run'?"},
           {{"run"}, "setup"},
           {{"run", "shot.toml", "--fast"}, "try drubble run --help"},
           {{"run", "shot.toml", "--frames", "ten"}, "is not FIRST-LAST"},
           {{"draw", "shot.toml", "--size", "12"}, "is not WIDTHxHEIGHT"},
           {{"draw", "shot.toml", "--frame", "9"}, "has no frame 9"},
           {{"draw", "shot.toml", "--camera", "side"}, "there is no camera 'side'"},
           {{"demo", "flots"}, "did you mean 'floats'?"}}) {
    const Ran r = p.run(words);
    INFO(r.err);
    CHECK(r.code == 2);
    CHECK_THAT(r.err, Contains(message));
  }
}

TEST_CASE("groups, motions, contacts and selectors say what is wrong with them, and where") {
  const Program p;
  const auto says = [&](const std::string& more, const std::string& message) {
    INFO(more);
    const Ran r = runText(p, std::string(kGood) + more);
    CHECK_THAT(r.err, Contains("drubble: error: shot.toml:"));
    CHECK_THAT(r.err, Contains(message));
  };
  says("[[body]]\nname = \"pin\"\ncapsule = [0.1]\n", "must be a list of 2 numbers");
  says("[[body]]\nname = \"egg\"\nellipsoid = [0.1, 0, 0.2]\n", "must be above 0");
  const std::string two = "[[group]]\nname = \"two\"\nparts = [{ of = \"ball\" }]\n";
  says(two + "mass = 3\n", "the parts of group 'two' are pieces of their own: give 'mass' to their bodies");
  says("[[group]]\nname = \"two\"\nparts = [{ of = \"ball\" }, { of = \"ball\" }]\n",
       "group 'two' has two parts called 'ball': give one a name of its own");
  says(two + "[[group.joints]]\nname = \"pin\"\nkind = \"ball\"\na = \"bal\"\nat = [0, 1, 0]\n",
       "joint 'pin' holds 'bal', but group 'two' has no part of that name; did you mean 'ball'?");
  says(two + "joined = true\njoints = [{ name = \"pin\" }]\n", "leave out either its joints or joined");
  says(two + "[[group]]\nname = \"more\"\nparts = [{ of = \"two\" }]\n",
       "a part must be one body and stand above it in the file, unlike 'two'");
  says(two +
           "[[body]]\nname = \"hidden\"\nenabled = false\nsphere = 1\n[[group]]\nname = \"more\"\nparts = "
           "[{ of = \"hidden\" }]\n",
       "switched off, but needed, is 'hidden'");
  says("[[group]]\nname = \"two\"\njoined = true\nparts = [{ of = \"bal\" }]\n",
       "no body is called 'bal'; did you mean 'ball'?");
  says("[[group]]\nname = \"two\"\njoined = true\n", "group 'two' has no parts");
  says("[[motion]]\nwho = \"ball\"\nkeys = [{ frame = 1, at = [0, 1, 0] }]\n",
       "'ball' has keys but is dynamic");
  says("[[motion]]\nwho = \"bal\"\nkeys = [{ frame = 1, at = [0, 1, 0] }]\n",
       "no piece is called 'bal'; did you mean 'ball'?");
  says("[[motion]]\nwho = \"ball\"\n", "this motion moves nothing");
  says("[[motion]]\nwho = \"ball\"\nkeys = [{ frame = 1, at = [0, 1, 0] }, { frame = 1, at = [0, 2, 0] }]\n",
       "frame 1 has two keys");
  says("[[contact]]\nbetween = [\"ball\"]\n", "a contact needs between = [ONE, OTHER]");
  says("[[contact]]\nbetween = [\"ball\", \"@nobody\"]\n", "[select] has no 'nobody'");
  says("[[adjust]]\ncollide = false\n", "'who' is missing");
  says("[select]\nloop = { of = \"@loop\" }\n[[adjust]]\nwho = \"@loop\"\ncollide = false\n",
       "the selection 'loop' refers to itself");
}

TEST_CASE("a mover that cannot be released, or never hits, is told before the run") {
  const Program p;
  const std::string mover =
      std::string(kGood) +
      "[[body]]\nname = \"ram\"\nbox = [0.2, 0.2, 0.2]\nat = [-3, 2, 0]\nrole = \"kinematic\"\n"
      "[[motion]]\nwho = \"ram\"\nkeys = [{ frame = 1, at = [-3, 2, 0] }, { frame = 6, at = [3, 2, 0] }]\n";
  CHECK_THAT(runText(p, mover + "release = { before_hit = 2 }\n").err,
             Contains("its keys take it past everything"));
  CHECK_THAT(runText(p, mover + "release = { frame = 60 }\n").err, Contains("outside the shot's 1 to 6"));
  CHECK_THAT(runText(p, replaced(mover, "role = \"kinematic\"", "role = \"kinematic\"\nshape = \"mesh\"") +
                            "release = { frame = 3 }\n")
                 .err,
             Contains("'ram' cannot be released: it is felt as a mesh"));
}

TEST_CASE("draw and check say what is wrong with their selectors, sections and overrides") {
  const Program p;
  p.write("shot.toml", kGood);
  const auto says = [&](const std::vector<std::string>& arguments, const std::string& message) {
    const Ran r = p.run(arguments);
    CHECK(r.code == 2);
    CHECK_THAT(r.err, Contains(message));
  };
  says({"draw", "shot.toml", "--section", "w=3"}, "--section 'w=3' is not AXIS=PLACE");
  says({"draw", "shot.toml", "--show", "bones"},
       "--show 'bones' is not mesh, joints, bonds, forces, pieces, shapes or both");
  says({"draw", "shot.toml", "--highlight", "bell"}, "no piece of 'shot.toml' is called 'bell'");
  says({"check", "shot.toml", "--who", "@nobody"}, "the setup has no selection '@nobody'");
  CHECK(p.run({"check", "shot.toml", "--who", "nothing/*"}).code == 1);
  REQUIRE(p.run({"run", "shot.toml"}).code == 0);
  says({"draw", "out/shot.drub", "--show", "shapes"}, "--show shapes needs the setup");
  says({"draw", "out/shot.drub", "--set", "seed=3"}, "--set changes a setup");
}
