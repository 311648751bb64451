// SPDX-License-Identifier: Apache-2.0
#include "draw/stage.h"

#include <map>

#include "files/cache/format.h"
#include "files/made_look.h"
#include "files/shown.h"

namespace drubble::draw {

namespace {

// What is shown of a prototype, where that is more than its mesh.
void showInstead(std::optional<files::LookedMesh>&& shown, StageMesh& m) {
  if (!shown) return;
  m.mesh = std::move(shown->mesh);
  m.inside.clear();
  for (const std::uint32_t material : shown->look.materials)
    m.inside.push_back(shown->look.names[material].ends_with(files::kInsideName) ? 1 : 0);
}

StageMesh meshOf(files::CacheReader& cache, std::size_t prototype) {
  const files::CachedPrototype& p = cache.prototypes()[prototype];
  StageMesh m{p.name, p.mesh, p.colour, p.show, p.shape == "ground", false, p.inside, p.inside_colour};
  showInstead(cache.shownMesh(prototype), m);
  return m;
}

}  // namespace

Stage stageOf(files::CacheReader& cache) {
  Stage s;
  const files::CacheInfo& info = cache.info();
  s.title = info.title;
  s.units = info.units;
  s.unit = info.unit;
  s.fps = info.fps;
  s.time_scale = info.time_scale;
  s.first_frame = info.first_frame;
  s.up = info.up_is_z ? Vec3::UnitZ() : Vec3::UnitY();
  for (std::size_t i = 0; i < cache.prototypes().size(); ++i) s.meshes.push_back(meshOf(cache, i));
  for (const files::CachedPiece& p : cache.pieces())
    s.pieces.push_back({p.name, p.prototype, p.dynamic, 1, u32(s.pieces.size()), Vec3::Zero()});
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
    s.meshes.push_back({p.name, p.mesh, p.colour, p.show, p.shape.kind == shape::Kind::Plane, false, p.inside,
                        p.inside_colour});
  std::vector<std::optional<files::LookedMesh>> shown = files::shownMeshes(setup, built);
  for (std::size_t i = 0; i < shown.size(); ++i) showInstead(std::move(shown[i]), s.meshes[i]);
  for (const world::Piece& p : built.scene.pieces)
    s.pieces.push_back(
        {p.name, p.prototype.value, p.role == world::Role::Dynamic, 1, u32(s.pieces.size()), Vec3::Zero()});
  for (const files::CameraSetup& c : setup.cameras)
    if (c.enabled) s.cameras.push_back({c.name, c.at, c.look, c.lens});
  return s;
}

Moment momentOf(files::CacheReader& cache, int frame) {
  Moment m;
  m.frame = frame;
  for (const files::PieceState& p : cache.states(frame)) {
    m.poses.push_back(p.pose());
    m.gone.push_back((p.flags & (files::kFlagGone | files::kFlagUnborn)) != 0);
    m.speeds.push_back(vec3(static_cast<double>(p.velocity[0]), static_cast<double>(p.velocity[1]),
                            static_cast<double>(p.velocity[2]))
                           .norm());
  }
  for (std::uint32_t i = 0; i < cache.prototypes().size(); ++i)
    if (cache.prototypes()[i].bends) m.forms.emplace_back(i, cache.verticesAt(i, frame));
  return m;
}

Moment momentOf(const files::BuiltScene& built, int frame) {
  Moment m;
  m.frame = frame;
  for (const world::Piece& p : built.scene.pieces) {
    m.poses.push_back(p.start);
    m.gone.push_back(p.start_state == world::Start::Unborn);
    m.speeds.push_back(p.velocity.norm());
  }
  for (const world::Mover& mover : built.scene.movers) {
    if (mover.waits) continue;
    const Pose now = built.scene.moverPose(mover, frame), next = built.scene.moverPose(mover, frame + 0.01);
    m.poses[mover.piece.index()] = now;
    m.speeds[mover.piece.index()] =
        (next.position - now.position).norm() / (0.01 * built.scene.frameSeconds(frame));
  }
  for (std::uint32_t i = 0; i < built.scene.prototypes.size(); ++i)
    if (const world::Prototype& p = built.scene.prototypes[i]; !p.bends.empty())
      m.forms.emplace_back(i, world::verticesAt(p, frame));
  return m;
}

void showShapes(Stage& stage, const files::BuiltScene& built, Show show) {
  if (show == Show::Mesh) return;
  const std::size_t meshes = stage.meshes.size(), pieces = stage.pieces.size();
  for (std::size_t i = 0; i < meshes; ++i) {
    const shape::Shape& s = built.scene.prototypes[i].shape;
    StageMesh shape = stage.meshes[i];
    shape.mesh = shape::meshOf(s);
    shape.show = true;
    if (show == Show::Shapes)
      stage.meshes[i] = shape;
    else
      shape.colour = kProudColour, stage.meshes.push_back(shape);
  }
  if (show != Show::Both) return;
  stage.compares = true;
  for (std::size_t i = 0; i < pieces; ++i) {
    StagePiece p = stage.pieces[i];
    if (stage.meshes[p.mesh].ground || !built.scene.prototypes[p.mesh].bends.empty()) continue;
    p.mesh += u32(meshes);
    p.opacity = 0.4;
    p.felt = true;
    stage.pieces.push_back(p);
  }
}

void showPieces(Stage& stage, const files::BuiltScene& built, double apart) {
  std::vector<const files::BuiltScene::CutBody*> cut_of(stage.meshes.size(), nullptr);
  for (std::size_t m = 0; m < built.scene.prototypes.size(); ++m)
    for (const auto& cut : built.cuts)
      if (cut.numberOf(m) < cut.count) cut_of[m] = &cut;
  for (std::size_t m = 0; m < stage.meshes.size(); ++m)
    stage.meshes[m].show = m < cut_of.size() && cut_of[m] != nullptr;
  struct Middle {
    double mass = 0;
    Vec3 sum = Vec3::Zero();
  };
  std::map<std::string, Middle> middles;  // of each copy
  // A piece is called COPY/NUMBER, its prototype BODY/NUMBER.
  const auto copyOf = [&](const StagePiece& p) {
    const std::size_t number = stage.meshes[p.mesh].name.size() - cut_of[p.mesh]->name.size();
    return p.name.substr(0, p.name.size() - number);
  };
  for (const bool move : {false, true})
    for (std::size_t i = 0; i < built.scene.pieces.size(); ++i) {
      StagePiece& p = stage.pieces[i];
      if (!stage.meshes[p.mesh].show) continue;
      p.dynamic = true;  // it is what the picture is of
      Middle& middle = middles[copyOf(p)];
      const Vec3& at = built.scene.pieces[i].start.position;
      if (move) {
        p.aside = apart * (at - middle.sum / middle.mass);
      } else {
        const double volume = built.scene.prototypes[p.mesh].volume;
        middle.mass += volume;
        middle.sum += volume * at;
      }
    }
}

}  // namespace drubble::draw
