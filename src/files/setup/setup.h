// SPDX-License-Identifier: Apache-2.0
// What a setup file says, in SI units and radians. Made by readSetup, turned into a scene by buildScene.
#pragma once
#include <array>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/base/error.h"
#include "core/base/trig.h"
#include "core/base/vec.h"
#include "core/cut/bricks.h"
#include "core/cut/patterns.h"
#include "core/cut/rough.h"
#include "core/place/layout.h"
#include "core/world/scene.h"
#include "files/setup/size_setup.h"

namespace drubble::files {

enum class Geometry { None, Mesh, Box, Sphere, Ellipsoid, Capsule, Cylinder, Ground, Group };
enum class Origin { Mesh, Centre, Base };

// Names of pieces: patterns ("deck/*": within a step of the path, "**": across) and named selections
// ("@posts").
struct Selector {
  std::vector<std::string> patterns;
  Where where;
  bool given() const { return !patterns.empty(); }
};

// A named selection: what `of` takes, narrowed by all that is given.
struct SelectSetup {
  std::string name;
  Where where;
  Selector of, touching, except;
  struct Region {
    std::string body;        // inside a body's mesh; empty: box or sphere
    bool container = false;  // or within its convex outline
    std::optional<Box> box;
    Vec3 centre = Vec3::Zero();
    double radius = 0;
    Where where;
  };
  std::optional<Region> inside, outside;
  std::optional<Vec3> nearest;
  std::string from;  // made from this body
  Where from_where;
  bool outermost = false;
};

struct JointSetup {
  std::string name;
  bool enabled = true;
  Where where;
  Selector a, b;                       // b not given: the world
  std::optional<Vec3> at, a_at, b_at;  // m, as the setup starts
  Vec3 axis = Vec3::Zero();
  struct Over {
    Selector of;
    Vec3 at = Vec3::Zero();
  };
  std::vector<Over> over;        // of a rope
  std::optional<double> length;  // m; else as it starts
  std::optional<bool> collide;
  world::SceneJoint joint;  // kind, limits and strengths; without its ends
};

// One part of a body of several shapes, or of a group of loose ones.
struct GroupPart {
  std::string body;
  std::string name;  // of a loose part
  Vec3 at = Vec3::Zero(), turn = Vec3::Zero();
  Where where;
};

struct BodySetup {
  std::string name;
  Where where;  // of the table
  bool enabled = true;
  Geometry geometry = Geometry::None;
  std::string mesh;  // path as written
  Where mesh_where;
  std::string detail;  // path as written: what is shown instead; empty: the mesh itself
  Where detail_where;
  Vec3 box = Vec3::Zero();
  double sphere = 0;                            // radius
  Vec3 ellipsoid = Vec3::Zero();                // half axes
  std::array<double, 2> capsule{}, cylinder{};  // radius; height between centres, or height
  std::vector<GroupPart> parts;                 // of a Group
  bool joined = true;                           // they are one body; else each is a piece of its own
  std::vector<JointSetup> joints;               // between loose parts; places and axes in the group's space
  bool bends = false;                           // the name stands for numbered files, one a frame
  std::optional<int> mesh_from;                 // the shot frame of the first of them; else its number
  bool split = false;                           // each group of an OBJ file is a body of its own
  std::optional<mesh::TriangleMesh> part;       // the group that this body is, in the file's units
  bool cut = false;                             // a piece of a cut body
  Vec3 whole_anchor = Vec3::Zero();             // then: what placed that, from its mesh's origin, unscaled
  bool mend = false;                            // the mesh, where it can be
  double mesh_unit = 0;                         // metres in one of the mesh file's; 0: the setup's
  int hull_corners = 64;
  int most_parts = 24;
  double fit = 0.01;  // share of the size: what "auto" may be off by
  double margin = 0;  // m
  world::Start start = world::Start::Awake;
  double wake_above = 0.5;             // m/s
  std::optional<Vec3> centre_of_mass;  // where the mesh's origin is [0, 0, 0]
  Vec3 free_travel = Vec3::Ones(), free_turn = Vec3::Ones();
  double ground = 0;  // height along up
  Origin origin = Origin::Mesh;
  Vec3 at = Vec3::Zero();
  Vec3 turn = Vec3::Zero();
  double scale = 1;
  std::optional<Vec3> stretch;  // of a copy: by its own axes, on top of the scale
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

// A body that comes in pieces, or pieces that come in smaller ones.
struct CutSetup {
  std::string name;
  Selector of;  // a body, or pieces that tables above have made
  bool enabled = true;
  Where where;
  std::string pattern = "scatter";
  std::uint64_t seed = 0;
  double slivers = 1e-4;  // of the mean volume: smaller pieces go to a neighbour
  double gap = 0;         // m, between pieces
  std::optional<Box>
      within;  // only pieces whose middle lies there; as all places here in the body's mesh space
  std::optional<std::array<double, 3>> inside_colour;
  cut::Rough rough;  // of breaks, for pictures and files
  // Of scattered and given sites.
  int count = 0;
  Vec3 grain = Vec3::Ones();       // by how much longer cells are along the axes
  Vec3 grain_turn = Vec3::Zero();  // of these axes
  int even = 0;                    // rounds
  struct More {
    cut::More what;
    std::string mesh;  // path as written
    Where where;
  };
  std::vector<More> more;
  std::string file;  // of points
  Where file_where;
  // Of the other patterns.
  std::optional<Vec3> at;
  cut::Impact impact;
  std::optional<Vec3> across, along;  // unit
  cut::Parallel parallel;
  cut::Bricks bricks;
};

// What is copied, and how often in comparison.
struct CopySetup {
  std::string body;
  double weight = 1;
  Where where;
};

// One that copies may have.
struct ColourSetup {
  std::array<double, 3> colour{};
  double weight = 1;
};

// How copies are laid out.
enum class LayoutKind { Grid, Courses, Stack, Ring, Scatter };

struct PlaceSetup {
  std::string name;
  Where where;
  bool enabled = true;
  std::vector<CopySetup> copies;
  std::array<int, 3> count{1, 1, 1};
  std::optional<Vec3> spacing;  // centre to centre
  Vec3 gap = Vec3::Zero();      // edge to edge, when no spacing is given
  Vec3 at = Vec3::Zero();
  Vec3 turn = Vec3::Zero();
  Vec3 vary_at = Vec3::Zero(), vary_turn = Vec3::Zero();
  SizeSetup size;
  std::vector<ColourSetup> colours;  // drawn by weight; empty: those of what is copied
  bool no_room_is_error = false;
  LayoutKind layout = LayoutKind::Grid;
  double shift = 0.5, radius = 0, arc = 2 * kPi;
  std::optional<double> lean, twist;
  std::array<int, 2> leave_out{0, 1};
  // Of what is scattered.
  int scatter = 0;
  std::string on;  // a body's surface
  Where on_where;
  std::optional<SelectSetup::Region> inside;  // or a region
  double apart = 0;
  bool upright = true;
  std::vector<place::Denser> denser;
  std::vector<std::array<double, 2>> within;
  std::uint64_t seed = 0;
};

// Copies that are born over time.
struct PourSetup {
  std::string name;
  Where where;
  bool enabled = true;
  std::vector<CopySetup> copies;
  place::Source source;    // without its mesh
  std::string moves_with;  // the source is in the space of that body
  Where from_where;
  double rate = 0;               // a second
  act::Track rates;              // over shot frames
  double per_frame = 0;          // instead
  int count = 0;                 // instead, over all frames
  double first = 0, last = 0;    // shot frames
  double every = 0, length = 0;  // frames, of pulses; 0: none
  int limit = 1000000;
  SizeSetup size;
  std::vector<ColourSetup> colours;
  std::array<double, 2> life{0, 0};  // s; 0: for ever
  std::optional<double> clear;       // m; else of their size
  bool waits = true;
  double hand_on = 1, collide_after = 0;
  struct Until {
    SelectSetup::Region in;
    std::optional<std::uint32_t> count;
    std::optional<double> share, height;
  };
  std::optional<Until> until;
  std::uint64_t seed = 0;
};

struct MotionSetup {
  std::string name;
  bool enabled = true;
  Where where;
  Selector who;
  act::Track at, turn;     // m, rad
  std::string from, node;  // a glTF file and a node of it
  std::string with;        // a piece that it goes with, instead
  Where with_where;
  act::Wobble wobble;
  std::optional<double> release_frame, before_hit;
};

struct ContactSetup {
  std::string name;
  bool enabled = true;
  Selector a, b;
  world::PairRule rule;  // its sets still empty
};

// What is set differs from what the pieces were.
struct AdjustSetup {
  std::string name;
  bool enabled = true;
  Where where;
  Selector who;
  std::optional<world::Role> role;
  std::optional<world::Start> start;
  std::optional<double> wake_above, density, gravity_share, travel_damping, spin_damping;
  std::optional<Vec3> velocity, spin, free_travel, free_turn;
  std::optional<std::string> material;
  std::optional<bool> collide, show;
  std::optional<std::array<double, 3>> colour;
};

// Bonds among some pieces, or between two sets.
struct BondSetup {
  std::string name;
  bool enabled = true;
  Where where;
  Selector a, b;     // b not given: among a
  std::string list;  // a CSV of pairs, instead
  Where list_where;
  double reach = 0;      // m: pieces that do not share a face of a cut
  std::string material;  // whose strength counts; empty: the pieces' own
  double vary = 0;       // random share of a bond's strength
  bool unbreakable = false;
  double stiffness = 1;                 // times the material's
  std::optional<bond::Strength> force;  // N, instead of stresses
  std::optional<bool> even;             // cells are of a size; else as their cut says
  std::uint64_t seed = 0;
  struct Zone {
    std::optional<Box> box;
    Vec3 centre = Vec3::Zero();
    double radius = 0;
    double times = 1;
  };
  std::vector<Zone> zones;              // later ones on top of earlier ones
  std::array<int, 2> clump_size{0, 0};  // pieces; 0: no clumps
  double clump_times = 1;               // within one
  world::BondTable table;
};

struct ForceSetup {
  std::string name;
  bool enabled = true;
  Where where;
  Selector who;
  act::Force force;  // without its pieces
};

// When something holds for a piece, something is done to it.
struct RuleSetup {
  std::string name;
  bool enabled = true;
  Where where, when_where;
  Selector who, touched_by;
  std::optional<SelectSetup::Region> inside, outside;
  world::Rule rule;      // without its pieces and regions
  std::string material;  // that it sets
};

struct WatchSetup {
  std::string name;
  bool enabled = true;
  Where where;
  Selector who;
  std::optional<SelectSetup::Region> in;
  bool keep_contacts = false;
};

struct CameraSetup {
  std::string name;
  bool enabled = true;
  Vec3 at = Vec3::Zero(), look = Vec3::Zero();
  double lens = 35;  // mm, for a picture 36 mm wide
};

// Where another run was.
struct StartFromSetup {
  std::string cache;  // path as written
  Where where;
  std::optional<int> frame;  // else the last
  bool keep_motion = false;
  Selector who;
};

struct Setup {
  std::string path, text;
  std::string title;
  std::string units = "m";
  double unit = 1;  // metres in one of the setup's units
  bool up_is_z = false;
  double fps = 24;
  int first_frame = 1, last_frame = 96;  // of the simulation
  // The last that the file speaks of, or the command line if that is later: what is planned is planned up to
  // there, so that a run of fewer frames is the same shot, and may go on.
  int planned_last = 96;
  int cached_from = 1;  // the first frame that a cache keeps
  std::uint64_t seed = 0;
  Vec3 gravity = Vec3(0, -9.81, 0);
  double time_scale = 1;
  act::Track time_scales;
  std::optional<Box> keep_inside;
  std::optional<StartFromSetup> start_from;
  world::SolverSettings solver;
  std::map<std::string, world::Material> materials;  // the setup's own; built-in ones are presets
  std::vector<BodySetup> bodies;
  std::vector<CutSetup> cuts;
  std::vector<PlaceSetup> places;
  std::vector<PourSetup> pours;
  std::map<std::string, SelectSetup> selections;
  std::vector<AdjustSetup> adjusts;
  std::vector<MotionSetup> motions;
  std::vector<ContactSetup> contacts;
  std::vector<JointSetup> joints;
  std::vector<BondSetup> bonds;
  std::vector<ForceSetup> forces;
  std::vector<RuleSetup> rules;
  std::vector<WatchSetup> watches;
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
