// SPDX-License-Identifier: Apache-2.0
// What of a cache is handed on: which pieces, at which frames, in which form; in the setup's units.
#pragma once
#include <functional>
#include <string>
#include <vector>

#include "files/cache/moments.h"
#include "files/looks.h"

namespace drubble::files {

struct ExportOptions {
  std::string path;                                          // a row of # where the number of a frame goes
  std::optional<int> first, last;                            // frames; else all there are
  int step = 1;                                              // every so many
  int samples = 1;                                           // a frame: more than one lie between frames
  bool velocities = false;                                   // of .obj: of each vertex, in a .ply beside it
  std::vector<std::string> who;                              // selectors; empty: all that is shown
  std::function<void(const std::string&, double)> progress;  // what, and what share of it is done
  std::function<bool()> stop;
};

struct Surface {
  std::string name;
  std::array<double, 3> colour{};
};

// What is shown of a prototype.
struct ShownMesh {
  std::string name;
  mesh::TriangleMesh mesh;        // body space, in the setup's units
  Look look;                      // materials index Shot::surfaces
  std::vector<Surface> surfaces;  // its own
  double radius = 0;              // about the body's origin
  double unit = 1;                // metres
  bool bends = false;
  std::uint32_t prototype = 0;  // in the cache
};

struct ShownPiece {
  std::uint32_t piece = 0;  // in the cache
  std::uint32_t mesh = 0;   // in Shot::meshes
  bool moves = false;       // in the range, or comes or goes
};

class Shot {
 public:
  // Throws Error(Usage) for frames that are not there and selectors that take nothing.
  Shot(CacheReader& cache, const ExportOptions& options);

  CacheReader& cache() { return cache_; }
  const CacheReader& cache() const { return cache_; }
  const ExportOptions& options() const { return options_; }
  const std::vector<ShownMesh>& meshes() const { return meshes_; }
  const std::vector<ShownPiece>& pieces() const { return pieces_; }
  const std::vector<Surface>& surfaces() const { return surfaces_; }
  const std::string& nameOf(const ShownPiece& p) const { return cache_.pieces()[p.piece].name; }
  // Shot frames that are written, ascending; whole ones unless samples lie between.
  const std::vector<double>& times() const { return times_; }
  bool still() const { return times_.size() == 1; }
  double unit() const { return cache_.info().unit; }

  // Of all pieces of the cache, lengths in the setup's units. Valid until the next call.
  const std::vector<PieceMoment>& at(double time);
  // Vertices of a bending mesh at a time: those of the frame at or before it.
  std::vector<Vec3> verticesAt(const ShownMesh& m, double time);
  // Calls `visit` for each of these (indices into pieces()) with its moments at all times, in order. Memory
  // is bounded: the cache is read once for every so many pieces.
  void eachTrack(const std::string& what, const std::vector<std::size_t>& pieces,
                 const std::function<void(std::size_t, const std::vector<PieceMoment>&)>& visit);
  // Tells how far it is; throws Error(Cancelled) where that was asked for.
  void tell(const std::string& what, std::size_t done, std::size_t of) const;

 private:
  void choosePieces();
  void findMoving();
  void gatherSurfaces();

  CacheReader& cache_;
  const ExportOptions& options_;
  Moments moments_;
  std::vector<ShownMesh> meshes_;
  std::vector<ShownPiece> pieces_;
  std::vector<Surface> surfaces_;
  std::vector<double> times_;
  std::vector<PieceMoment> out_;
};

}  // namespace drubble::files
