// SPDX-License-Identifier: Apache-2.0
#include "files/export/sequence.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>

#include "files/export/file_out.h"
#include "files/numbered.h"

namespace drubble::files {

namespace {

void put(FileOut& out, const Vec3& v) {
  for (int k = 0; k < 3; ++k) {
    const auto x = static_cast<float>(v[k]);
    out.raw(&x, sizeof(x));
  }
}

template <class T>
void put(FileOut& out, T x) {
  out.raw(&x, sizeof(x));
}

// Where the vertices of what is shown of a piece are (body space), and how fast they go there.
struct Form {
  const std::vector<Vec3>* places = nullptr;
  std::vector<Vec3> own, speeds;  // of what changes its form
};

Form formAt(Shot& shot, const ShownMesh& m, double time) {
  Form out;
  out.places = &m.mesh.vertices;
  if (!m.bends) return out;
  out.own = shot.verticesAt(m, time);
  const std::vector<Vec3> before = shot.verticesAt(m, time - 1), after = shot.verticesAt(m, time + 1);
  for (std::size_t i = 0; i < after.size(); ++i)
    out.speeds.push_back((after[i] - before[i]) * (0.5 * shot.cache().info().fps));
  out.places = &out.own;
  return out;
}

std::vector<const ShownPiece*> presentAt(const Shot& shot, const std::vector<PieceMoment>& now) {
  std::vector<const ShownPiece*> out;
  for (const ShownPiece& p : shot.pieces())
    if (now[p.piece].there()) out.push_back(&p);
  return out;
}

void plyHead(FileOut& out, const Shot& shot, double time) {
  const CacheInfo& info = shot.cache().info();
  out.print("ply\nformat binary_little_endian 1.0\ncomment frame {}, {} frames a second, unit {} m, up {}\n",
            time, info.fps, info.unit, info.up_is_z ? "z" : "y");
}

// Without faces: the vertices alone, in the same order.
void writePlyMesh(Shot& shot, double time, const std::string& path, bool with_faces) {
  const std::vector<PieceMoment>& now = shot.at(time);
  const auto present = presentAt(shot, now);
  std::size_t vertices = 0, faces = 0;
  FileOut out(path);
  plyHead(out, shot, time);
  for (const Surface& s : shot.surfaces()) out.print("comment surface {}\n", s.name);
  for (const ShownPiece* p : present) {
    out.print("comment piece {} {}\n", p->piece, shot.nameOf(*p));
    vertices += shot.meshes()[p->mesh].mesh.vertices.size();
    faces += shot.meshes()[p->mesh].mesh.triangles.size();
  }
  out.print("element vertex {}\n", vertices);
  for (const char* name : {"x", "y", "z", "vx", "vy", "vz"}) out.print("property float {}\n", name);
  if (with_faces)
    out.print(
        "element face {}\nproperty list uchar uint vertex_indices\nproperty int piece\nproperty uchar "
        "surface\n",
        faces);
  out.text("end_header\n");
  for (const ShownPiece* p : present) {
    const PieceMoment& m = now[p->piece];
    const Form form = formAt(shot, shot.meshes()[p->mesh], time);
    for (std::size_t i = 0; i < form.places->size(); ++i) {
      const Vec3 arm = m.pose.turn * (*form.places)[i];
      Vec3 speed = m.velocity + m.spin.cross(arm);
      if (!form.speeds.empty()) speed += m.pose.turn * form.speeds[i];
      put(out, Vec3(m.pose.position + arm));
      put(out, speed);
    }
  }
  if (!with_faces) return out.finish();
  std::uint32_t first = 0;
  for (const ShownPiece* p : present) {
    const ShownMesh& m = shot.meshes()[p->mesh];
    for (std::size_t t = 0; t < m.mesh.triangles.size(); ++t) {
      put(out, std::uint8_t{3});
      for (const std::uint32_t v : m.mesh.triangles[t]) put(out, v + first);
      put(out, static_cast<std::int32_t>(p->piece));
      put(out, static_cast<std::uint8_t>(m.look.materials[t]));
    }
    first += u32(m.mesh.vertices.size());
  }
  out.finish();
}

void writePlyPoints(Shot& shot, double time, const std::string& path) {
  const std::vector<PieceMoment>& now = shot.at(time);
  const auto present = presentAt(shot, now);
  FileOut out(path);
  plyHead(out, shot, time);
  for (const ShownPiece* p : present) out.print("comment piece {} {}\n", p->piece, shot.nameOf(*p));
  out.print("element vertex {}\n", present.size());
  for (const char* name : {"x", "y", "z", "turn_w", "turn_x", "turn_y", "turn_z", "vx", "vy", "vz", "spin_x",
                           "spin_y", "spin_z", "radius"})
    out.print("property float {}\n", name);
  out.text("property int piece\nproperty uchar state\nend_header\n");
  for (const ShownPiece* p : present) {
    const PieceMoment& m = now[p->piece];
    put(out, m.pose.position);
    for (const double x : {m.pose.turn.w(), m.pose.turn.x(), m.pose.turn.y(), m.pose.turn.z()})
      put(out, static_cast<float>(x));
    put(out, m.velocity);
    put(out, m.spin);
    put(out, static_cast<float>(shot.meshes()[p->mesh].radius));
    put(out, static_cast<std::int32_t>(p->piece));
    put(out, m.flags);
  }
  out.finish();
}

// What a mesh's corners look like, each value once.
struct Corners {
  std::vector<Vec2> uvs;
  std::vector<Vec3> normals;
  std::vector<std::array<std::array<std::uint32_t, 2>, 3>> at;  // of each triangle's corners: uv, normal
};

Corners cornersOf(const ShownMesh& m) {
  Corners out;
  std::map<std::array<double, 2>, std::uint32_t> uvs;
  std::map<std::array<double, 3>, std::uint32_t> normals;
  for (std::size_t t = 0; t < m.mesh.triangles.size(); ++t) {
    auto& at = out.at.emplace_back();
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec2& uv = m.look.uvs[t][k];
      const Vec3& n = m.look.normals[t][k];
      const auto [u, new_uv] = uvs.try_emplace({uv.x(), uv.y()}, u32(uvs.size()));
      const auto [w, new_normal] = normals.try_emplace({n.x(), n.y(), n.z()}, u32(normals.size()));
      if (new_uv) out.uvs.push_back(uv);
      if (new_normal) out.normals.push_back(n);
      at[k] = {u->second, w->second};
    }
  }
  return out;
}

void numbers(FileOut& out, const char* what, const double* values, int count, int decimals) {
  out.text(what);
  for (int k = 0; k < count; ++k) {
    out.text(" ");
    out.number(values[k], decimals);
  }
  out.text("\n");
}

void writeObjMesh(Shot& shot, double time, const std::string& path, const std::string& materials,
                  const std::vector<Corners>& corners) {
  const std::vector<PieceMoment>& now = shot.at(time);
  FileOut out(path);
  out.print("mtllib {}\n", std::filesystem::path(materials).filename().string());
  std::size_t place = 1, uv = 1, normal = 1;
  for (const ShownPiece* p : presentAt(shot, now)) {
    const ShownMesh& m = shot.meshes()[p->mesh];
    const Corners& c = corners[p->mesh];
    const Pose& pose = now[p->piece].pose;
    const Form form = formAt(shot, m, time);
    out.print("g {}\n", shot.nameOf(*p));
    for (const Vec3& v : *form.places) numbers(out, "v", pose.toWorld(v).eval().data(), 3, 7);
    for (const Vec2& x : c.uvs) numbers(out, "vt", x.data(), 2, 5);
    for (const Vec3& n : c.normals) numbers(out, "vn", (pose.turn * n).eval().data(), 3, 4);
    std::uint32_t material = 0xffffffffu;
    for (std::size_t t = 0; t < m.mesh.triangles.size(); ++t) {
      if (m.look.materials[t] != material) {
        material = m.look.materials[t];
        out.print("usemtl {}\n", shot.surfaces()[material].name);
      }
      out.text("f");
      for (std::size_t k = 0; k < 3; ++k)
        out.print(" {}/{}/{}", m.mesh.triangles[t][k] + place, c.at[t][k][0] + uv, c.at[t][k][1] + normal);
      out.text("\n");
    }
    place += m.mesh.vertices.size();
    uv += c.uvs.size();
    normal += c.normals.size();
  }
  out.finish();
}

void writeMaterials(const Shot& shot, const std::string& path) {
  FileOut out(path);
  for (const Surface& s : shot.surfaces())
    out.print("newmtl {}\nKd {:.4g} {:.4g} {:.4g}\n", s.name, s.colour[0], s.colour[1], s.colour[2]);
  out.finish();
}

// "out/shot.####.obj": "out/shot.mtl".
std::string materialsPath(const std::string& pattern) {
  std::string stem = pattern.substr(0, pattern.rfind('.'));
  while (!stem.empty() && (stem.back() == '#' || stem.back() == '.' || stem.back() == '_')) stem.pop_back();
  return stem + ".mtl";
}

}  // namespace

