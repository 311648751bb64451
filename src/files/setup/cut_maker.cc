// SPDX-License-Identifier: Apache-2.0
#include "files/setup/cut_maker.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>
#include <span>

#include "core/base/random.h"
#include "core/cut/again.h"
#include "core/measure/fit.h"
#include "core/mesh/mass.h"
#include "core/world/prototypes.h"
#include "files/meshes.h"
#include "files/points.h"
#include "files/setup/select.h"

namespace drubble::files {

namespace {

constexpr double kManyPieces = 1000;  // what takes more than a moment
constexpr std::size_t kManyTriangles = 20000;

std::string beside(const Setup& s, const std::string& file) {
  return (std::filesystem::path(s.path).parent_path() / file).string();
}

// The longer of the two flat axes.
Vec3 longestFlat(const mesh::TriangleMesh& m, const Vec3& up) {
  const Vec3 size = m.bounds().size();
  Vec3 best = anyNormalTo(up);
  double most = -1;
  for (int k = 0; k < 3; ++k)
    if (absolute(up[k]) < 0.5 && size[k] > most) most = size[k], best = Vec3::Unit(k);
  return best;
}

// Cuts pieces of one body as one table says.
class Cutter {
 public:
  Cutter(const Setup& s, const CutSetup& c, const Building& how) : s_(s), c_(c), how_(how) {}

  // Returns the parts' numbers. `stream`: what its random numbers derive from. `made` learns what was done.
  std::vector<std::uint32_t> cut(cut::Assembly& body, std::uint32_t k, const std::string& called,
                                 const std::string& stream, std::vector<cut::Made>& made) const {
    const mesh::TriangleMesh m = body.piece(k).mesh;
    try {
      if (c_.pattern == "bricks") {
        cut::Bricks bricks = c_.bricks;
        bricks.along = c_.along ? flat(*c_.along) : longestFlat(m, bricks.up);
        say(called, cut::bricksIn(m, bricks), m);
        return cut::intoBricks(body, k, bricks, c_.slivers, made, how_.team, told(called));
      }
      cut::How cells{c_.grain, turnXyz(c_.grain_turn), {}, c_.slivers, {}};
      std::vector<Vec3> sites = sitesOf(m, stream);
      say(called, static_cast<double>(sites.size()), m);
      const double last = c_.even / (c_.even + 1.0);  // the rounds take as long as the cut, each
      cells.told = cut::partOf(told(called), 0, last);
      if (c_.even > 0) sites = cut::evened(m, std::move(sites), c_.even, cells, how_.team);
      cells.told = cut::partOf(told(called), last, 1);
      return cut::cutAndTell(body, k, sites, cells, how_.team, made);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::Input ||
          (e.problems().front().where && e.problems().front().where->line > 0))
        throw;
      const auto& where = e.problems().front().where;
      const std::string file = where && !where->path.empty() ? where->path + ": " : "";
      throw Error(ErrorKind::Input, fmt::format("cut '{}': {}{}", c_.name, file, e.what()), c_.where);
    }
  }

 private:
  // Told before it is done: sites outside the mesh, and cells in several parts, make it another number.
  void say(const std::string& called, double pieces, const mesh::TriangleMesh& m) const {
    if (how_.say && (pieces >= kManyPieces || m.triangles.size() >= kManyTriangles))
      how_.say(fmt::format("cutting '{}', {} triangles, into about {:.0f} pieces", called, m.triangles.size(),
                           pieces));
  }

  cut::Told told(const std::string& called) const {
    if (!how_.progress) return {};
    return [this, what = fmt::format("cutting '{}'", called)](double share) { how_.progress(what, share); };
  }

  Vec3 flat(const Vec3& axis) const {
    const Vec3 up = s_.up();
    return (axis - axis.dot(up) * up).normalized();
  }

  std::vector<Vec3> sitesOf(const mesh::TriangleMesh& m, const std::string& stream) const {
    if (c_.pattern == "scatter") {
      cut::Scatter how{c_.count, {}};
      for (const CutSetup::More& more : c_.more) {
        how.more.push_back(more.what);
        if (!more.mesh.empty()) how.more.back().mesh = regionMesh(more);
      }
      return cut::scatter(m, how, c_.seed, stream);
    }
    if (c_.pattern == "parallel") {
      cut::Parallel how = c_.parallel;
      how.axis = c_.across.value_or(s_.up());
      return cut::parallel(m, how, c_.seed, stream);
    }
    if (c_.pattern == "points") {
      std::vector<Vec3> sites = readPoints(beside(s_, c_.file));
      for (Vec3& p : sites) p *= s_.unit;
      return sites;
    }
    cut::Impact how = c_.impact;
    how.at = c_.at.value_or(m.bounds().centre());
    how.axis = c_.across.value_or(cut::thinnestAxis(m));
    return cut::impact(m, how, c_.seed, stream);
  }

