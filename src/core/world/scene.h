// SPDX-License-Identifier: Apache-2.0
// Everything a simulation starts from, in SI units, as plain data. Made from a setup by src/files; constant
// while a world lives.
#pragma once
#include <algorithm>
#include <optional>
#include <string>
#include <vector>

#include "core/act/force.h"
#include "core/act/path.h"
#include "core/base/id.h"
#include "core/bond/bond.h"
#include "core/mesh/mass.h"
#include "core/shape/shape.h"
#include "core/solve/contact.h"
#include "core/solve/joint.h"
#include "core/solve/traits.h"
#include "core/world/pour.h"
#include "core/world/rule.h"

namespace drubble::world {

struct Material {
  std::string name;
  double density = 1000;  // kg/m3
  double friction_rest = 0.5, friction_slide = 0.5;
  double bounce = 0.2;
  bool given = false;  // false: nothing was said, so in a contact the partner's values count alone
  // Resistance, as a lever in shares of the radius. Never quite nothing: perfectly hard balls would roll in a
  // heap for ever.
  double rolling = 0.001, spinning = 0.005;
  bond::Strength strength = {};  // of a bond of it; unbreakable: nothing was said
  double stiffness = 10e9;       // Pa, Young's
  double blow_time = 0.002;      // s: how long the force of a blow lasts
};

enum class Role { Static, Kinematic, Dynamic };
const char* roleName(Role r);

// How a dynamic piece begins: Asleep wakes at any touch or change of load, Held stays put until it is hit
// harder than Piece::wake_above, Unborn is poured later.
enum class Start { Awake, Asleep, Held, Unborn };

// Shape, mesh and material that many pieces share.
struct Prototype {
  std::string name;
  shape::Shape shape;
  solve::Traits traits;        // as a dynamic piece
  bool exact_shape = false;    // the shape is what the mesh shows
  double volume = 0;           // m3
  mesh::TriangleMesh mesh;     // body space
  Vec3 origin = Vec3::Zero();  // where the mesh's own origin is, body space
  MaterialId material;
  std::array<double, 3> colour{0.6, 0.6, 0.6};
  std::vector<std::uint8_t> inside;  // of each triangle whether the solid was cut there; empty: of none
  std::array<double, 3> inside_colour{0.8, 0.8, 0.8};
  bool show = true;
  // Of a driven mesh that changes its form: where its vertices are (body space, in the order of `mesh`), one
  // list a shot frame from `bends_from` on; before and after that it keeps the first and the last.
  std::vector<std::vector<Vec3>> bends;
  int bends_from = 1;
};

struct Piece {
  std::string name;
  PrototypeId prototype;
  Role role = Role::Dynamic;
  Pose start;
  Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();
  bool collide = true;
  Start start_state = Start::Awake;
  double wake_above = 0.5;  // m/s
};

// A kinematic piece's motion.
struct Mover {
  PieceId piece;
  act::Path path;                       // its own, or its leader's
  Vec3 anchor = Vec3::Zero();           // the point of body space that the path leads
  std::optional<double> release_frame;  // from here the solver has it, with its speed and spin
  PieceId leader;                       // valid: it goes with that piece, as if it were fastened to it
  Pose hold;                            // of its body frame, in its leader's
  // Of a piece that is not driven yet: a rule may have it driven, and then it goes on from where it is.
  bool waits = false;
};

// What happens between two sets of pieces, where it differs from what their materials say.
struct PairRule {
  enum class OneWay { No, AMovesB, BMovesA };
  std::string name;
  std::vector<PieceId> a, b;
  std::optional<double> friction_rest, friction_slide, bounce;
  std::optional<double> adhesion;  // N/m2
  std::optional<bool> collide;
  OneWay one_way = OneWay::No;
};
inline constexpr std::size_t kMostPairRules = 64;

// Pieces that are measured together.
struct Watch {
  std::string name;
  std::vector<PieceId> who;       // ascending
  std::optional<Region> in = {};  // what of them lies there is counted
  bool keep_contacts = false;     // what touches them is told in each frame
};

struct SceneJoint {
  std::string name;
  solve::Joint joint;  // at the start
  bool collide = false;
  act::Track stiffness, length, motor_speed;  // x counts; without keys it stays as it is
};

// Bonds that were made together.
struct BondTable {
  std::string name;
  double strength = 1;       // times that of its bonds
  act::Track strengths;      // over shot frames; x counts; without keys `strength` holds
  double reach = 0;          // m: how far a blow is felt; 0: from the cluster's size
  double blow_time = 0.002;  // s
  bool keep_stress = false;  // of its bonds, in each frame
  double toughness = 0;      // J/m2: what tearing its faces open takes from the blow that does
  bool even = false;         // cells are of a size: peaks come out as in a beam
  // Its bonds give before they part: springs in the solver, not what makes one body of their pieces.
  bool yields = false;
  double damping = 0.1;  // share of the critical, of a yielding bond
  double tear = 0.3;     // strain that it may take for good

