// SPDX-License-Identifier: Apache-2.0
// What is to be drawn, from a cache or from a setup: meshes, where they are, and in what colour.
#pragma once
#include <string>
#include <vector>

#include "core/mesh/mesh.h"
#include "draw/image.h"
#include "files/cache/reader.h"
#include "files/setup/build_scene.h"

namespace drubble::draw {

struct StageMesh {
  std::string name;
  mesh::TriangleMesh mesh;  // body space
  Rgb colour{};
  bool show = true;
  bool ground = false;                    // an endless plane; its mesh is a patch of it
  bool line = false;                      // a rope or spring: its form is that of each moment
  std::vector<std::uint8_t> inside = {};  // of each triangle whether the solid was cut there; empty: of none
  Rgb inside_colour{};
};

struct StagePiece {
  std::string name;
  std::uint32_t mesh = 0;
  bool dynamic = true;
  double opacity = 1;         // below 1: seen through
  std::uint32_t pose = 0;     // index into a moment's poses
  Vec3 aside = Vec3::Zero();  // by which it is drawn away from where it is, m
  bool felt = false;          // the shape that the piece of the same pose is felt as, laid over it
};

struct StageCamera {
  std::string name;
  Vec3 at = Vec3::Zero(), look = Vec3::Zero();
  double lens = 35;
};

// A rope or spring.
struct StageLine {
  std::uint32_t index = 0, mesh = 0;  // among the joints; of the stage
  files::CachedJoint joint;
  double radius = 0, coil = 0;  // m
};

// The part that holds for all frames.
struct Stage {
  std::string title, units;
  double unit = 1;
  double fps = 24, time_scale = 1;
  int first_frame = 1;
  Vec3 up = Vec3::UnitY();
  std::vector<StageMesh> meshes;
  std::vector<StagePiece> pieces;
  std::vector<StageCamera> cameras;
  bool compares = false;  // shapes are laid over meshes
  bool marks = false;     // joints are marked
  bool bonds = false;     // and bonds
  bool stress = false;    // by what they bear
  std::vector<StageLine> lines;
  std::vector<std::pair<Rgb, std::string>> legend;  // more than the meshes' names
  int still_pose = -1;                              // that of the lines; -1: there are none
};

// What the comparing colours mean: the shape stands proud of the mesh, the mesh sticks out of the shape.
inline constexpr Rgb kProudColour{0.95, 0.45, 0.10}, kSticksOutColour{0.12, 0.35, 0.85};

// Marks of joints, and of how far they may go.
inline constexpr Rgb kMarkColour{0.93, 0.42, 0.08}, kRangeColour{0.98, 0.74, 0.16};

// Bonds: those that hold, those that are weaker than half of the others by half, those that have gone.
inline constexpr Rgb kHoldsColour{0.16, 0.42, 0.62}, kWeakColour{0.90, 0.66, 0.16},
    kBrokenColour{0.85, 0.20, 0.14};
// Those that hold, by the share of their strength that they bear: up to a quarter, a half, three quarters,
// all of it.
inline constexpr std::array<Rgb, 4> kStressColours = {Rgb{0.16, 0.42, 0.62}, Rgb{0.20, 0.62, 0.42},
                                                      Rgb{0.95, 0.76, 0.12}, Rgb{0.93, 0.42, 0.08}};

// One frame: where the pieces are and how fast they go (m/s).
struct Moment {
  int frame = 0;
  std::vector<Pose> poses;
  std::vector<double> speeds;
  std::vector<char> gone;  // by the same index: no longer there; empty: all are
  bool has(std::uint32_t pose) const { return gone.empty() || gone[pose] == 0; }
  // Meshes that change their form: index into the stage's, and where its vertices are now, body space.
  std::vector<std::pair<std::uint32_t, std::vector<Vec3>>> forms;
};

Stage stageOf(files::CacheReader& cache);
Stage stageOf(const files::Setup& setup, const files::BuiltScene& built);
Moment momentOf(files::CacheReader& cache, int frame);
Moment momentOf(const files::BuiltScene& built, int frame);  // keyed motion followed, nothing simulated

// What of a setup is drawn: its meshes, the shapes they are felt as, or the shapes laid over the meshes.
enum class Show { Mesh, Shapes, Both };
void showShapes(Stage& stage, const files::BuiltScene& built, Show show);

// Shows the pieces of cut bodies alone, those of each copy pulled apart from its middle: by that share of how
// far they are from it.
void showPieces(Stage& stage, const files::BuiltScene& built, double apart);

}  // namespace drubble::draw
