// SPDX-License-Identifier: Apache-2.0
#include "draw/tracer.h"

#include "core/base/error.h"
#include "draw/camera.h"

namespace drubble::draw {

namespace {

constexpr double kCrease = 0.6;  // cosine: faces that meet more bluntly are shaded as one smooth surface
constexpr double kBreak = 0.97;  // the same where the solid was cut: breaks are flat and sharp
constexpr double kFits = 0.004;  // of the size: smaller misfits are not shown

// A normal for each corner of each triangle: the mean of the faces about the corner that are not across a
// crease, nor where the solid was cut.
std::vector<std::array<Vec3, 3>> cornerNormals(const mesh::TriangleMesh& m,
                                               const std::vector<std::uint8_t>& inside) {
  std::vector<Vec3> face(m.triangles.size());
  std::vector<std::vector<std::uint32_t>> around(m.vertices.size());
  for (std::uint32_t t = 0; t < m.triangles.size(); ++t) {
    face[t] = m.normal(t);
    for (const std::uint32_t v : m.triangles[t]) around[v].push_back(t);
  }
  std::vector<std::array<Vec3, 3>> out(m.triangles.size());
  for (std::uint32_t t = 0; t < m.triangles.size(); ++t) {
    for (std::size_t k = 0; k < 3; ++k) {
      Vec3 sum = Vec3::Zero();
      for (const std::uint32_t n : around[m.triangles[t][k]]) {
        const bool broken = !inside.empty() && inside[t] != 0;
        if (face[n].dot(face[t]) > (broken ? kBreak : kCrease) && (inside.empty() || inside[n] == inside[t]))
          sum += face[n];
      }
      out[t][k] = sum.norm() > 0 ? Vec3(sum.normalized()) : face[t];
    }
  }
  return out;
}

RTCRay rayOf(const Vec3& from, const Vec3& d, double start) {
  RTCRay r{};
  r.org_x = static_cast<float>(from.x());
  r.org_y = static_cast<float>(from.y());
  r.org_z = static_cast<float>(from.z());
  r.dir_x = static_cast<float>(d.x());
  r.dir_y = static_cast<float>(d.y());
  r.dir_z = static_cast<float>(d.z());
  r.tnear = static_cast<float>(start);
  r.tfar = std::numeric_limits<float>::infinity();
  r.mask = 0xffffffffu;
  return r;
}

}  // namespace

Tracer::Tracer(const Stage& stage) : stage_(stage) {
  if (device_ == nullptr) throw Error(ErrorKind::Internal, "the ray tracer does not start");
  top_ = rtcNewScene(device_);
  rtcSetSceneFlags(top_, RTC_SCENE_FLAG_DYNAMIC);
}

Tracer::~Tracer() {
  for (RTCGeometry g : instances_) rtcReleaseGeometry(g);
  for (RTCScene s : scenes_) rtcReleaseScene(s);
  rtcReleaseScene(top_);
  rtcReleaseDevice(device_);
}

void Tracer::addMesh(const StageMesh& m) {
  mesh::TriangleMesh mesh = m.mesh;
  if (m.ground)  // as far as the eye reaches
    for (Vec3& v : mesh.vertices) v *= 400 * extent_;
  RTCScene scene = rtcNewScene(device_);
  RTCGeometry g = rtcNewGeometry(device_, RTC_GEOMETRY_TYPE_TRIANGLE);
  auto* v = static_cast<float*>(
      rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, mesh.vertices.size()));
  for (const Vec3& p : mesh.vertices)
    for (int k = 0; k < 3; ++k) *v++ = static_cast<float>(p[k]);
  auto* i = static_cast<unsigned*>(
      rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 12, mesh.triangles.size()));
  for (const mesh::Triangle& t : mesh.triangles)
    for (const std::uint32_t k : t) *i++ = k;
  rtcCommitGeometry(g);
  rtcAttachGeometry(scene, g);
  rtcReleaseGeometry(g);
  rtcCommitScene(scene);
  geometries_.push_back(g);
  scenes_.push_back(scene);
  normals_.push_back(cornerNormals(mesh, m.inside));
  sizes_.push_back(mesh.bounds().size().maxCoeff());
  meshes_.push_back(std::move(mesh));
}

void Tracer::bend(std::uint32_t mesh, const std::vector<Vec3>& vertices) {
  meshes_[mesh].vertices = vertices;
  auto* v = static_cast<float*>(rtcGetGeometryBufferData(geometries_[mesh], RTC_BUFFER_TYPE_VERTEX, 0));
  for (const Vec3& p : vertices)
    for (int k = 0; k < 3; ++k) *v++ = static_cast<float>(p[k]);
  rtcUpdateGeometryBuffer(geometries_[mesh], RTC_BUFFER_TYPE_VERTEX, 0);
  rtcCommitGeometry(geometries_[mesh]);
  rtcCommitScene(scenes_[mesh]);
  normals_[mesh] = cornerNormals(meshes_[mesh], {});
}

