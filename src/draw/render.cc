// SPDX-License-Identifier: Apache-2.0
#include "draw/render.h"

#include <embree3/rtcore.h>
#include <pmmintrin.h>
#include <xmmintrin.h>

#include <atomic>
#include <cmath>
#include <thread>

#include "core/base/random.h"
#include "core/base/trig.h"

namespace drubble::draw {

namespace {

using Colour = Eigen::Array3d;  // linear light

constexpr unsigned kSolid = 1, kThin = 2,
                   kFelt = 4;  // ray masks: what throws shadows, what is seen through, shapes
constexpr int kMostLayers = 24;
constexpr double kFits = 0.004;  // of the size: smaller misfits are not shown
constexpr double kCrease = 0.6;  // cosine: faces that meet more bluntly are shaded as one smooth surface

double toLinear(double s) { return s <= 0.04045 ? s / 12.92 : std::pow((s + 0.055) / 1.055, 2.4); }
double toDisplay(double l) { return l <= 0.0031308 ? 12.92 * l : 1.055 * std::pow(l, 1 / 2.4) - 0.055; }
Colour linear(const Rgb& c) { return {toLinear(c[0]), toLinear(c[1]), toLinear(c[2])}; }

std::uint32_t developed(const Colour& c) {
  Rgb out{};
  for (int k = 0; k < 3; ++k) {
    const double x = c[k];
    out[static_cast<std::size_t>(k)] = toDisplay(x * (1 + x / 9) / (1 + x));  // highlights roll off
  }
  return packed(out);
}

// A normal for each corner of each triangle: the mean of the faces about the corner that are not across a
// crease.
std::vector<std::array<Vec3, 3>> cornerNormals(const mesh::TriangleMesh& m) {
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
      for (const std::uint32_t n : around[m.triangles[t][k]])
        if (face[n].dot(face[t]) > kCrease) sum += face[n];
      out[t][k] = sum.norm() > 0 ? Vec3(sum.normalized()) : face[t];
    }
  }
  return out;
}

struct Hit {
  double distance = 0;
  std::uint32_t piece = 0;
  Vec3 normal = Vec3::Zero();  // world, towards the viewer
  Vec3 flat = Vec3::Zero();    // the face's own
  bool inside = false;         // seen from behind
};

struct Light {
  Vec3 sun = Vec3::UnitY();
  Vec3 up = Vec3::UnitY();
  Colour sun_colour{4.0, 3.6, 2.95};
  Colour zenith{0.60, 0.76, 1.0};
  Colour horizon{0.95, 0.98, 1.02};
  Colour below{0.30, 0.28, 0.26};

  Colour sky(const Vec3& d) const {
    const double h = d.dot(up);
    if (h < 0) return horizon + (below - horizon) * least(1, -4 * h);
    return horizon + (zenith - horizon) * std::sqrt(h);
  }
};

}  // namespace

struct Renderer::Inner {
  const Stage& stage;
  RTCDevice device = rtcNewDevice(nullptr);
  RTCScene top = nullptr;
  std::vector<RTCScene> scenes;
  std::vector<mesh::TriangleMesh> meshes;
  std::vector<double> sizes;
  std::vector<std::vector<std::array<Vec3, 3>>> normals;
  std::vector<RTCGeometry> instances;
  std::vector<Mat3> turns;
  Vec3 middle = Vec3::Zero();  // of the action, on the first moment shown
  double extent = 0;
  Light light;

  explicit Inner(const Stage& s) : stage(s) {
    if (device == nullptr) throw Error(ErrorKind::Internal, "the ray tracer does not start");
    light.up = stage.up;
    const bool z_up = stage.up.z() > 0.5;
    light.sun = (z_up ? vec3(-0.6, -0.85, 1.1) : vec3(-0.6, 1.1, 0.85)).normalized();
    top = rtcNewScene(device);
    rtcSetSceneFlags(top, RTC_SCENE_FLAG_DYNAMIC);
  }
  ~Inner() {
    for (RTCGeometry g : instances) rtcReleaseGeometry(g);
    for (RTCScene s : scenes) rtcReleaseScene(s);
    rtcReleaseScene(top);
    rtcReleaseDevice(device);
  }

  void addMesh(const StageMesh& m) {
    mesh::TriangleMesh mesh = m.mesh;
    if (m.ground)  // as far as the eye reaches
      for (Vec3& v : mesh.vertices) v *= 400 * extent;
    RTCScene scene = rtcNewScene(device);
    RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
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
    scenes.push_back(scene);
    normals.push_back(cornerNormals(mesh));
    sizes.push_back(mesh.bounds().size().maxCoeff());
    meshes.push_back(std::move(mesh));
  }

