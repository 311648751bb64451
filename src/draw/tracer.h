// SPDX-License-Identifier: Apache-2.0
// Rays against a stage: what is met first, what is in the light, what is cut away, and where shapes laid over
// meshes differ from them. Embree behind it.
#pragma once
#include <embree3/rtcore.h>

#include <optional>
#include <vector>

#include "draw/stage.h"

namespace drubble::draw {

// Ray masks: what throws shadows, what is seen through, shapes laid over meshes.
inline constexpr unsigned kSolid = 1, kThin = 2, kFelt = 4;
inline constexpr int kMostLayers = 24;

struct Hit {
  double distance = 0;
  std::uint32_t piece = 0;
  Vec3 normal = Vec3::Zero();  // world, towards the viewer
  Vec3 flat = Vec3::Zero();    // the face's own
  bool inside = false;         // seen from behind
  bool cut_face = false;       // where the solid was cut
};

// What lies beyond a plane is cut away, but for the ground.
struct Cut {
  int axis = 0;
  double level = 0;
  double side = 1;  // 1: above the level

  bool takes(const Vec3& place) const { return side * (place[axis] - level) > 0; }
};

class Tracer {
 public:
  explicit Tracer(const Stage& stage);
  ~Tracer();
  Tracer(const Tracer&) = delete;
  Tracer& operator=(const Tracer&) = delete;

  // The first call makes all meshes; later ones only move pieces.
  void place(const Moment& m);

  bool trace(const Vec3& from, const Vec3& d, double start, unsigned mask, Hit& out) const;
  // Where a ray goes on behind a hit.
  double beyond(const Hit& h) const { return h.distance * (1 + 1e-6) + 1e-6 * extent_; }
  // What is cut away throws no shadow.
  bool blocked(const Vec3& from, const Vec3& d, const std::optional<Cut>& cut) const;
  bool cutAway(const Vec3& from, const Vec3& d, const Hit& h, const std::optional<Cut>& cut) const;

  // The first shape's surface between two distances, unless it is just before the mesh it belongs to.
  std::optional<Hit> proudBefore(const Vec3& from, const Vec3& d, double start, double end, const Hit* mesh,
                                 const std::optional<Cut>& cut) const;
  // Whether the shape of the piece that is hit has a surface here or before, or close behind.
  bool feltNear(const Vec3& from, const Vec3& d, const Hit& h) const;

  bool isGround(std::uint32_t piece) const { return stage_.meshes[stage_.pieces[piece].mesh].ground; }
  const Vec3& middle() const { return middle_; }  // of the action, on the first moment shown
  double extent() const { return extent_; }

 private:
  void addMesh(const StageMesh& m);
  void build(const Moment& m);
  void bend(std::uint32_t mesh, const std::vector<Vec3>& vertices);
  double nearEnough(const Hit& h, const Vec3& d) const;

  const Stage& stage_;
  RTCDevice device_ = rtcNewDevice(nullptr);
  RTCScene top_ = nullptr;
  std::vector<RTCScene> scenes_;
  std::vector<RTCGeometry> geometries_;  // one a scene; the scene keeps it
  std::vector<mesh::TriangleMesh> meshes_;
  std::vector<double> sizes_;
  std::vector<std::vector<std::array<Vec3, 3>>> normals_;
  std::vector<RTCGeometry> instances_;
  std::vector<Mat3> turns_;
  Vec3 middle_ = Vec3::Zero();
  double extent_ = 0;
};

}  // namespace drubble::draw