std::uint64_t bytesOfFrames(const Shot& shot, FrameForm form) {
  std::uint64_t vertices = 0, faces = 0;
  for (const ShownPiece& p : shot.pieces()) {
    vertices += shot.meshes()[p.mesh].mesh.vertices.size();
    faces += shot.meshes()[p.mesh].mesh.triangles.size();
  }
  const std::uint64_t pieces = shot.pieces().size(), frames = shot.times().size();
  if (form == FrameForm::PlyPoints) return frames * pieces * 90;
  if (form == FrameForm::PlyMesh) return frames * (pieces * 30 + vertices * 24 + faces * 18);
  return frames * (vertices * 30 + faces * 110);
}

namespace {

void requireRoom(const Shot& shot, FrameForm form) {
  namespace fs = std::filesystem;
  std::error_code unknown;
  const fs::path folder = fs::absolute(shot.options().path).parent_path();
  const fs::space_info room = fs::space(fs::exists(folder, unknown) ? folder : fs::current_path(), unknown);
  const auto wanted = static_cast<double>(bytesOfFrames(shot, form)),
             files = static_cast<double>(shot.times().size());
  if (!unknown && wanted > static_cast<double>(room.available))
    throw Error(
        ErrorKind::Usage,
        fmt::format(
            "{} files of about {:.3g} MB want {:.3g} GB, and {:.3g} GB are free: write fewer frames or "
            "pieces, or instances (.usda) or points",
            files, wanted / 1e6 / files, wanted / 1e9, static_cast<double>(room.available) / 1e9));
}

}  // namespace

