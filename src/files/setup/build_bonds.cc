// SPDX-License-Identifier: Apache-2.0
#include "files/setup/build_bonds.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <map>
#include <set>

#include "core/base/random.h"
#include "core/world/bonding.h"
#include "core/world/joining.h"
#include "files/pair_list.h"
#include "files/setup/build_acts.h"
#include "files/setup/select.h"

namespace drubble::files {

namespace {

using Pair = std::pair<PieceId, PieceId>;

Pair ordered(PieceId a, PieceId b) { return b < a ? Pair(b, a) : Pair(a, b); }

class Bonder {
 public:
  Bonder(const Setup& s, BuiltScene& built, std::vector<Problem>& problems)
      : s_(s), built_(built), problems_(problems), selecting_(s, built, problems) {}

  void add() {
    for (const BondSetup& b : s_.bonds)
      if (b.enabled) add(b);
    for (auto& [pair, bond] : bonds_) built_.scene.bonds.push_back(std::move(bond));
  }

 private:
  // The faces that cuts left, by pairs, as the pieces stand.
  const std::map<Pair, bond::Face>& cutFaces() {
    if (!cut_faces_made_) findCutFaces();
    cut_faces_made_ = true;
    return cut_faces_;
  }

  void findCutFaces() {
    const world::Scene& scene = built_.scene;
    for (const BuiltScene::CutBody& cut : built_.cuts) {
      std::map<std::string, std::uint32_t> number;  // the name of a piece's prototype
      for (std::uint32_t k = 0; k < cut.count; ++k) number[built_.prototype_bodies[cut.first + k].name] = k;
      std::map<std::string, std::vector<PieceId>> copies;  // by what the pieces' names begin with
      for (std::size_t i = 0; i < scene.pieces.size(); ++i) {
        const std::string& own = built_.prototype_bodies[scene.pieces[i].prototype.index()].name;
        const auto at = number.find(own);
        if (at == number.end()) continue;
        const std::size_t tail = own.size() - cut.name.size();  // "/0001"
        const std::string& name = scene.pieces[i].name;
        std::vector<PieceId>& copy = copies[name.substr(0, name.size() - tail)];
        copy.resize(cut.count);
        copy[at->second] = PieceId(i);
      }
      for (const auto& [name, pieces] : copies)
        for (const cut::Interface& f : cut.interfaces) addCutFace(pieces, f, timesOf(cut, pieces));
    }
  }

  // How much larger a copy is than what was cut.
  double timesOf(const BuiltScene::CutBody& cut, const std::vector<PieceId>& pieces) const {
    for (const PieceId p : pieces)
      if (p.valid())
        return built_.prototype_bodies[built_.scene.pieces[p.index()].prototype.index()].scale /
               built_.prototype_bodies[cut.first].scale;
    return 1;
  }

  void addCutFace(const std::vector<PieceId>& pieces, const cut::Interface& f, double times) {
    if (!(f.area > 0) || !pieces[f.a].valid() || !pieces[f.b].valid()) return;
    const std::size_t i = pieces[f.a].index();
    const world::Piece& p = built_.scene.pieces[i];
    const Vec3 origin = built_.scene.prototypeOf(i).origin;
    // Keys may have it elsewhere from the first frame on.
    const Pose start = p.role == world::Role::Dynamic ? p.start : world::startPose(built_.scene, pieces[f.a]);
    const auto place = [&](const Vec3& at) { return start.toWorld(times * at + origin); };
    std::vector<Vec3> rim;
    for (const Vec3& c : f.corners) rim.push_back(place(c));
    bond::Face face = bond::faceOf(rim, start.turn * f.normal, place(f.centroid), times * times * f.area);
    if (pieces[f.b] < pieces[f.a]) {
      face.normal = -face.normal;
      std::reverse(face.corners.begin(), face.corners.end());
    }
    cut_faces_[ordered(pieces[f.a], pieces[f.b])] = std::move(face);
  }

