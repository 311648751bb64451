// SPDX-License-Identifier: Apache-2.0
#include "files/cache/bonds.h"

#include <fmt/format.h>

#include <cmath>

#include "files/cache/blob.h"

namespace drubble::files {

namespace {

Vec3 threeFrom(Statement& r, int first) { return vec3(r.real(first), r.real(first + 1), r.real(first + 2)); }

// What SQLite keeps as NULL comes back as 0: of a strength, one that nothing overcomes.
double strengthFrom(Statement& r, int column) {
  return r.isNull(column) ? bond::kUnbreakable : r.real(column);
}

}  // namespace

std::vector<CachedBond> bondsIn(const world::Scene& s) {
  std::vector<CachedBond> out;
  for (const bond::Bond& b : s.bonds)
    out.push_back({s.bond_tables[b.table].name, b.a.value, b.b.value, b.face.place, b.face.normal,
                   b.face.area, b.strength});
  return out;
}

void writeBonds(Database& db, const world::Scene& s) {
  Statement row(db, "INSERT INTO bonds VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)");
  const double none = std::numeric_limits<double>::quiet_NaN();  // SQLite keeps it as NULL
  for (std::uint32_t k = 0; k < s.bonds.size(); ++k) {
    const bond::Bond& b = s.bonds[k];
    row.bind(k).bind(s.bond_tables[b.table].name).bind(b.a.value).bind(b.b.value);
    for (const Vec3& v : {b.face.place, b.face.normal})
      for (int c = 0; c < 3; ++c) row.bind(v[c]);
    row.bind(b.face.area);
    for (const double x : {b.strength.tension, b.strength.compression, b.strength.shear})
      row.bind(std::isfinite(x) ? x : none);
    row.once();
  }
}

void writeBondFrame(Database& db, const world::World& w, const world::FrameStats& stats) {
  if (stats.bond_worst.share > 0)
    Statement(db, "INSERT INTO bond_worst VALUES (?, ?, ?, ?)")
        .bind(stats.frame)
        .bind(stats.bond_worst.bond)
        .bind(bond::whyName(stats.bond_worst.why))
        .bind(stats.bond_worst.share)
        .once();
  if (stats.yield_worst.load > 0)
    Statement(db, "INSERT INTO yield_worst VALUES (?, ?, ?, ?)")
        .bind(stats.frame)
        .bind(stats.yield_worst.bond)
        .bind(stats.yield_worst.strain)
        .bind(stats.yield_worst.load)
        .once();
  if (!w.bondShares().empty()) {
    const Blob b = packShares(w.bondShares());
    Statement(db, "INSERT INTO bond_stress VALUES (?, ?, ?)")
        .bind(stats.frame)
        .bind(std::span<const std::byte>(b.data))
        .bind(b.hash)
        .once();
  }
  Statement row(db, "INSERT INTO bond_breaks VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)");
  for (const world::BondBreak& b : w.bondBreaks()) {
    row.bind(stats.frame).bind(b.bond).bind(bond::whyName(b.why)).bind(b.share);
    for (const Vec3& v : {b.place, b.normal})
      for (int c = 0; c < 3; ++c) row.bind(v[c]);
    row.once();
  }
}

std::vector<CachedBond> readBonds(Database& db) {
  std::vector<CachedBond> out;
  Statement r(
      db,
      "SELECT bond_table, a, b, x, y, z, normal_x, normal_y, normal_z, area, tension, compression, shear "
      "FROM bonds ORDER BY id");
  while (r.step()) {
    CachedBond& b = out.emplace_back();
    b.table = r.text(0);
    b.a = static_cast<std::uint32_t>(r.integer(1));
    b.b = static_cast<std::uint32_t>(r.integer(2));
    b.place = threeFrom(r, 3);
    b.normal = threeFrom(r, 6);
    b.area = r.real(9);
    b.strength = {strengthFrom(r, 10), strengthFrom(r, 11), strengthFrom(r, 12)};
  }
  return out;
}

std::vector<CachedBondBreak> readBondBreaks(Database& db) {
  std::vector<CachedBondBreak> out;
  Statement r(db,
              "SELECT frame, bond, why, share, x, y, z, normal_x, normal_y, normal_z FROM bond_breaks ORDER "
              "BY rowid");
  while (r.step())
    out.push_back({static_cast<int>(r.integer(0)), static_cast<std::uint32_t>(r.integer(1)), r.text(2),
                   r.real(3), threeFrom(r, 4), threeFrom(r, 7)});
  return out;
}

std::vector<float> readBondStress(Database& db, int frame) {
  Statement r(db, "SELECT data, hash FROM bond_stress WHERE frame = ?");
  r.bind(frame);
  if (!r.step()) return {};
  const Bytes data = r.blob(0);
  if (hashOf(data) != r.integer(1))
    throw Error(ErrorKind::Input, fmt::format("the stresses of frame {} are damaged", frame),
                Where{db.path(), 0, 0, ""});
  return unpackShares(data);
}

std::vector<CachedBondWorst> readBondWorsts(Database& db) {
  std::vector<CachedBondWorst> out;
  Statement r(db, "SELECT frame, bond, why, share FROM bond_worst ORDER BY frame");
  while (r.step())
    out.push_back(
        {static_cast<int>(r.integer(0)), static_cast<std::uint32_t>(r.integer(1)), r.text(2), r.real(3)});
  return out;
}

std::vector<CachedYieldWorst> readYieldWorsts(Database& db) {
  std::vector<CachedYieldWorst> out;
  Statement r(db, "SELECT frame, bond, strain, load FROM yield_worst ORDER BY frame");
  while (r.step())
    out.push_back(
        {static_cast<int>(r.integer(0)), static_cast<std::uint32_t>(r.integer(1)), r.real(2), r.real(3)});
  return out;
}

}  // namespace drubble::files