  void build(const Moment& m) {
    const Box box = actionBox(stage, {m});
    middle = box.centre();
    extent = box.size().norm();
    for (const StageMesh& s : stage.meshes) addMesh(s);
    for (std::uint32_t i = 0; i < stage.pieces.size(); ++i) {
      RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_INSTANCE);
      rtcSetGeometryInstancedScene(g, scenes[stage.pieces[i].mesh]);
      rtcAttachGeometryByID(top, g, i);
      if (!stage.meshes[stage.pieces[i].mesh].show) rtcDisableGeometry(g);
      rtcSetGeometryMask(g, stage.pieces[i].felt ? kFelt : stage.pieces[i].opacity < 1 ? kThin : kSolid);
      instances.push_back(g);
    }
    turns.resize(instances.size());
  }

  void place(const Moment& m) {
    for (std::size_t i = 0; i < instances.size(); ++i) {
      Pose pose = m.poses[stage.pieces[i].pose];
      // What stands on the ground is seen before it, also from below or cut open.
      if (stage.meshes[stage.pieces[i].mesh].ground) pose.position -= 1e-4 * extent * light.up;
      turns[i] = pose.turn.toRotationMatrix();
      float x[12];
      for (int column = 0; column < 3; ++column)
        for (int row = 0; row < 3; ++row) x[column * 3 + row] = static_cast<float>(turns[i](row, column));
      for (int row = 0; row < 3; ++row) x[9 + row] = static_cast<float>(pose.position[row]);
      rtcSetGeometryTransform(instances[i], 0, RTC_FORMAT_FLOAT3X4_COLUMN_MAJOR, x);
      rtcCommitGeometry(instances[i]);
    }
    rtcCommitScene(top);
  }

  static RTCRay rayOf(const Vec3& from, const Vec3& d, double start) {
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

  bool trace(const Vec3& from, const Vec3& d, double start, unsigned mask, Hit& out) const {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit q{};
    q.ray = rayOf(from, d, start);
    q.ray.mask = mask;
    q.hit.geomID = q.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(top, &context, &q);
    if (q.hit.geomID == RTC_INVALID_GEOMETRY_ID) return false;
    out.distance = static_cast<double>(q.ray.tfar);
    out.piece = q.hit.instID[0];
    const std::uint32_t m = stage.pieces[out.piece].mesh;
    const auto& n = normals[m][q.hit.primID];
    const double u = static_cast<double>(q.hit.u), v = static_cast<double>(q.hit.v);
    out.flat = (turns[out.piece] * meshes[m].normal(q.hit.primID)).normalized();
    out.normal = (turns[out.piece] * ((1 - u - v) * n[0] + u * n[1] + v * n[2])).normalized();
    out.inside = out.flat.dot(d) > 0;
    if (out.inside) out.flat = -out.flat, out.normal = -out.normal;
    return true;
  }

  Colour follow(const Vec3& from, const Vec3& d, const Look& look, const std::vector<Colour>& albedo,
                RandomStream& random) const;

  bool cutAway(const Vec3& eye, const Vec3& place, std::uint32_t piece, const Look& look) const;
  double nearEnough(const Hit& h, const Vec3& d) const;
  std::optional<Hit> proudBefore(const Vec3& from, const Vec3& d, double start, double end, const Hit* mesh,
                                 const Look& look) const;
  bool feltNear(const Vec3& from, const Vec3& d, const Hit& h) const;

  // What is cut away throws no shadow.
  bool blocked(const Vec3& from, const Vec3& d, const Vec3& eye, const Look& look) const {
    if (!look.section) return blocked(from, d, 0);
    double start = 0;
    for (int layer = 0; layer < kMostLayers; ++layer) {
      Hit h;
      if (!trace(from, d, start, kSolid, h)) return false;
      if (!cutAway(eye, from + h.distance * d, h.piece, look)) return true;
      start = h.distance * (1 + 1e-6) + 1e-6 * extent;
    }
    return false;
  }

  bool blocked(const Vec3& from, const Vec3& d, double start) const {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRay r = rayOf(from, d, start);
    r.mask = kSolid;
    rtcOccluded1(top, &context, &r);
    return r.tfar < 0;
  }

  // The ground fades into the sky's edge, so that it has no end.
  Colour faded(const Colour& c, const Vec3& place, const Vec3& d) const {
    const Vec3 off = place - middle;
    const double far = (off - off.dot(light.up) * light.up).norm() / extent;
    const double share = 1 - exponential(-0.012 * far * far);
    return c + (light.sky(d) - c) * share;
  }

  Colour quickShade(const Hit& h, const Vec3& from, const Vec3& d, const Colour& albedo) const {
    const double sun = greatest(0, h.flat.dot(light.sun)), facing = greatest(0, -h.flat.dot(d)),
                 up = 0.5 + 0.5 * h.flat.dot(light.up);
    const Colour c = albedo * (0.35 + 1.1 * sun + 0.35 * facing + 0.3 * up);
    return stage.meshes[stage.pieces[h.piece].mesh].ground ? faded(c, from + h.distance * d, d) : c;
  }

  Colour shade(const Hit& h, const Vec3& from, const Vec3& d, const Colour& albedo, const Look& look,
               RandomStream& random) const {
    const bool ground = stage.meshes[stage.pieces[h.piece].mesh].ground;
    const Vec3 place = from + h.distance * d;
    const Vec3 origin = place + 1e-4 * extent * h.flat;
    Colour out = Colour::Zero();
    // A sun with a width: soft edges to its shadows.
    const Vec3 wobble = vec3(random.between(-1, 1), random.between(-1, 1), random.between(-1, 1));
    const Vec3 sun = (light.sun + 0.035 * wobble).normalized();
    const double cosine = h.normal.dot(sun);
    const bool lit = cosine > 0 && h.flat.dot(sun) > 0 && !blocked(origin, sun, from, look);
    if (lit) out += albedo * light.sun_colour * cosine * 0.55;
    const Vec3 side = anyNormalTo(h.normal), other = h.normal.cross(side);
    for (int k = 0; k < 2; ++k) {
      const double r = std::sqrt(random.unit());
      const SinCos a = sinCos(2 * kPi * random.unit());
      const Vec3 e = (r * a.cos * side + r * a.sin * other + std::sqrt(1 - r * r) * h.normal).normalized();
      if (e.dot(h.flat) > 0 && !blocked(origin, e, from, look))
        out += 0.5 * albedo * light.sky(e);
      else
        out += 0.5 * albedo * albedo * 0.16;  // what neighbours throw back
    }
    if (!ground) {
      const Vec3 mirror = d - 2 * d.dot(h.normal) * h.normal;
      const double facing = greatest(0, -d.dot(h.normal));
      const double f = 0.035 + 0.4 * std::pow(1 - facing, 5);
      if (f > 0.05 && h.flat.dot(mirror) > 0 && !blocked(origin, mirror, from, look))
        out += f * light.sky(mirror);
      if (lit) out += light.sun_colour * (0.5 * std::pow(greatest(0, mirror.dot(sun)), 90));
      return out;
    }
    return faded(out, place, d);
  }
};