  void add(const BondSetup& b) {
    const std::size_t had = problems_.size();
    listed_.clear();
    const std::vector<PieceId> a = b.list.empty() ? selecting_.take(b.a) : takeList(b),
                               other = b.b.given() ? selecting_.take(b.b) : a;
    if (problems_.size() > had) return;
    const auto in = [](const std::vector<PieceId>& list, PieceId p) {
      return std::binary_search(list.begin(), list.end(), p);
    };
    const auto wanted = [&](PieceId p, PieceId q) {
      if (!b.list.empty()) return listed_.contains(ordered(p, q));
      return (in(a, p) && in(other, q)) || (in(a, q) && in(other, p));
    };
    std::map<Pair, bond::Face> faces;
    for (const auto& [pair, face] : cutFaces())
      if (wanted(pair.first, pair.second)) faces[pair] = face;
    if (b.reach > 0 || faces.empty() || faces.size() < listed_.size())
      for (world::Facing& f : world::facing(built_.scene, there(a), there(other), b.reach))
        if (wanted(f.a, f.b)) faces.try_emplace({f.a, f.b}, std::move(f.face));
    for (const auto& [pair, row] : listed_) faceListed(pair, row, faces);
    if (problems_.size() > had) return;
    const bool any_face = !faces.empty();
    std::erase_if(faces, [&](const auto& x) { return !mayHold(x.first.first, x.first.second, b.table); });
    if (faces.empty()) {
      built_.notes.push_back(fmt::format(
          "[[bond]] '{}' joins nothing: {}", b.name,
          any_face ? "nothing moves those of its pieces that share a face, or keys move them past each other"
          : b.reach > 0 ? "no two of its pieces come so near each other over a face; try a greater reach"
                        : "no two of its pieces share a face; give it a reach"));
      return;
    }
    const auto table = u32(built_.scene.bond_tables.size());
    built_.scene.bond_tables.push_back(b.table);
    world::BondTable& t = built_.scene.bond_tables.back();
    t.even = b.even.value_or(evenCells(a));
    std::vector<const Pair*> pairs;
    for (const auto& [pair, face] : faces) pairs.push_back(&pair);
    const std::map<PieceId, int> clump = clumpsOf(b, pairs);
    t.blow_time = blowTime(b, faces);
    for (auto& [pair, face] : faces) {
      bond::Bond bond = world::bondOf(built_.scene, pair.first, pair.second, std::move(face), table);
      double times = strengthOf(b, pair, bond.face.place);
      if (const auto row = listed_.find(pair); row != listed_.end()) times *= row->second.times;
      const auto first = clump.find(pair.first), second = clump.find(pair.second);
      if (first != clump.end() && second != clump.end() && first->second == second->second)
        times *= b.clump_times;
      setStrength(b, times, bond);
      bonds_[pair] = std::move(bond);
    }
  }

  // Those that are there from the start: what is poured has the faces of its cut.
  std::vector<PieceId> there(std::vector<PieceId> pieces) const {
    std::erase_if(pieces, [&](PieceId p) {
      return built_.scene.pieces[p.index()].start_state == world::Start::Unborn;
    });
    return pieces;
  }

  // The pieces that a file names, ascending.
  std::vector<PieceId> takeList(const BondSetup& b) {
    std::map<std::string, PieceId> known;
    for (std::size_t i = 0; i < built_.scene.pieces.size(); ++i)
      known[built_.scene.pieces[i].name] = PieceId(i);
    std::set<PieceId> out;
    try {
      for (const ListedPair& p :
           readPairList((std::filesystem::path(s_.path).parent_path() / b.list).string())) {
        std::array<PieceId, 2> two;
        for (const std::size_t k : {0u, 1u}) {
          const std::string& name = k == 0 ? p.a : p.b;
          const auto at = known.find(name);
          if (at == known.end())
            throw Error(ErrorKind::Input, fmt::format("no piece is called '{}'", name), p.where);
          two[k] = at->second;
          out.insert(at->second);
        }
        if (two[0] == two[1])
          throw Error(ErrorKind::Input, fmt::format("a bond of '{}' with itself: name two pieces", p.a),
                      p.where);
        listed_[ordered(two[0], two[1])] = p;
      }
    } catch (const Error& e) {
      for (const Problem& p : e.problems())
        problems_.push_back({p.message, p.where ? p.where : b.list_where});
    }
    return {out.begin(), out.end()};
  }

  // A listed pair that shares no face has one half-way, if its area is given.
  void faceListed(const Pair& pair, const ListedPair& row, std::map<Pair, bond::Face>& faces) {
    const double area = row.area ? *row.area * s_.unit * s_.unit : 0;
    const auto at = faces.find(pair);
    if (at == faces.end() && !(area > 0))
      return problems_.push_back(
          {fmt::format("'{}' and '{}' share no face: give the bond an area, or its table a reach", row.a,
                       row.b),
           row.where});
    const Vec3 &p = built_.scene.pieces[pair.first.index()].start.position,
               &q = built_.scene.pieces[pair.second.index()].start.position;
    if (at == faces.end())
      faces[pair] = bond::squareFace(0.5 * (p + q), (q - p).normalized(), area);
    else if (area > 0)
      at->second = bond::squareFace(at->second.place, at->second.normal, area);
  }

  bool moves(PieceId p) const { return built_.scene.pieces[p.index()].role == world::Role::Dynamic; }

  // What keys lead holds together rigidly once it is let go.
  bool mayHold(PieceId p, PieceId q, const world::BondTable& table) const {
    return moves(p) || moves(q) || (!table.yields && world::mayBond(built_.scene, p, q));
  }

