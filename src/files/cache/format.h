// SPDX-License-Identifier: Apache-2.0
// The cache file NAME.drub in constants; in words: docs/cache.md. Reader and writer share this.
#pragma once
#include <cstdint>

namespace drubble::files {

inline constexpr int kCacheApplication = 0x44525542;  // "DRUB", in SQLite's header
inline constexpr int kCacheVersion = 9;
inline constexpr int kKeyFrameEvery = 24;
inline constexpr int kCompression = 1;
inline constexpr int kKeptCheckpoints = 4;

// Flags of a piece in a frame.
inline constexpr std::uint8_t kFlagAwake = 1;
inline constexpr std::uint8_t kFlagFixed = 2;
inline constexpr std::uint8_t kFlagDriven = 4;
inline constexpr std::uint8_t kFlagHeld = 8;
inline constexpr std::uint8_t kFlagBending = 16;
inline constexpr std::uint8_t kFlagFrozen = 32;
inline constexpr std::uint8_t kFlagGone = 64;
inline constexpr std::uint8_t kFlagUnborn = 128;

inline constexpr const char* kCacheSchema = R"(
CREATE TABLE meta (key TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE setup (path TEXT NOT NULL, text TEXT NOT NULL, overrides TEXT NOT NULL);
CREATE TABLE prototypes (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL, material TEXT NOT NULL,
  volume REAL, mass REAL, size REAL, inner_radius REAL, outer_radius REAL,
  origin_x REAL, origin_y REAL, origin_z REAL,
  red REAL, green REAL, blue REAL, show INTEGER, shape TEXT,
  inside_red REAL, inside_green REAL, inside_blue REAL, inside BLOB,
  mesh BLOB NOT NULL, mesh_hash INTEGER NOT NULL);
CREATE TABLE shown (
  prototype INTEGER PRIMARY KEY, mesh BLOB NOT NULL, mesh_hash INTEGER NOT NULL,
  look BLOB NOT NULL, look_hash INTEGER NOT NULL, surfaces TEXT NOT NULL);
CREATE TABLE bends (
  prototype INTEGER NOT NULL, frame INTEGER NOT NULL, data BLOB NOT NULL, hash INTEGER NOT NULL,
  PRIMARY KEY (prototype, frame)) WITHOUT ROWID;
CREATE TABLE pieces (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, prototype INTEGER NOT NULL, role TEXT NOT NULL);
CREATE TABLE cameras (name TEXT PRIMARY KEY, at_x REAL, at_y REAL, at_z REAL, look_x REAL, look_y REAL, look_z REAL, lens REAL);
CREATE TABLE frames (
  frame INTEGER PRIMARY KEY, key_frame INTEGER NOT NULL, count INTEGER NOT NULL,
  data BLOB NOT NULL, hash INTEGER NOT NULL, digest TEXT NOT NULL,
  substeps INTEGER, iterations INTEGER, awake INTEGER, asleep INTEGER, contacts INTEGER,
  kinetic REAL, potential REAL, work REAL, asks TEXT, asking INTEGER, seconds REAL,
  depth_worst REAL, depth_p99 REAL, share_worst REAL, share_p99 REAL, deepest_a INTEGER, deepest_b INTEGER);
CREATE TABLE timings (frame INTEGER PRIMARY KEY, solve REAL, measure REAL, store REAL);
CREATE TABLE events (
  frame INTEGER NOT NULL, kind TEXT NOT NULL, a INTEGER NOT NULL, b INTEGER NOT NULL,
  x REAL, y REAL, z REAL, normal_x REAL, normal_y REAL, normal_z REAL, impulse REAL, speed REAL);
CREATE TABLE joints (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, kind TEXT NOT NULL, low REAL, high REAL, length REAL);
CREATE TABLE joint_points (
  joint INTEGER NOT NULL, ordinal INTEGER NOT NULL, piece INTEGER NOT NULL,
  x REAL, y REAL, z REAL, axis_x REAL, axis_y REAL, axis_z REAL, PRIMARY KEY (joint, ordinal)) WITHOUT ROWID;
CREATE TABLE joint_loads (
  frame INTEGER NOT NULL, joint INTEGER NOT NULL, force REAL, torque REAL, PRIMARY KEY (frame, joint)) WITHOUT ROWID;
CREATE TABLE joint_breaks (frame INTEGER NOT NULL, joint INTEGER NOT NULL, x REAL, y REAL, z REAL, force REAL, torque REAL);
CREATE TABLE bonds (
  id INTEGER PRIMARY KEY, bond_table TEXT NOT NULL, a INTEGER NOT NULL, b INTEGER NOT NULL,
  x REAL, y REAL, z REAL, normal_x REAL, normal_y REAL, normal_z REAL, area REAL,
  tension REAL, compression REAL, shear REAL);
CREATE TABLE bond_breaks (
  frame INTEGER NOT NULL, bond INTEGER NOT NULL, why TEXT NOT NULL, share REAL,
  x REAL, y REAL, z REAL, normal_x REAL, normal_y REAL, normal_z REAL);
CREATE TABLE bond_worst (frame INTEGER PRIMARY KEY, bond INTEGER NOT NULL, why TEXT NOT NULL, share REAL);
CREATE TABLE yield_worst (frame INTEGER PRIMARY KEY, bond INTEGER NOT NULL, strain REAL, load REAL);
CREATE TABLE bond_stress (frame INTEGER PRIMARY KEY, data BLOB NOT NULL, hash INTEGER NOT NULL);
CREATE TABLE rules (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, deed TEXT NOT NULL, pieces INTEGER NOT NULL);
CREATE TABLE rule_deeds (frame INTEGER NOT NULL, rule INTEGER NOT NULL, piece INTEGER NOT NULL);
CREATE TABLE pours (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, planned INTEGER NOT NULL);
CREATE TABLE pour_frames (
  frame INTEGER NOT NULL, pour INTEGER NOT NULL, born INTEGER, waiting INTEGER, skipped INTEGER, over INTEGER,
  PRIMARY KEY (frame, pour)) WITHOUT ROWID;
CREATE TABLE watches (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE);
CREATE TABLE watch_members (watch INTEGER NOT NULL, piece INTEGER NOT NULL, PRIMARY KEY (watch, piece)) WITHOUT ROWID;
CREATE TABLE watch_fills (
  frame INTEGER NOT NULL, watch INTEGER NOT NULL, count INTEGER, volume REAL, share REAL, height REAL,
  PRIMARY KEY (frame, watch)) WITHOUT ROWID;
CREATE TABLE watch_forces (
  frame INTEGER NOT NULL, watch INTEGER NOT NULL, x REAL, y REAL, z REAL, PRIMARY KEY (frame, watch)) WITHOUT ROWID;
CREATE TABLE contacts (frame INTEGER PRIMARY KEY, count INTEGER NOT NULL, data BLOB NOT NULL, hash INTEGER NOT NULL);
CREATE TABLE notes (frame INTEGER, text TEXT NOT NULL);
CREATE TABLE checkpoints (frame INTEGER PRIMARY KEY, data BLOB NOT NULL, hash INTEGER NOT NULL);
)";

}  // namespace drubble::files
