// SPDX-License-Identifier: Apache-2.0
#include "files/export/shot.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "files/cache/format.h"
#include "files/made_look.h"
#include "files/setup/select.h"
#include "files/setup/table.h"

namespace drubble::files {

namespace {

// "deck/0019/0005" comes of the body "deck".
std::string bodyName(std::string name) {
  for (std::size_t slash = name.rfind('/');
       slash != std::string::npos && name.find_first_not_of("0123456789", slash + 1) == std::string::npos;
       slash = name.rfind('/'))
    name.resize(slash);
  return name;
}

ShownMesh shownOf(CacheReader& cache, std::uint32_t id) {
  const CachedPrototype& p = cache.prototypes()[id];
  const double unit = cache.info().unit;
  ShownMesh out;
  out.name = p.name;
  out.prototype = id;
  out.bends = p.bends;
  out.unit = unit;
  std::optional<LookedMesh> shown = cache.shownMesh(id);
  out.mesh = shown ? std::move(shown->mesh) : p.mesh;
  for (Vec3& v : out.mesh.vertices) {
    v /= unit;
    out.radius = std::max(out.radius, v.norm());
  }
  out.look = shown ? std::move(shown->look) : madeLook(out.mesh, p.inside, bodyName(p.name));
  for (const std::string& name : out.look.names)
    out.surfaces.push_back({name, name.ends_with(kInsideName) ? p.inside_colour : p.colour});
  return out;
}

// The ground has no end: what is shown of it is a patch, and must bear all that moves.
void widen(ShownMesh& patch, const Box& all_m, const Vec3& at_m) {
  const double unit_radius = patch.radius;
  const double radius = 6 * greatest((all_m.low - at_m).norm(), (all_m.high - at_m).norm());
  if (!(radius > patch.radius * patch.unit)) return;
  for (Vec3& v : patch.mesh.vertices) v *= radius / (patch.unit * unit_radius);
  patch.radius = radius / patch.unit;
  for (auto& corners : patch.look.uvs)
    for (Vec2& uv : corners) uv *= radius / (patch.unit * unit_radius);
}

bool sameMoment(const PieceMoment& a, const PieceMoment& b) {
  return a.pose.position == b.pose.position && a.pose.turn.coeffs() == b.pose.turn.coeffs() &&
         a.there() == b.there();
}

}  // namespace

Shot::Shot(CacheReader& cache, const ExportOptions& options)
    : cache_(cache), options_(options), moments_(cache) {
  const std::vector<int>& frames = moments_.frames();
  const int first = options.first.value_or(frames.front()), last = options.last.value_or(frames.back());
  for (const int f : {first, last})
    if (f < frames.front() || f > frames.back())
      throw Error(ErrorKind::Usage, fmt::format("frame {} is not in '{}': it holds {} to {}", f, cache.path(),
                                                frames.front(), frames.back()));
  if (last < first) throw Error(ErrorKind::Usage, fmt::format("frames {} to {} are none", first, last));
  for (int f = first; f <= last; f += options.step)
    for (int k = 0; k < options.samples; ++k) {
      const double time = f + static_cast<double>(k * options.step) / options.samples;
      if (time <= last) times_.push_back(time);
    }
  choosePieces();
  findMoving();
  gatherSurfaces();
}

// Of one name and colour there is one.
void Shot::gatherSurfaces() {
  std::map<std::string, std::size_t> known;
  for (ShownMesh& m : meshes_) {
    std::vector<std::uint32_t> global;
    for (Surface s : m.surfaces) {
      const std::string name = s.name;
      for (int n = 2;; ++n) {
        const auto [at, fresh] = known.try_emplace(s.name, surfaces_.size());
        if (fresh) surfaces_.push_back(s);
        if (surfaces_[at->second].colour == s.colour) {
          global.push_back(u32(at->second));
          break;
        }
        s.name = fmt::format("{}_{}", name, n);
      }
    }
    for (std::uint32_t& material : m.look.materials) material = global[material];
  }
}

void Shot::choosePieces() {
  const std::vector<CachedPiece>& all = cache_.pieces();
  std::vector<char> met(options_.who.size(), 0);
  std::vector<std::int64_t> mesh_of(cache_.prototypes().size(), -1);
  for (std::uint32_t i = 0; i < all.size(); ++i) {
    const CachedPrototype& p = cache_.prototypeOf(i);
    bool taken = options_.who.empty();
    for (std::size_t k = 0; k < met.size(); ++k)
      if (matchesName(options_.who[k], all[i].name)) taken = true, met[k] = 1;
    if (!taken || !p.show || p.mesh.triangles.empty()) continue;
    std::int64_t& mesh = mesh_of[all[i].prototype];
    if (mesh < 0) {
      mesh = static_cast<std::int64_t>(meshes_.size());
      meshes_.push_back(shownOf(cache_, all[i].prototype));
    }
    pieces_.push_back({i, static_cast<std::uint32_t>(mesh), p.bends});
  }
  for (std::size_t k = 0; k < met.size(); ++k) {
    if (met[k]) continue;
    std::set<std::string> names;
    for (const CachedPiece& p : all) {
      names.insert(p.name);
      if (const std::size_t slash = p.name.rfind('/'); slash != std::string::npos)
        names.insert(p.name.substr(0, slash) + "/*");
    }
    const std::string near = nearest(options_.who[k], names);
    throw Error(ErrorKind::Usage,
                fmt::format("--who '{}' takes no piece of '{}'{}", options_.who[k], cache_.path(),
                            near.empty() ? "" : "; did you mean '" + near + "'?"));
  }
  if (pieces_.empty())
    throw Error(ErrorKind::Usage,
                fmt::format("nothing of '{}' is shown: there is nothing to write", cache_.path()));
}

void Shot::findMoving() {
  const std::vector<PieceMoment> first = moments_.at(times_.front());
  Box all;
  for (std::size_t n = 0; n < times_.size(); ++n) {
    const std::vector<PieceMoment>& now = moments_.at(times_[n]);
    for (ShownPiece& p : pieces_) {
      p.moves = p.moves || !sameMoment(first[p.piece], now[p.piece]);
      if (now[p.piece].there() && cache_.pieces()[p.piece].dynamic) all.add(now[p.piece].pose.position);
    }
    tell("looking at what moves", n, times_.size());
  }
  for (const ShownPiece& p : pieces_)
    if (cache_.prototypeOf(p.piece).shape == "ground" && !all.empty())
      widen(meshes_[p.mesh], all, first[p.piece].pose.position);
  std::erase_if(pieces_, [&](const ShownPiece& p) { return !p.moves && !first[p.piece].there(); });
}

const std::vector<PieceMoment>& Shot::at(double time) {
  out_ = moments_.at(time);
  for (PieceMoment& m : out_) {
    m.pose.position /= unit();
    m.velocity /= unit();
  }
  return out_;
}

std::vector<Vec3> Shot::verticesAt(const ShownMesh& m, double time) {
  std::vector<Vec3> out = cache_.verticesAt(m.prototype, static_cast<int>(time));
  for (Vec3& v : out) v /= unit();
  return out;
}

void Shot::eachTrack(const std::string& what, const std::vector<std::size_t>& pieces,
                     const std::function<void(std::size_t, const std::vector<PieceMoment>&)>& visit) {
  constexpr std::size_t kBytes = 48u << 20;
  const std::size_t block = std::max<std::size_t>(1, kBytes / (times_.size() * sizeof(PieceMoment)));
  for (std::size_t first = 0; first < pieces.size(); first += block) {
    const std::size_t count = std::min(block, pieces.size() - first);
    std::vector<std::vector<PieceMoment>> tracks(count);
    for (std::size_t n = 0; n < times_.size(); ++n) {
      const std::vector<PieceMoment>& now = at(times_[n]);
      for (std::size_t k = 0; k < count; ++k) tracks[k].push_back(now[pieces_[pieces[first + k]].piece]);
      tell(what, first * times_.size() + n * count, pieces.size() * times_.size());
    }
    for (std::size_t k = 0; k < count; ++k) visit(pieces[first + k], tracks[k]);
  }
}

void Shot::tell(const std::string& what, std::size_t done, std::size_t of) const {
  if (options_.stop && options_.stop())
    throw Error(ErrorKind::Cancelled, "stopped: nothing half written is left");
  if (options_.progress) options_.progress(what, static_cast<double>(done) / static_cast<double>(of));
}

}  // namespace drubble::files