  // A cut that was evened, of the first piece.
  bool evenCells(const std::vector<PieceId>& pieces) const {
    if (pieces.empty()) return false;
    const std::string& name =
        built_.prototype_bodies[built_.scene.pieces[pieces[0].index()].prototype.index()].name;
    for (const CutSetup& c : s_.cuts) {
      if (!c.enabled || c.of.patterns.empty()) continue;
      const std::string& of = c.of.patterns[0];
      if (name.size() > of.size() && name.compare(0, of.size(), of) == 0 && name[of.size()] == '/')
        return c.even > 0 || c.pattern == "bricks" || c.pattern == "parallel";
    }
    return true;  // whole bodies
  }

  double blowTime(const BondSetup& b, const std::map<Pair, bond::Face>& faces) {
    if (!b.material.empty())
      return built_.scene.materials[materialNamed(s_, b.material, built_.scene).index()].blow_time;
    double time = 1;
    const auto& [a, other] = faces.begin()->first;
    const bool led = !moves(a) && !moves(other);  // by keys, until they are let go
    for (const PieceId p : {a, other})
      if (led || moves(p)) time = least(time, built_.scene.materialOf(p.index()).blow_time);
    return time;
  }

  // By chance and by zones. Chance hangs on the names of the two, so that a bond more shifts no other's.
  double strengthOf(const BondSetup& b, const Pair& pair, const Vec3& place) const {
    double times = 1;
    if (b.vary > 0) {
      const auto name = [&](PieceId p) { return built_.scene.pieces[p.index()].name; };
      RandomStream chance(b.seed, "bond/" + b.name + "|" + name(pair.first) + "|" + name(pair.second));
      times *= chance.between(1 - b.vary, 1 + b.vary);
    }
    for (const BondSetup::Zone& z : b.zones)
      if (z.box ? z.box->contains(place) : (place - z.centre).norm() <= z.radius) times *= z.times;
    return times;
  }

  void setStrength(const BondSetup& b, double times, bond::Bond& bond) {
    if (!b.material.empty()) {
      const world::Material& m = built_.scene.materials[materialNamed(s_, b.material, built_.scene).index()];
      bond.strength = m.strength;
      bond.stiffness = m.stiffness;
    }
    if (b.force) {
      const double area = bond.face.area;
      bond.strength = {b.force->tension / area, b.force->compression / area, b.force->shear / area};
    }
    if (b.unbreakable) bond.strength = {};
    if (!b.unbreakable && !std::isfinite(bond.strength.tension) && !std::isfinite(bond.strength.shear) &&
        !said_unbreakable_) {
      said_unbreakable_ = true;
      problems_.push_back(
          {fmt::format("the bond between '{}' and '{}' could never break: neither has a material with a "
                       "strength. Give "
                       "the body a material (material = \"brick\"), the table one, or unbreakable = true",
                       built_.scene.pieces[bond.a.index()].name, built_.scene.pieces[bond.b.index()].name),
           b.where});
    }
    bond.stiffness *= b.stiffness;
    bond.strength.tension *= times;
    bond.strength.compression *= times;
    bond.strength.shear *= times;
  }

  // Pieces that stay together longer: grown over the bonds, from pieces taken by chance, to a size taken by
  // chance.
  std::map<PieceId, int> clumpsOf(const BondSetup& b, const std::vector<const Pair*>& pairs) const {
    std::map<PieceId, int> clump;
    if (b.clump_size[1] == 0) return clump;
    std::map<PieceId, std::vector<PieceId>> next;
    for (const Pair* p : pairs) {
      if (moves(p->first) != moves(p->second)) continue;
      next[p->first].push_back(p->second);
      next[p->second].push_back(p->first);
    }
    std::vector<std::pair<std::uint64_t, PieceId>> order;
    for (const auto& [p, unused] : next)
      order.push_back(
          {RandomStream(b.seed, "clump/" + b.name + "|" + built_.scene.pieces[p.index()].name).next(), p});
    std::sort(order.begin(), order.end());
    int clumps = 0;
    for (const auto& [chance, seed] : order) {
      if (clump.contains(seed)) continue;
      const int span = b.clump_size[1] - b.clump_size[0] + 1;
      const auto most =
          static_cast<std::size_t>(b.clump_size[0] + static_cast<int>(chance % static_cast<unsigned>(span)));
      std::vector<PieceId> ring{seed};
      clump[seed] = clumps;
      for (std::size_t at = 0; at < ring.size() && ring.size() < most; ++at)
        for (const PieceId p : next.at(ring[at])) {
          if (ring.size() >= most || clump.contains(p)) continue;
          clump[p] = clumps;
          ring.push_back(p);
        }
      ++clumps;
    }
    return clump;
  }

  const Setup& s_;
  BuiltScene& built_;
  std::vector<Problem>& problems_;
  Selecting selecting_;
  std::map<Pair, bond::Face> cut_faces_;
  std::map<Pair, bond::Bond> bonds_;
  std::map<Pair, ListedPair> listed_;  // of the table in hand
  bool cut_faces_made_ = false, said_unbreakable_ = false;
};

}  // namespace

void addBonds(const Setup& s, BuiltScene& built, std::vector<Problem>& problems) {
  Bonder(s, built, problems).add();
}

}  // namespace drubble::files
