// SPDX-License-Identifier: Apache-2.0
#include "files/check_pours.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/world/world.h"

namespace drubble::files {

namespace {

constexpr double kPacked = 0.6;  // share of the room that round things fill when poured

class PourChecker {
 public:
  PourChecker(const BuiltScene& built, std::vector<Finding>& out) : built_(built), out_(out) {}

  void check(const world::Pour& p) {
    const world::Scene& s = built_.scene;
    double volume = 0;
    for (const world::Birth& b : p.births)
      for (std::uint32_t i = b.first; i < b.first + p.kits[b.kit].parts.size(); ++i)
        volume += s.prototypeOf(i).volume;
    if (p.births.empty()) return say(Severity::Warning, p, "makes nothing in the frames of the shot", 0);
    say(Severity::Note, p,
        fmt::format("makes {} copies of {:.3g} m3 together, the last due in frame {:.0f}", p.births.size(),
                    volume, p.births.back().frame),
        volume);
    const double each = volume / static_cast<double>(p.births.size());
    std::vector<PieceId> told;
    if (p.until) tellRoom(p, p.until->in, each, told);
    for (const world::Watch& w : s.watches)
      if (w.in && std::binary_search(w.who.begin(), w.who.end(), PieceId(p.births.front().first)))
        tellRoom(p, *w.in, each, told);
  }

 private:
  void say(Severity severity, const world::Pour& p, const std::string& text, double amount) {
    out_.push_back({severity, "pour", fmt::format("pour '{}' {}", p.name, text), {}, amount});
  }

  void tellRoom(const world::Pour& p, const world::Region& r, double each, std::vector<PieceId>& told) {
    if (!r.container || std::find(told.begin(), told.end(), r.body) != told.end()) return;
    told.push_back(r.body);
    const world::Outline o = world::outlineOf(built_.scene.prototypeOf(r.body.index()).mesh);
    const double room = o.room.cell * static_cast<double>(o.room.points.size());
    const std::string name = built_.scene.pieces[r.body.index()].name;
    const double fills = kPacked * room / each;
    say(Severity::Note, p,
        fmt::format("fills '{}' to {:.0f} %: about {:.0f} of its copies would fill it", name,
                    100 * static_cast<double>(p.births.size()) / fills, fills),
        fills);
  }

  const BuiltScene& built_;
  std::vector<Finding>& out_;
};

}  // namespace

void checkPours(const BuiltScene& built, std::vector<Finding>& out) {
  PourChecker checker(built, out);
  for (const world::Pour& p : built.scene.pours) checker.check(p);
}

}  // namespace drubble::files