// Follows a ray through what is cut away and what is seen through. A shape laid over its mesh is seen only
// where the two differ by more than the eye should overlook.
Colour Renderer::Inner::follow(const Vec3& from, const Vec3& d, const Look& look,
                               const std::vector<Colour>& albedo, RandomStream& random) const {
  Colour out = Colour::Zero();
  double left = 1, start = 0;
  const auto cover = [&](const Hit& h, const Colour& own, double opacity) {
    const double edge = 1 - absolute(h.normal.dot(d));
    const double share = least(1, opacity * (0.55 + 1.2 * edge * edge));
    out += left * share * quickShade(h, from, d, own);
    left *= 1 - share;
  };
  for (int layer = 0; layer < kMostLayers; ++layer) {
    Hit h;
    const bool met = trace(from, d, start, kSolid | kThin, h);
    if (stage.compares) {
      const double end = met ? h.distance : std::numeric_limits<double>::infinity();
      if (const std::optional<Hit> proud = proudBefore(from, d, start, end, met ? &h : nullptr, look))
        cover(*proud, linear(kProudColour), 0.7);
    }
    if (!met) break;
    start = h.distance * (1 + 1e-6) + 1e-6 * extent;
    const StagePiece& piece = stage.pieces[h.piece];
    const bool ground = stage.meshes[piece.mesh].ground;
    if (cutAway(from, from + h.distance * d, h.piece, look)) continue;
    const bool sticks_out = stage.compares && !ground && !feltNear(from, d, h);
    // A cut shows the inside, flatly lit.
    Colour own = h.inside ? Colour(albedo[h.piece] * 0.5 + 0.03) : albedo[h.piece];
    if (sticks_out) own = 0.35 * own + 0.65 * linear(kSticksOutColour);
    if (piece.opacity < 1) {
      cover(h, own, piece.opacity);
      continue;
    }
    const bool quick = look.quick;
    return out + left * (quick ? quickShade(h, from, d, own) : shade(h, from, d, own, look, random));
  }
  return out + left * light.sky(d);
}

