// SPDX-License-Identifier: Apache-2.0
// What a setup file says, in SI units and radians. Made by readSetup, turned into a scene by buildScene.
#pragma once
#include <array>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/base/error.h"
#include "core/base/vec.h"
#include "core/world/scene.h"

namespace drubble::files {

enum class Geometry { None, Mesh, Box, Sphere, Ground };
enum class Origin { Mesh, Centre, Base };

struct BodySetup {
  std::string name;
  Where where;  // of the table
  bool enabled = true;
  Geometry geometry = Geometry::None;
  std::string mesh;  // path as written
  Where mesh_where;
  Vec3 box = Vec3::Zero();
  double sphere = 0;  // radius
  double ground = 0;  // height along up
  Origin origin = Origin::Mesh;
  Vec3 at = Vec3::Zero();
  Vec3 turn = Vec3::Zero();
  double scale = 1;
  world::Role role = world::Role::Dynamic;
  std::string shape = "auto";
  Where shape_where;
  std::string material;  // empty: none
  std::optional<double> density, mass;
  Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();
  double travel_damping = 0, spin_damping = 0;
  double gravity_share = 1;
  bool collide = true;
  bool show = true;
  std::optional<std::array<double, 3>> colour;
};

struct PlaceSetup {
  std::string name;
  Where where;
  bool enabled = true;
  struct Copy {
    std::string body;
    double weight = 1;
    Where where;
  };
  std::vector<Copy> copies;
  std::array<int, 3> count{1, 1, 1};
  std::optional<Vec3> spacing;  // centre to centre
  Vec3 gap = Vec3::Zero();      // edge to edge, when no spacing is given
  Vec3 at = Vec3::Zero();
  Vec3 turn = Vec3::Zero();
  Vec3 vary_at = Vec3::Zero(), vary_turn = Vec3::Zero();
  bool no_room_is_error = false;
  std::uint64_t seed = 0;
};

struct CameraSetup {
  std::string name;
  bool enabled = true;
  Vec3 at = Vec3::Zero(), look = Vec3::Zero();
  double lens = 35;  // mm, for a picture 36 mm wide
};

struct Setup {
  std::string path, text;
  std::string title;
  std::string units = "m";
  double unit = 1;  // metres in one of the setup's units
  bool up_is_z = false;
  double fps = 24;
  int first_frame = 1, last_frame = 96;
  std::uint64_t seed = 0;
  Vec3 gravity = Vec3(0, -9.81, 0);
  double time_scale = 1;
  std::optional<Box> keep_inside;
  world::SolverSettings solver;
  std::map<std::string, world::Material> materials;  // the setup's own; built-in ones are presets
  std::vector<BodySetup> bodies;
  std::vector<PlaceSetup> places;
  std::vector<CameraSetup> cameras;

  Vec3 up() const { return up_is_z ? Vec3::UnitZ() : Vec3::UnitY(); }
};

// `overrides`: "key=value" or "key*=factor", as --set takes them. Throws Error(Input) with every problem
// found, each with file, line and column.
Setup readSetup(const std::string& path, const std::vector<std::string>& overrides = {});

// The same from text; `path` is for messages and to find meshes beside it.
Setup parseSetup(const std::string& path, const std::string& text,
                 const std::vector<std::string>& overrides = {});

// Built-in materials. Sources of the values: docs/setup.md.
const std::map<std::string, world::Material>& materialPresets();

}  // namespace drubble::files