std::size_t writeFrames(Shot& shot, FrameForm form) {
  const std::string& pattern = shot.options().path;
  if (!isNumbered(pattern) && !shot.still())
    throw Error(
        ErrorKind::Usage,
        fmt::format("'{}' is one file, and there are {} frames: put a row of # where their numbers go, like "
                    "shot.####{}, or give --frame",
                    pattern, shot.times().size(), std::filesystem::path(pattern).extension().string()));
  requireRoom(shot, form);
  std::vector<Corners> corners;
  if (form == FrameForm::ObjMesh) {
    writeMaterials(shot, materialsPath(pattern));
    for (const ShownMesh& m : shot.meshes()) corners.push_back(cornersOf(m));
  }
  for (std::size_t n = 0; n < shot.times().size(); ++n) {
    const double time = shot.times()[n];
    if (time != std::floor(time))
      throw Error(ErrorKind::Usage, "--samples makes frames between frames, which files by number have not");
    const std::string path = numberedPath(pattern, static_cast<int>(time));
    if (form == FrameForm::PlyMesh) writePlyMesh(shot, time, path, true);
    if (form == FrameForm::PlyPoints) writePlyPoints(shot, time, path);
    if (form == FrameForm::ObjMesh) writeObjMesh(shot, time, path, materialsPath(pattern), corners);
    if (form == FrameForm::ObjMesh && shot.options().velocities)
      writePlyMesh(shot, time, path.substr(0, path.size() - 4) + ".velocities.ply", false);
    shot.tell("frames", n + 1, shot.times().size());
  }
  return shot.times().size();
}

}  // namespace drubble::files
