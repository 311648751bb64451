// SPDX-License-Identifier: Apache-2.0
#include "files/cache/blob.h"

#include <xxhash.h>
#include <zstd.h>

#include <bit>

#include "files/cache/format.h"

namespace drubble::files {

static_assert(std::endian::native == std::endian::little, "blobs are little-endian");

Pose PieceState::pose() const {
  return {vec3(position[0], position[1], position[2]),
          Quat(static_cast<double>(turn[0]), static_cast<double>(turn[1]), static_cast<double>(turn[2]),
               static_cast<double>(turn[3]))
              .normalized()};
}

std::int64_t hashOf(const Bytes& data) {
  return static_cast<std::int64_t>(XXH3_64bits(data.data(), data.size()));
}

Blob packBytes(const Bytes& raw) {
  Blob b;
  b.data.resize(ZSTD_compressBound(raw.size()));
  const std::size_t n = ZSTD_compress(b.data.data(), b.data.size(), raw.data(), raw.size(), kCompression);
  if (ZSTD_isError(n)) throw Error(ErrorKind::Internal, "compression failed");
  b.data.resize(n);
  b.hash = hashOf(b.data);
  return b;
}

Bytes unpackBytes(const Bytes& data) {
  const auto size = ZSTD_getFrameContentSize(data.data(), data.size());
  if (size == ZSTD_CONTENTSIZE_ERROR || size == ZSTD_CONTENTSIZE_UNKNOWN || size > (1ull << 36))
    throw Error(ErrorKind::Input, "a stored block is damaged");
  Bytes raw(size);
  const std::size_t n = ZSTD_decompress(raw.data(), raw.size(), data.data(), data.size());
  if (ZSTD_isError(n) || n != size) throw Error(ErrorKind::Input, "a stored block is damaged");
  return raw;
}

// Arrays one after the other: index (uint32), position (3 float64), turn (4 float32), velocity, spin (3
// float32), flags.
Blob packFrame(const std::vector<std::uint32_t>& index, const std::vector<PieceState>& states) {
  ByteWriter w;
  for (const std::uint32_t i : index) w.add(i);
  for (const PieceState& s : states)
    for (const double x : s.position) w.add(x);
  for (const PieceState& s : states)
    for (const float x : s.turn) w.add(x);
  for (const PieceState& s : states)
    for (const float x : s.velocity) w.add(x);
  for (const PieceState& s : states)
    for (const float x : s.spin) w.add(x);
  for (const PieceState& s : states) w.add(s.flags);
  return packBytes(w.take());
}

void unpackFrame(const Bytes& data, std::size_t count, bool whole, std::vector<std::uint32_t>& index,
                 std::vector<PieceState>& states) {
  const Bytes raw = unpackBytes(data);
  ByteReader r(raw);
  index.resize(whole ? 0 : count);
  states.resize(count);
  for (std::uint32_t& i : index) r.read(i);
  for (PieceState& s : states)
    for (double& x : s.position) r.read(x);
  for (PieceState& s : states)
    for (float& x : s.turn) r.read(x);
  for (PieceState& s : states)
    for (float& x : s.velocity) r.read(x);
  for (PieceState& s : states)
    for (float& x : s.spin) r.read(x);
  for (PieceState& s : states) r.read(s.flags);
  if (!r.atEnd()) throw Error(ErrorKind::Input, "a stored frame is longer than it should be");
}

Blob packMesh(const mesh::TriangleMesh& m) {
  ByteWriter w;
  w.add(u32(m.vertices.size()));
  w.add(u32(m.triangles.size()));
  for (const Vec3& v : m.vertices) w.add(v);
  for (const mesh::Triangle& t : m.triangles)
    for (const std::uint32_t i : t) w.add(i);
  return packBytes(w.take());
}

Blob packPlaces(const std::vector<Vec3>& places) {
  ByteWriter w;
  for (const Vec3& v : places)
    for (int k = 0; k < 3; ++k) w.add(static_cast<float>(v[k]));
  return packBytes(w.take());
}

std::vector<Vec3> unpackPlaces(const Bytes& data) {
  const Bytes raw = unpackBytes(data);
  ByteReader r(raw);
  std::vector<Vec3> out(raw.size() / (3 * sizeof(float)));
  for (Vec3& v : out) {
    for (int k = 0; k < 3; ++k) {
      float x = 0;
      r.read(x);
      v[k] = static_cast<double>(x);
    }
  }
  return out;
}

Blob packShares(const std::vector<float>& shares) {
  ByteWriter w;
  for (const float s : shares) w.add(s);
  return packBytes(w.take());
}

std::vector<float> unpackShares(const Bytes& data) {
  const Bytes raw = unpackBytes(data);
  ByteReader r(raw);
  std::vector<float> out(raw.size() / sizeof(float));
  for (float& s : out) r.read(s);
  return out;
}

mesh::TriangleMesh unpackMesh(const Bytes& data) {
  const Bytes raw = unpackBytes(data);
  ByteReader r(raw);
  std::uint32_t vertices = 0, triangles = 0;
  r.read(vertices);
  r.read(triangles);
  if (raw.size() != 8 + 24ull * vertices + 12ull * triangles)
    throw Error(ErrorKind::Input, "a stored mesh is damaged");
  mesh::TriangleMesh m;
  m.vertices.resize(vertices);
  m.triangles.resize(triangles);
  for (Vec3& v : m.vertices) r.read(v);
  for (mesh::Triangle& t : m.triangles)
    for (std::uint32_t& i : t) r.read(i);
  if (const std::string why = mesh::whyInvalid(m); !why.empty())
    throw Error(ErrorKind::Input, "a stored mesh is broken: " + why);
  return m;
}

}  // namespace drubble::files