  double strengthAt(double frame) const { return strengths.at(frame, Vec3(strength, 0, 0)).x(); }
};

struct SolverSettings {
  int substeps = 0;          // a frame; 0: auto
  int iterations = 0;        // internal steps a substep; 0: auto
  double quality = 1;        // 0.5, 1 or 2: multiplies what auto picks
  double look_ahead = -1;    // m; negative: auto
  double sleep_speed = -1;   // m/s; negative: auto; 0: nothing falls asleep
  double sleep_after = 0.4;  // s
};

struct Scene {
  std::vector<Material> materials;
  std::vector<Prototype> prototypes;
  std::vector<Piece> pieces;
  std::vector<PairRule> pair_rules;  // later ones win
  std::vector<Mover> movers;         // by piece, ascending, at most one a piece
  std::vector<SceneJoint> joints;
  std::vector<BondTable> bond_tables;
  std::vector<bond::Bond> bonds;  // by a, then b
  std::vector<act::Force> forces;
  std::vector<Pour> pours;
  std::vector<Rule> rules;  // in the order in which they are looked at
  std::vector<Watch> watches;
  Vec3 gravity = Vec3(0, -9.81, 0);
  Vec3 up = Vec3::UnitY();
  double fps = 24;
  double time_scale = 1;
  act::Track time_scales;  // over shot frames; x counts; without keys time_scale holds
  int first_frame = 1, last_frame = 96;
  SolverSettings solver;
  std::optional<Box> keep_inside;

  bool yields(const bond::Bond& b) const { return bond_tables[b.table].yields; }
  bool keepsStress() const {
    return std::any_of(bond_tables.begin(), bond_tables.end(),
                       [](const BondTable& t) { return t.keep_stress; });
  }
  // Simulated seconds: a frame's at a shot frame, those between two, those since the first.
  double frameSeconds(double frame) const { return time_scales.at(frame, Vec3(time_scale, 0, 0)).x() / fps; }
  double seconds(double from, double to) const { return (to - from) * frameSeconds(0.5 * (from + to)); }
  double secondsAt(double frame) const;
  // Where the mover's piece is (its body frame) at a shot frame, whole or not.
  Pose moverPose(const Mover& m, double frame) const {
    Pose p = act::poseAt(m.path, frame, secondsAt(frame));
    p.position -= p.turn * m.anchor;
    return m.leader.valid() ? p * m.hold : p;
  }
  const Prototype& prototypeOf(std::size_t piece) const {
    return prototypes[pieces[piece].prototype.index()];
  }
  const Material& materialOf(std::size_t piece) const {
    return materials[prototypeOf(piece).material.index()];
  }
};

// The form of a bending prototype at a shot frame, whole or not: straight from one frame's to the next.
std::vector<Vec3> verticesAt(const Prototype& p, double frame);

// How two materials meet: the geometric mean of both frictions, the greater bounce and the greater
// resistances; one without values of its own takes the other's.
solve::Surfaces combine(const Material& a, const Material& b);

// Fills mass, inertia and sizes for a solid of `density` whose mesh has these properties.
void setMass(Prototype& p, const mesh::MassProperties& solid, double density);

// Mass (kg) and moments about the centre of mass (kg m2, body space), and what follows from them.
void setInertia(solve::Traits& t, double mass, const Mat3& inertia);

// Empty, or what is wrong: names not unique, indices out of range, numbers not finite.
std::string whyInvalid(const Scene& s);

}  // namespace drubble::world