bool Renderer::Inner::cutAway(const Vec3& eye, const Vec3& place, std::uint32_t piece,
                              const Look& look) const {
  if (!look.section || stage.meshes[stage.pieces[piece].mesh].ground) return false;
  const auto [axis, level] = *look.section;
  const double side = eye[axis] > level ? 1 : -1;
  return side * (place[axis] - level) > 0;
}

double Renderer::Inner::nearEnough(const Hit& h, const Vec3& d) const {
  const double slant = greatest(0.15, absolute(h.flat.dot(d)));
  return kFits * sizes[stage.pieces[h.piece].mesh] / slant;
}

// The first shape's surface between two distances, unless it is just before the mesh it belongs to.
std::optional<Hit> Renderer::Inner::proudBefore(const Vec3& from, const Vec3& d, double start, double end,
                                                const Hit* mesh, const Look& look) const {
  for (int layer = 0; layer < kMostLayers; ++layer) {
    Hit h;
    if (!trace(from, d, start, kFelt, h) || h.distance > end) return {};
    const bool own = mesh != nullptr && stage.pieces[h.piece].pose == stage.pieces[mesh->piece].pose;
    const bool fits = own && end - h.distance <= nearEnough(*mesh, d);
    if (!fits && !h.inside && !cutAway(from, from + h.distance * d, h.piece, look)) return h;
    start = h.distance * (1 + 1e-6) + 1e-6 * extent;
  }
  return {};
}

// Whether the shape of the piece that is hit has a surface here or before, or close behind.
bool Renderer::Inner::feltNear(const Vec3& from, const Vec3& d, const Hit& h) const {
  const double near = nearEnough(h, d);
  double start = 0;
  for (int layer = 0; layer < kMostLayers; ++layer) {
    Hit felt;
    if (!trace(from, d, start, kFelt, felt) || felt.distance > h.distance + near) return false;
    if (stage.pieces[felt.piece].pose == stage.pieces[h.piece].pose) return true;
    start = felt.distance * (1 + 1e-6) + 1e-6 * extent;
  }
  return false;
}

Renderer::Renderer(const Stage& stage) : inner_(std::make_unique<Inner>(stage)) {}
Renderer::~Renderer() = default;

void Renderer::show(const Moment& moment) {
  if (inner_->scenes.empty()) inner_->build(moment);
  inner_->place(moment);
}

Image Renderer::render(const Camera& camera, const Look& look, const PieceColours& colours) const {
  Image image(look.width, look.height);
  std::vector<Colour> albedo;
  for (std::size_t i = 0; i < inner_->stage.pieces.size(); ++i) {
    const StageMesh& m = inner_->stage.meshes[inner_->stage.pieces[i].mesh];
    albedo.push_back(linear(colours.empty() ? m.colour : colours[i]));
  }
  std::atomic<int> next_row{0};
  const auto work = [&] {
    _MM_SET_FLUSH_ZERO_MODE(_MM_FLUSH_ZERO_ON);
    _MM_SET_DENORMALS_ZERO_MODE(_MM_DENORMALS_ZERO_ON);
    const int side = look.quick ? 1 : look.samples;
    for (int y; (y = next_row.fetch_add(1)) < look.height;) {
      for (int x = 0; x < look.width; ++x) {
        RandomStream random(static_cast<std::uint64_t>(y), "pixel", static_cast<std::uint64_t>(x));
        Colour sum = Colour::Zero();
        for (int s = 0; s < side * side; ++s) {
          const double dx = (s % side + (look.quick ? 0.5 : random.unit())) / side,
                       dy = (s / side + (look.quick ? 0.5 : random.unit())) / side;
          const Vec3 d = camera.ray((x + dx) / look.width * 2 - 1, (look.height - 2 * (y + dy)) / look.width);
          sum += inner_->follow(camera.at, d, look, albedo, random);
        }
        image.at(x, y) = developed(sum / (side * side));
      }
    }
  };
  const unsigned count = std::max(1u, std::thread::hardware_concurrency());
  std::vector<std::thread> team;
  for (unsigned k = 0; k < count; ++k) team.emplace_back(work);
  for (std::thread& t : team) t.join();
  return image;
}

Rgb rampColour(double share) {
  static const Rgb kStops[] = {
      {0.16, 0.20, 0.42}, {0.10, 0.48, 0.56}, {0.38, 0.68, 0.36}, {0.93, 0.74, 0.22}, {0.99, 0.95, 0.80}};
  const double x = clamped(share, 0, 1) * 4;
  const auto i = static_cast<std::size_t>(least(x, 3.999));
  Rgb out{};
  for (std::size_t k = 0; k < 3; ++k)
    out[k] = kStops[i][k] + (kStops[i + 1][k] - kStops[i][k]) * (x - static_cast<double>(i));
  return out;
}

}  // namespace drubble::draw
