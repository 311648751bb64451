// SPDX-License-Identifier: Apache-2.0
#include "files/part_store.h"

#include <fmt/format.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

#include "core/base/error.h"
#include "files/cache/blob.h"

namespace drubble::files {

namespace {

// Another one: parts of older programs are made anew.
constexpr std::uint32_t kMethod = 2;

Bytes packed(const shape::ConvexParts& parts) {
  ByteWriter w;
  w.add(parts.proud);
  w.add(u32(parts.parts.size()));
  for (const shape::ConvexPart& p : parts.parts) {
    w.add(u32(p.corners.size()));
    for (const Vec3& v : p.corners) w.add(v);
    w.add(u32(p.inner.size()));
    for (const shape::InnerFace& face : p.inner) {
      w.add(face.normal);
      w.add(face.offset);
      w.add(u32(face.region.size()));
      for (const auto& t : face.region)
        for (const Vec3& v : t) w.add(v);
    }
  }
  return packBytes(w.take()).data;
}

shape::ConvexParts unpacked(const Bytes& data) {
  const Bytes raw = unpackBytes(data);
  ByteReader r(raw);
  shape::ConvexParts out;
  std::uint32_t parts = 0, count = 0;
  r.read(out.proud);
  r.read(parts);
  for (std::uint32_t k = 0; k < parts; ++k) {
    shape::ConvexPart& p = out.parts.emplace_back();
    r.read(count);
    for (std::uint32_t n = 0; n < count; ++n) r.read(p.corners.emplace_back());
    r.read(count);
    for (std::uint32_t n = 0; n < count; ++n) {
      shape::InnerFace& face = p.inner.emplace_back();
      r.read(face.normal);
      r.read(face.offset);
      std::uint32_t triangles = 0;
      r.read(triangles);
      for (std::uint32_t t = 0; t < triangles; ++t)
        for (Vec3& v : face.region.emplace_back()) r.read(v);
    }
  }
  return out;
}

}  // namespace

std::string PartStore::fileFor(const mesh::TriangleMesh& m, const shape::PartsGoal& goal) const {
  ByteWriter w;
  w.add(kMethod);
  w.add(goal.tolerance);
  w.add(static_cast<std::uint32_t>(goal.most));
  for (const Vec3& v : m.vertices) w.add(v);
  for (const mesh::Triangle& t : m.triangles)
    for (const std::uint32_t n : t) w.add(n);
  return (std::filesystem::path(folder_) /
          fmt::format("{:016x}.parts", static_cast<std::uint64_t>(hashOf(w.take()))))
      .string();
}

std::optional<shape::ConvexParts> PartStore::find(const mesh::TriangleMesh& m,
                                                  const shape::PartsGoal& goal) const {
  if (folder_.empty()) return {};
  std::ifstream in(fileFor(m, goal), std::ios::binary);
  if (!in) return {};
  const std::string text((std::istreambuf_iterator<char>(in)), std::istreambuf_iterator<char>());
  const auto* bytes = reinterpret_cast<const std::byte*>(text.data());
  // The hash of the rest comes first.
  if (text.size() < sizeof(std::int64_t)) return {};
  std::int64_t hash = 0;
  std::memcpy(&hash, bytes, sizeof(hash));
  const Bytes data(bytes + sizeof(hash), bytes + text.size());
  if (hashOf(data) != hash) return {};
  try {
    return unpacked(data);
  } catch (const Error&) {
    return {};
  }
}

void PartStore::keep(const mesh::TriangleMesh& m, const shape::PartsGoal& goal,
                     const shape::ConvexParts& parts) const {
  if (folder_.empty()) return;
  std::error_code failed;
  std::filesystem::create_directories(folder_, failed);
  if (failed) return;
  const std::string path = fileFor(m, goal), beside = fmt::format("{}.{}", path, getpid());
  const Bytes data = packed(parts);
  const std::int64_t hash = hashOf(data);
  {
    std::ofstream out(beside, std::ios::binary);
    out.write(reinterpret_cast<const char*>(&hash), sizeof(hash));
    out.write(reinterpret_cast<const char*>(data.data()), static_cast<std::streamsize>(data.size()));
    if (!out.flush()) return;
  }
  std::filesystem::rename(beside, path, failed);  // whole or not at all
  if (failed) std::filesystem::remove(beside, failed);
}

shape::ConvexParts partsOf(const mesh::TriangleMesh& m, const shape::PartsGoal& goal, const PartStore& store,
                           Team* team, const std::function<void()>& say) {
  if (std::optional<shape::ConvexParts> kept = store.find(m, goal)) return std::move(*kept);
  if (say) say();
  shape::ConvexParts made = shape::convexParts(m, goal, team);
  store.keep(m, goal, made);
  return made;
}

}  // namespace drubble::files