  mesh::TriangleMesh regionMesh(const CutSetup::More& more) const {
    mesh::TriangleMesh m = mesh::welded(readMesh(beside(s_, more.mesh)));
    for (Vec3& v : m.vertices) v *= s_.unit;
    if (!mesh::closedness(m).closed())
      throw Error(
          ErrorKind::Input,
          fmt::format("cut '{}': '{}' is not closed: it has no inside for more pieces", c_.name, more.mesh),
          more.where);
    return m;
  }

  const Setup& s_;
  const CutSetup& c_;
  const Building& how_;
};

// A pane that is to be struck where it is not: mostly a place in the world.
void tellBeside(const Setup& s, const CutSetup& c, const std::string& body, const mesh::TriangleMesh& m,
                std::vector<std::string>& notes) {
  if (c.pattern != "impact" || !c.at) return;
  const Box room = m.bounds();
  const Vec3 axis = c.across.value_or(cut::thinnestAxis(m));
  const Vec3 at = *c.at + axis.dot(room.centre() - *c.at) * axis;
  if (room.grown(1e-6 * room.size().norm()).contains(at)) return;
  const auto said = [&](const Vec3& p) {
    return fmt::format("[{:.4g}, {:.4g}, {:.4g}]", p.x() / s.unit, p.y() / s.unit, p.z() / s.unit);
  };
  notes.push_back(
      fmt::format("cut '{}': it strikes beside '{}', at {}; that reaches from {} to {}: places are in the "
                  "body's own space",
                  c.name, body, said(*c.at), said(room.low), said(room.high)));
}

struct Numbered {
  std::uint32_t piece;
  std::string number;
};

// What was done to the piece of this number, which left `parts`: courses that were cut on have names of their
// own.
void addSteps(const std::vector<cut::Made>& made, const std::string& number, std::span<const Numbered> parts,
              std::vector<BuiltScene::CutStep>& out) {
  std::map<std::uint32_t, std::string> called;
  for (const Numbered& p : parts) called[p.piece] = p.number;
  const auto nameOf = [&](std::uint32_t piece) {
    const auto at = called.find(piece);
    return at != called.end() ? at->second : fmt::format("{} course {}", number, piece);
  };
  for (const cut::Made& m : made) {
    BuiltScene::CutStep& step = out.emplace_back();
    step.number = &m == &made.front() ? number : nameOf(m.piece);
    step.sites = m.sites;
    step.how = m.how;
    for (const cut::Made::Part& p : m.parts) step.parts.push_back({p.cell, nameOf(p.piece), p.centre});
  }
}

// Whose it is: of those of its cell, or if there are none of all, the nearest.
const std::string& ownerOf(const cut::Piece& piece, const BuiltScene::CutStep& step) {
  const Vec3 centre = mesh::massProperties(piece.mesh).centre;
  const bool of_cell = std::any_of(step.parts.begin(), step.parts.end(),
                                   [&](const auto& part) { return part.cell == piece.cell; });
  const BuiltScene::CutStep::Part* best = nullptr;
  for (const BuiltScene::CutStep::Part& part : step.parts) {
    if (of_cell && part.cell != piece.cell) continue;
    if (best == nullptr || (part.centre - centre).squaredNorm() < (best->centre - centre).squaredNorm())
      best = &part;
  }
  return best->number;
}

bool takes(const CutSetup& c, const std::string& name) {
  return std::any_of(c.of.patterns.begin(), c.of.patterns.end(),
                     [&](const std::string& of) { return matchesName(of, name); });
}

// Which of the pieces a later table cuts again.
bool takesPiece(const CutSetup& c, const std::string& name, const mesh::TriangleMesh& m) {
  return takes(c, name) && (!c.within || c.within->contains(mesh::massProperties(m).centre));
}

bool namesPiecesOf(const CutSetup& c, const std::string& body) {
  return std::any_of(c.of.patterns.begin(), c.of.patterns.end(),
                     [&](const std::string& of) { return of.starts_with(body + "/"); });
}

// Leaves the gap between all pieces; of what comes apart by that, the parts get numbers of their own.
void makeRoom(CutPieces& out, Team* team) {
  cut::Room room = cut::withRoom(out.cut, out.gap, team);
  std::vector<std::string> numbers;
  for (std::size_t k = 0, part = 0; k < room.from.size(); ++k) {
    const auto same = [&](std::size_t n) { return n < room.from.size() && room.from[n] == room.from[k]; };
    part = k > 0 && same(k - 1) ? part + 1 : 1;
    const std::string& number = out.numbers[room.from[k]];
    numbers.push_back(part == 1 && !same(k + 1) ? number : fmt::format("{}/{:04}", number, part));
  }
  out.lost = room.lost;
  out.cut = std::move(room.cut);
  out.numbers = std::move(numbers);
}

}  // namespace

bool isCut(const Setup& s, const std::string& body) {
  return std::any_of(s.cuts.begin(), s.cuts.end(), [&](const CutSetup& c) {
    return c.enabled && std::count(c.of.patterns.begin(), c.of.patterns.end(), body) > 0;
  });
}

