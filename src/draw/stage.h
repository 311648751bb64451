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
};

// One frame: where the pieces are and how fast they go (m/s).
struct Moment {
  int frame = 0;
  std::vector<Pose> poses;
  std::vector<double> speeds;
};

Stage stageOf(const files::CacheReader& cache);
Stage stageOf(const files::Setup& setup, const files::BuiltScene& built);
Moment momentOf(files::CacheReader& cache, int frame);
Moment momentOf(const files::BuiltScene& built);

}  // namespace drubble::draw
