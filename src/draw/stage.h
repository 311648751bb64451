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
  bool ground = false;  // an endless plane; its mesh is a patch of it
};

struct StagePiece {
  std::string name;
  std::uint32_t mesh = 0;
  bool dynamic = true;
  double opacity = 1;      // below 1: seen through
  std::uint32_t pose = 0;  // index into a moment's poses
  bool felt = false;       // the shape that the piece of the same pose is felt as, laid over it
};

struct StageCamera {
  std::string name;
  Vec3 at = Vec3::Zero(), look = Vec3::Zero();
  double lens = 35;
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
};

// What the comparing colours mean: the shape stands proud of the mesh, the mesh sticks out of the shape.
inline constexpr Rgb kProudColour{0.95, 0.45, 0.10}, kSticksOutColour{0.12, 0.35, 0.85};

// One frame: where the pieces are and how fast they go (m/s).
struct Moment {
  int frame = 0;
  std::vector<Pose> poses;
  std::vector<double> speeds;
  // Meshes that change their form: index into the stage's, and where its vertices are now, body space.
  std::vector<std::pair<std::uint32_t, std::vector<Vec3>>> forms;
};

Stage stageOf(const files::CacheReader& cache);
Stage stageOf(const files::Setup& setup, const files::BuiltScene& built);
Moment momentOf(files::CacheReader& cache, int frame);
Moment momentOf(const files::BuiltScene& built, int frame);  // keyed motion followed, nothing simulated

// What of a setup is drawn: its meshes, the shapes they are felt as, or the shapes laid over the meshes.
enum class Show { Mesh, Shapes, Both };
void showShapes(Stage& stage, const files::BuiltScene& built, Show show);

}  // namespace drubble::draw