CutPieces cutBody(const Setup& s, const std::string& body, const mesh::TriangleMesh& m, const Building& how) {
  CutPieces out;
  cut::Assembly assembly(m);
  std::vector<Numbered> pieces;
  for (const CutSetup& c : s.cuts) {
    if (!c.enabled) continue;
    const bool whole = std::count(c.of.patterns.begin(), c.of.patterns.end(), body) > 0;
    if (!whole && !namesPiecesOf(c, body)) continue;
    out.gap = greatest(out.gap, c.gap);
    if (c.inside_colour) out.inside_colour = c.inside_colour;
    if (c.rough.amount > out.rough.amount) out.rough = c.rough;
    const Cutter cutter(s, c, how);
    if (whole) {
      tellBeside(s, c, body, m, out.notes);
      std::vector<cut::Made> made;
      for (const std::uint32_t k : cutter.cut(assembly, 0, body, c.name, made))
        pieces.push_back({k, fmt::format("{:04}", pieces.size() + 1)});
      addSteps(made, "", pieces, out.steps);
      continue;
    }
    std::vector<Numbered> now;
    bool any = false;
    for (const Numbered& p : pieces) {
      const std::string name = body + "/" + p.number;
      if (!takesPiece(c, name, assembly.piece(p.piece).mesh)) {
        now.push_back(p);
        continue;
      }
      any = true;
      std::vector<cut::Made> made;
      const std::vector<std::uint32_t> parts = cutter.cut(assembly, p.piece, name, c.name + " " + name, made);
      const std::size_t first = now.size();
      for (std::size_t k = 0; k < parts.size(); ++k)
        now.push_back({parts[k], parts.size() == 1 ? p.number : fmt::format("{}/{:04}", p.number, k + 1)});
      addSteps(made, p.number, {now.data() + first, parts.size()}, out.steps);
    }
    if (!any)
      throw Error(
          ErrorKind::Input,
          fmt::format(
              "cut '{}': it takes none of the {} pieces of '{}', which are called '{}/{}' and so on{}",
              c.name, pieces.size(), body, body, pieces.front().number,
              c.within ? ", or none lies within its box" : ""),
          c.of.where);
    pieces = std::move(now);
  }
  std::vector<std::uint32_t> order;
  for (const Numbered& p : pieces) {
    order.push_back(p.piece);
    out.numbers.push_back(p.number);
  }
  out.cut = assembly.finished(order);
  if (out.gap > 0) makeRoom(out, how.team);
  return out;
}

AlikePieces cutAlike(const mesh::TriangleMesh& m, const std::vector<BuiltScene::CutStep>& steps, Team* team) {
  cut::Assembly assembly(m);
  std::vector<Numbered> pieces = {{0, ""}};
  for (const BuiltScene::CutStep& step : steps) {
    std::vector<Numbered> now;
    cut::How how = step.how;
    if (!how.around.empty())
      for (const Vec3& v : m.vertices) how.around.add(Vec3(how.turn.conjugate() * v));
    for (const Numbered& p : pieces) {
      if (p.number != step.number) {
        now.push_back(p);
        continue;
      }
      for (const std::uint32_t k : assembly.again(p.piece, step.sites, how, team))
        now.push_back({k, ownerOf(assembly.piece(k), step)});
    }
    pieces = std::move(now);
  }
  AlikePieces out;
  std::vector<std::uint32_t> order;
  for (const Numbered& p : pieces) {
    order.push_back(p.piece);
    out.numbers.push_back(p.number);
  }
  out.cut = assembly.finished(order);
  return out;
}

std::array<double, 3> paler(std::array<double, 3> colour) {
  for (double& x : colour) x += 0.45 * (0.92 - x);
  return colour;
}

std::array<double, 3> shadeOf(std::array<double, 3> colour, const std::string& name) {
  const double light = 0.8 + 0.35 * RandomStream(0, name).unit();
  for (double& x : colour) x = clamped(light * x, 0, 1);
  return colour;
}

MadeBody pieceOf(const BodySetup& piece, mesh::TriangleMesh m, double density, double tolerance,
                 const PartStore& store) {
  const mesh::MassProperties solid = mesh::massProperties(m);
  mesh::TriangleMesh body = m;
  for (Vec3& v : body.vertices) v -= solid.centre;
  MadeBody made;
  shape::Shape felt = world::thinnedHull(body.vertices, piece.hull_corners, made.hull_loss);
  if (piece.shape == "parts" && measure::shapeFit(body, felt).outward > tolerance + made.hull_loss) {
    const shape::PartsGoal goal{tolerance, piece.most_parts};
    felt = world::partsWithin(partsOf(body, goal, store), piece.hull_corners, made.hull_loss);
  }
  made.prototype = world::shapedPrototype(piece.name, m, std::move(felt), solid, density);
  made.mesh = std::move(m);
  return made;
}

}  // namespace drubble::files
