// SPDX-License-Identifier: Apache-2.0
// Small scenes for tests, built straight on the core. A Stage owns its scene and world.
#pragma once
#include <memory>

#include "core/world/joining.h"
#include "core/world/prototypes.h"
#include "core/world/world.h"

namespace drubble::test {

class Stage {
 public:
  world::Scene scene;

  Stage() {
    scene.fps = 24;
    scene.last_frame = 1000;
    material({"plain", 1000, 0.5, 0.5, 0, true});
  }

  // Pieces added from here on are of this material.
  void material(const world::Material& m) {
    scene.materials.push_back(m);
    material_ = MaterialId(scene.materials.size() - 1);
  }
  void surface(double friction, double bounce) { material({"m", 1000, friction, friction, bounce, true}); }

  std::size_t add(world::Prototype p, const Vec3& at, const Vec3& velocity = Vec3::Zero(),
                  world::Role role = world::Role::Dynamic) {
    p.material = material_;
    scene.prototypes.push_back(std::move(p));
    world::Piece piece;
    piece.name = "p" + std::to_string(scene.pieces.size());
    piece.prototype = PrototypeId(scene.prototypes.size() - 1);
    piece.role = role;
    piece.start.position = at;
    piece.velocity = velocity;
    scene.pieces.push_back(piece);
    return scene.pieces.size() - 1;
  }
  std::size_t sphere(double radius, const Vec3& at, const Vec3& velocity = Vec3::Zero(),
                     double density = 1000) {
    return add(world::spherePrototype("s", radius, density), at, velocity);
  }
  std::size_t box(const Vec3& size, const Vec3& at, const Vec3& velocity = Vec3::Zero(),
                  double density = 1000) {
    return add(world::boxPrototype("b", size, density), at, velocity);
  }
  std::size_t ground(const Vec3& up = Vec3::UnitY()) {
    return add(world::groundPrototype("g", up, 10), Vec3::Zero(), Vec3::Zero(), world::Role::Static);
  }

  static constexpr std::size_t kWorld = PieceId::kNone;
  // Of a and b (or kWorld), in one place as they start.
  solve::Joint& join(solve::JointKind kind, std::size_t a, std::size_t b, const Vec3& at,
                     const Vec3& axis = Vec3::UnitX()) {
    world::SceneJoint& j = scene.joints.emplace_back();
    j.name = "j" + std::to_string(scene.joints.size());
    j.joint.kind = kind;
    j.joint.a.piece = PieceId(a);
    j.joint.b.piece = PieceId(b);
    world::placeJoint(scene, at, axis, j.joint);
    return j.joint;
  }
  // A spring or rope between two places, as long as they are apart.
  solve::Joint& tie(solve::JointKind kind, std::size_t a, std::size_t b, const Vec3& at_a, const Vec3& at_b) {
    solve::Joint& j = join(kind, a, b, at_a);
    scene.joints.back().collide = true;
    j.b = world::sideAt(scene, j.b.piece, at_b, Quat::Identity());
    j.length = world::startLength(scene, j);
    return j;
  }

  world::World& world() {
    if (!world_) world_ = std::make_unique<world::World>(scene);
    return *world_;
  }
  void frames(int n) {
    world::Watcher nobody;
    for (int i = 0; i < n; ++i) world().advance(nobody);
  }
  const Vec3& position(std::size_t i) { return world().motion().position[i]; }
  const Vec3& velocity(std::size_t i) { return world().motion().velocity[i]; }
  bool asleep(std::size_t i) { return world().sleepOf(i) == world::Sleep::Asleep; }

 private:
  MaterialId material_;
  std::unique_ptr<world::World> world_;
};

}  // namespace drubble::test
