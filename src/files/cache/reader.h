// SPDX-License-Identifier: Apache-2.0
// Reads a cache, finished or still growing. Every block is checked against its hash.
#pragma once
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/vec.h"
#include "files/cache/blob.h"
#include "files/cache/bonds.h"
#include "files/cache/joints.h"
#include "files/cache/pours.h"
#include "files/cache/rules.h"
#include "files/cache/sql.h"
#include "files/cache/watches.h"
#include "files/looks.h"

namespace drubble::files {

struct CachedPrototype {
  std::string name, material, shape;
  double volume = 0, mass = 0, size = 0, inner_radius = 0, outer_radius = 0;
  Vec3 origin = Vec3::Zero();  // where the mesh's own origin is, body space
  std::array<double, 3> colour{};
  std::vector<std::uint8_t> inside;  // of each triangle whether the solid was cut there; empty: of none
  std::array<double, 3> inside_colour{};
  bool show = true;
  mesh::TriangleMesh mesh;  // body space
  bool bends = false;       // its vertices move: CacheReader::verticesAt
};

struct CachedPiece {
  std::string name;
  std::uint32_t prototype = 0;
  bool dynamic = true;
};

struct CachedCamera {
  std::string name;
  Vec3 at = Vec3::Zero(), look = Vec3::Zero();
  double lens = 35;
};

struct CachedFrame {  // what is known of a frame besides the pieces
  int frame = 0;
  std::string digest;
  int substeps = 0, iterations = 0;
  std::uint32_t awake = 0, asleep = 0, contacts = 0;
  double kinetic = 0, potential = 0, work = 0;  // J; work: put in by motors and keyed springs in this frame
  std::string asks;                             // why it was cut so finely: world::asksName
  int asking = -1;                              // for which piece
  double simulated = 0;                         // s since the first frame
  double depth_worst = 0, depth_p99 = 0, share_worst = 0, share_p99 = 0;
  int deepest_a = -1, deepest_b = -1;
  double solve_seconds = 0, measure_seconds = 0, store_seconds = 0;
};

struct CachedHit {
  int frame = 0;
  std::uint32_t a = 0, b = 0;
  Vec3 place = Vec3::Zero(), normal = Vec3::Zero();
  double impulse = 0, speed = 0;
};

struct CacheInfo {
  std::string title, units, state, setup_path, setup_text, overrides;
  std::string edited;  // of what it was made by an edit; empty: it was simulated
  double unit = 1, fps = 24, time_scale = 1, sleep_speed = -1;
  bool up_is_z = false;
  int first_frame = 1, last_frame = 1;  // as the setup asked
  Vec3 gravity = Vec3::Zero();
  std::optional<Box> keep_inside;
};

class CacheReader {
 public:
  // Throws Error(Input) for what is no cache, is damaged, is of another version, or holds no frame yet.
  explicit CacheReader(const std::string& path);

  const std::string& path() const { return db_->path(); }
  Database& database() { return *db_; }  // for what is read here and there
  const CacheInfo& info() const { return info_; }
  const std::vector<CachedPrototype>& prototypes() const { return prototypes_; }
  const std::vector<CachedPiece>& pieces() const { return pieces_; }
  const std::vector<CachedCamera>& cameras() const { return cameras_; }
  const CachedPrototype& prototypeOf(std::size_t piece) const {
    return prototypes_[pieces_[piece].prototype];
  }

  std::vector<CachedFrame> frames();  // those committed by now, ascending
  std::vector<CachedHit> hits();      // in order
  const std::vector<CachedJoint>& joints() const { return joints_; }
  std::vector<CachedJointBreak> jointBreaks() { return readJointBreaks(*db_); }  // in order
  std::vector<CachedJointLoad> jointLoads(int frame) { return readJointLoads(*db_, frame); }
  std::vector<CachedBond> bonds() { return readBonds(*db_); }  // by number
  std::vector<CachedBondBreak> bondBreaks() { return readBondBreaks(*db_); }
  std::vector<float> bondStress(int frame) { return readBondStress(*db_, frame); }
  std::vector<CachedBondWorst> bondWorsts() { return readBondWorsts(*db_); }
  std::vector<CachedYieldWorst> yieldWorsts() { return readYieldWorsts(*db_); }
  std::vector<CachedRule> rules() { return readRules(*db_); }
  std::vector<CachedPour> pours() { return readPours(*db_); }
  std::vector<CachedWatch> watches() { return readWatches(*db_); }
  std::vector<CachedContact> contacts(int frame) { return readContacts(*db_, frame); }
  std::vector<std::string> notes();
  // What is shown of a prototype, body space (m); nothing: its mesh.
  std::optional<LookedMesh> shownMesh(std::size_t prototype);
  // Where the vertices of a prototype that bends are at a frame, body space.
  std::vector<Vec3> verticesAt(std::size_t prototype, int frame);
  // All pieces at a frame. Two blocks are read at most.
  std::vector<PieceState> states(int frame);

 private:
  void readInfo();
  void readPieces();
  [[noreturn]] void damaged(const std::string& what) const;
  Bytes block(int frame, int& key_frame, std::size_t& count);

  std::unique_ptr<Database> db_;
  CacheInfo info_;
  std::vector<CachedPrototype> prototypes_;
  std::vector<CachedPiece> pieces_;
  std::vector<CachedCamera> cameras_;
  std::vector<CachedJoint> joints_;
  int loaded_key_ = 0;
  std::vector<PieceState> key_;
};

}  // namespace drubble::files
