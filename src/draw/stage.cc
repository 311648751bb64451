// SPDX-License-Identifier: Apache-2.0
#include "draw/stage.h"

namespace drubble::draw {

Stage stageOf(const files::CacheReader& cache) {
  Stage s;
  const files::CacheInfo& info = cache.info();
  s.title = info.title;
  s.units = info.units;
  s.unit = info.unit;
  s.fps = info.fps;
  s.time_scale = info.time_scale;
  s.first_frame = info.first_frame;
  s.up = info.up_is_z ? Vec3::UnitZ() : Vec3::UnitY();
  for (const files::CachedPrototype& p : cache.prototypes())
    s.meshes.push_back({p.name, p.mesh, p.colour, p.show, p.shape == "ground"});
  for (const files::CachedPiece& p : cache.pieces()) s.pieces.push_back({p.name, p.prototype, p.dynamic});
  for (const files::CachedCamera& c : cache.cameras()) s.cameras.push_back({c.name, c.at, c.look, c.lens});
  return s;
}

Stage stageOf(const files::Setup& setup, const files::BuiltScene& built) {
  Stage s;
  s.title = setup.title;
  s.units = setup.units;
  s.unit = setup.unit;
  s.fps = setup.fps;
  s.time_scale = setup.time_scale;
  s.first_frame = setup.first_frame;
  s.up = setup.up();
  for (const world::Prototype& p : built.scene.prototypes)
    s.meshes.push_back({p.name, p.mesh, p.colour, p.show, p.shape.kind == shape::Kind::Plane});
  for (const world::Piece& p : built.scene.pieces)
    s.pieces.push_back({p.name, p.prototype.value, p.role == world::Role::Dynamic});
  for (const files::CameraSetup& c : setup.cameras)
    if (c.enabled) s.cameras.push_back({c.name, c.at, c.look, c.lens});
  return s;
}

Moment momentOf(files::CacheReader& cache, int frame) {
  Moment m;
  m.frame = frame;
  for (const files::PieceState& p : cache.states(frame)) {
    m.poses.push_back(p.pose());
    m.speeds.push_back(vec3(static_cast<double>(p.velocity[0]), static_cast<double>(p.velocity[1]),
                            static_cast<double>(p.velocity[2]))
                           .norm());
  }
  return m;
}

Moment momentOf(const files::BuiltScene& built) {
  Moment m;
  m.frame = built.scene.first_frame;
  for (const world::Piece& p : built.scene.pieces) {
    m.poses.push_back(p.start);
    m.speeds.push_back(p.velocity.norm());
  }
  return m;
}

}  // namespace drubble::draw