void Tracer::build(const Moment& m) {
  const Box box = actionBox(stage_, {m});
  middle_ = box.centre();
  extent_ = box.size().norm();
  for (const StageMesh& s : stage_.meshes) addMesh(s);
  for (std::uint32_t i = 0; i < stage_.pieces.size(); ++i) {
    RTCGeometry g = rtcNewGeometry(device_, RTC_GEOMETRY_TYPE_INSTANCE);
    rtcSetGeometryInstancedScene(g, scenes_[stage_.pieces[i].mesh]);
    rtcAttachGeometryByID(top_, g, i);
    rtcSetGeometryMask(g, stage_.pieces[i].felt ? kFelt : stage_.pieces[i].opacity < 1 ? kThin : kSolid);
    instances_.push_back(g);
  }
  turns_.resize(instances_.size());
}

void Tracer::place(const Moment& m) {
  if (scenes_.empty()) build(m);
  for (const auto& [mesh, vertices] : m.forms) bend(mesh, vertices);
  for (std::size_t i = 0; i < instances_.size(); ++i) {
    const StagePiece& p = stage_.pieces[i];
    if (stage_.meshes[p.mesh].show && p.opacity > 0 && m.has(p.pose))
      rtcEnableGeometry(instances_[i]);
    else
      rtcDisableGeometry(instances_[i]);
    Pose pose = m.poses[stage_.pieces[i].pose];
    // What stands on the ground is seen before it, also from below or cut open.
    if (stage_.meshes[stage_.pieces[i].mesh].ground) pose.position -= 1e-4 * extent_ * stage_.up;
    turns_[i] = pose.turn.toRotationMatrix();
    float x[12];
    for (int column = 0; column < 3; ++column)
      for (int row = 0; row < 3; ++row) x[column * 3 + row] = static_cast<float>(turns_[i](row, column));
    for (int row = 0; row < 3; ++row) x[9 + row] = static_cast<float>(pose.position[row]);
    rtcSetGeometryTransform(instances_[i], 0, RTC_FORMAT_FLOAT3X4_COLUMN_MAJOR, x);
    rtcCommitGeometry(instances_[i]);
  }
  rtcCommitScene(top_);
}

bool Tracer::trace(const Vec3& from, const Vec3& d, double start, unsigned mask, Hit& out) const {
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  RTCRayHit q{};
  q.ray = rayOf(from, d, start);
  q.ray.mask = mask;
  q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
  rtcIntersect1(top_, &context, &q);
  if (q.hit.geomID == RTC_INVALID_GEOMETRY_ID) return false;
  out.distance = static_cast<double>(q.ray.tfar);
  out.piece = q.hit.instID[0];
  const std::uint32_t m = stage_.pieces[out.piece].mesh;
  const auto& n = normals_[m][q.hit.primID];
  const double u = static_cast<double>(q.hit.u), v = static_cast<double>(q.hit.v);
  out.flat = (turns_[out.piece] * meshes_[m].normal(q.hit.primID)).normalized();
  out.normal = (turns_[out.piece] * ((1 - u - v) * n[0] + u * n[1] + v * n[2])).normalized();
  out.inside = out.flat.dot(d) > 0;
  if (out.inside) out.flat = -out.flat, out.normal = -out.normal;
  const std::vector<std::uint8_t>& cut = stage_.meshes[m].inside;
  out.cut_face = !cut.empty() && cut[q.hit.primID] != 0;
  return true;
}

bool Tracer::blocked(const Vec3& from, const Vec3& d, const std::optional<Cut>& cut) const {
  if (!cut) {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRay r = rayOf(from, d, 0);
    r.mask = kSolid;
    rtcOccluded1(top_, &context, &r);
    return r.tfar < 0;
  }
  double start = 0;
  for (int layer = 0; layer < kMostLayers; ++layer) {
    Hit h;
    if (!trace(from, d, start, kSolid, h)) return false;
    if (!cutAway(from, d, h, cut)) return true;
    start = beyond(h);
  }
  return false;
}

bool Tracer::cutAway(const Vec3& from, const Vec3& d, const Hit& h, const std::optional<Cut>& cut) const {
  return cut && !isGround(h.piece) && cut->takes(from + h.distance * d);
}

double Tracer::nearEnough(const Hit& h, const Vec3& d) const {
  const double slant = greatest(0.15, absolute(h.flat.dot(d)));
  return kFits * sizes_[stage_.pieces[h.piece].mesh] / slant;
}

std::optional<Hit> Tracer::proudBefore(const Vec3& from, const Vec3& d, double start, double end,
                                       const Hit* mesh, const std::optional<Cut>& cut) const {
  for (int layer = 0; layer < kMostLayers; ++layer) {
    Hit h;
    if (!trace(from, d, start, kFelt, h) || h.distance > end) return {};
    const bool own = mesh != nullptr && stage_.pieces[h.piece].pose == stage_.pieces[mesh->piece].pose;
    const bool fits = own && end - h.distance <= nearEnough(*mesh, d);
    if (!fits && !h.inside && !cutAway(from, d, h, cut)) return h;
    start = beyond(h);
  }
  return {};
}

bool Tracer::feltNear(const Vec3& from, const Vec3& d, const Hit& h) const {
  const double near = nearEnough(h, d);
  double start = 0;
  for (int layer = 0; layer < kMostLayers; ++layer) {
    Hit felt;
    if (!trace(from, d, start, kFelt, felt) || felt.distance > h.distance + near) return false;
    if (stage_.pieces[felt.piece].pose == stage_.pieces[h.piece].pose) return true;
    start = beyond(felt);
  }
  return false;
}

}  // namespace drubble::draw
