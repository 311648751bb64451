// SPDX-License-Identifier: Apache-2.0
#include "files/check_bonds.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "core/world/clusters.h"

namespace drubble::files {

namespace {

constexpr std::size_t kMostNames = 6;

// "wall" of "wall/0007".
std::string bodyOf(const std::string& piece) { return piece.substr(0, piece.find('/')); }

}  // namespace

BondsReport bondsOf(const BuiltScene& built) {
  const world::Scene& s = built.scene;
  BondsReport out;
  for (const world::BondTable& t : s.bond_tables) out.tables.push_back({t.name, 0, 0, {}, 0});
  std::vector<char> own(s.pieces.size()), bonded(s.pieces.size(), 0);
  const auto moves = [&](PieceId p) { return s.pieces[p.index()].role == world::Role::Dynamic; };
  for (std::size_t i = 0; i < s.pieces.size(); ++i) own[i] = moves(PieceId(i));
  // What keys lead together is one once it is let go.
  for (const bond::Bond& b : s.bonds)
    if (!moves(b.a) && !moves(b.b)) own[b.a.index()] = own[b.b.index()] = 1;
  std::set<std::string> bodies;
  for (const bond::Bond& b : s.bonds) {
    BondRow& row = out.tables[b.table];
    const double times = s.bond_tables[b.table].strengthAt(s.first_frame);
    ++row.bonds;
    row.area += b.face.area;
    row.least.tension = least(row.least.tension, times * b.strength.tension);
    row.least.compression = least(row.least.compression, times * b.strength.compression);
    row.least.shear = least(row.least.shear, times * b.strength.shear);
    row.anchors += !own[b.a.index()] || !own[b.b.index()];
    for (const PieceId p : {b.a, b.b}) {
      bonded[p.index()] = 1;
      if (own[p.index()]) bodies.insert(bodyOf(s.pieces[p.index()].name));
    }
  }
  for (const world::Cluster& c : world::clustersOf(s, std::vector<char>(s.bonds.size(), 0), own)) {
    ++out.clusters;
    out.anchored += c.anchored();
    out.largest = std::max(out.largest, c.pieces.size());
  }
  for (std::size_t i = 0; i < s.pieces.size(); ++i)
    if (own[i] && !bonded[i] && bodies.contains(bodyOf(s.pieces[i].name)))
      out.loose.push_back(s.pieces[i].name);
  return out;
}

void checkBonds(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out) {
  if (setup.bonds.empty()) return;
  const BondsReport r = bondsOf(built);
  for (const BondSetup& b : setup.bonds) {
    if (!b.enabled) continue;
    const auto row =
        std::find_if(r.tables.begin(), r.tables.end(), [&](const BondRow& x) { return x.name == b.name; });
    if (row != r.tables.end() && row->bonds == 0)
      out.push_back(
          {Severity::Warning,
           "bond",
           fmt::format("bond '{}' (line {}): later tables take all of its pairs, so it says nothing", b.name,
                       b.where.line),
           {},
           0});
    if (row == r.tables.end())
      out.push_back(
          {Severity::Warning,
           "bond",
           fmt::format("bond '{}' (line {}) joins nothing: {}", b.name, b.where.line,
                       b.reach > 0 ? "none of its pieces face each other so near; try a greater reach"
                                   : "none of its pieces that may move share a face; give it a reach"),
           {},
           0});
  }
  if (r.loose.empty()) return;
  std::string names;
  for (std::size_t k = 0; k < r.loose.size() && k < kMostNames; ++k)
    names += (k > 0 ? ", '" : "'") + r.loose[k] + "'";
  if (r.loose.size() > kMostNames) names += fmt::format(" and {} more", r.loose.size() - kMostNames);
  out.push_back(
      {Severity::Warning, "bond",
       fmt::format("{} hang{} on nothing, although others of the same body are bonded: a reach in the table "
                   "finds those that share no face",
                   names, r.loose.size() == 1 ? "s" : ""),
       r.loose, 0});
}

}  // namespace drubble::files
