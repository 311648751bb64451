// SPDX-License-Identifier: Apache-2.0
#include "files/export/table_out.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "core/base/trig.h"
#include "files/cache/format.h"
#include "files/export/file_out.h"
#include "files/setup/table.h"

namespace drubble::files {

namespace {

struct Channel {
  const char* name;
  std::vector<const char*> columns;
  void (*write)(FileOut& out, const PieceMoment& m);
};

void vector(FileOut& out, const Vec3& v, int decimals) {
  for (int k = 0; k < 3; ++k) {
    out.text(",");
    out.number(v[k], decimals);
  }
}

const char* stateName(std::uint8_t flags) {
  if ((flags & kFlagGone) != 0) return "gone";
  if ((flags & kFlagUnborn) != 0) return "unborn";
  if ((flags & kFlagFrozen) != 0) return "frozen";
  if ((flags & kFlagFixed) != 0) return "static";
  if ((flags & kFlagDriven) != 0) return "keyed";
  if ((flags & kFlagHeld) != 0) return "held";
  return (flags & kFlagAwake) != 0 ? "awake" : "asleep";
}

// The angles (degrees) of a turn about the fixed axes x, then y, then z.
Vec3 anglesOf(const Quat& q) {
  const Mat3 m = q.toRotationMatrix();
  const double cosine = std::sqrt(m(0, 0) * m(0, 0) + m(1, 0) * m(1, 0));
  if (cosine < 1e-9) return Vec3(arcTangent2(-m(1, 2), m(1, 1)), arcTangent2(-m(2, 0), cosine), 0) / kDegree;
  return Vec3(arcTangent2(m(2, 1), m(2, 2)), arcTangent2(-m(2, 0), cosine), arcTangent2(m(1, 0), m(0, 0))) /
         kDegree;
}

const std::vector<Channel>& channels() {
  static const std::vector<Channel> kAll = {
      {"position",
       {"x", "y", "z"},
       [](FileOut& out, const PieceMoment& m) { vector(out, m.pose.position, 7); }},
      {"turn",
       {"turn_w", "turn_x", "turn_y", "turn_z"},
       [](FileOut& out, const PieceMoment& m) {
         for (const double x : {m.pose.turn.w(), m.pose.turn.x(), m.pose.turn.y(), m.pose.turn.z()}) {
           out.text(",");
           out.number(x, 7);
         }
       }},
      {"velocity",
       {"vx", "vy", "vz"},
       [](FileOut& out, const PieceMoment& m) { vector(out, m.velocity, 6); }},
      {"angles",
       {"angle_x", "angle_y", "angle_z"},
       [](FileOut& out, const PieceMoment& m) { vector(out, anglesOf(m.pose.turn), 5); }},
      {"spin",
       {"spin_x", "spin_y", "spin_z"},
       [](FileOut& out, const PieceMoment& m) { vector(out, Vec3(m.spin / kDegree), 5); }},
      {"speed",
       {"speed"},
       [](FileOut& out, const PieceMoment& m) {
         out.text(",");
         out.number(m.velocity.norm(), 6);
       }},
      {"state", {"state"}, [](FileOut& out, const PieceMoment& m) { out.print(",{}", stateName(m.flags)); }}};
  return kAll;
}

std::vector<const Channel*> chosen(const TableOptions& options) {
  std::vector<const Channel*> out;
  for (const std::string& name : options.channels) {
    const auto at =
        std::find_if(channels().begin(), channels().end(), [&](const Channel& c) { return name == c.name; });
    if (at == channels().end()) {
      const std::vector<std::string>& all = tableChannels();
      const std::string near = nearest(name, {all.begin(), all.end()});
      throw Error(ErrorKind::Usage,
                  fmt::format("there is no channel '{}'{}; there are {}", name,
                              near.empty() ? "" : "; did you mean '" + near + "'?", fmt::join(all, ", ")));
    }
    out.push_back(&*at);
  }
  if (out.empty())
    for (std::size_t k = 0; k < 3; ++k) out.push_back(&channels()[k]);
  return out;
}

// How far off a point of a piece of this radius is at most, `n` between `a` and `b`.
double miss(const std::vector<PieceMoment>& track, const std::vector<double>& times, std::size_t a,
            std::size_t b, std::size_t n, double radius) {
  const double s = (times[n] - times[a]) / (times[b] - times[a]);
  const Vec3 straight = track[a].pose.position + s * (track[b].pose.position - track[a].pose.position);
  const Quat turn = track[a].pose.turn.slerp(s, track[b].pose.turn);
  return (straight - track[n].pose.position).norm() + radius * turnBetween(turn, track[n].pose.turn).norm();
}

std::vector<std::size_t> thinned(const std::vector<PieceMoment>& track, const std::vector<double>& times,
                                 double radius, double bound) {
  std::vector<char> kept(track.size(), 0);
  kept.front() = kept.back() = 1;
  std::vector<std::pair<std::size_t, std::size_t>> open = {{0, track.size() - 1}};
  // What comes or goes does so in one step.
  for (std::size_t n = 1; n < track.size(); ++n)
    if (track[n].there() != track[n - 1].there()) kept[n] = kept[n - 1] = 1;
  open.clear();
  for (std::size_t n = 1, last = 0; n < track.size(); ++n)
    if (kept[n] != 0) open.emplace_back(last, n), last = n;
  while (!open.empty()) {
    const auto [a, b] = open.back();
    open.pop_back();
    double worst = bound;
    std::size_t at = 0;
    for (std::size_t n = a + 1; n < b; ++n)
      if (const double off = miss(track, times, a, b, n, radius); off > worst) worst = off, at = n;
    if (at == 0) continue;
    kept[at] = 1;
    open.emplace_back(a, at);
    open.emplace_back(at, b);
  }
  std::vector<std::size_t> out;
  for (std::size_t n = 0; n < kept.size(); ++n)
    if (kept[n] != 0) out.push_back(n);
  return out;
}

// With quotes where a name has what would end it.
std::string cell(const std::string& text) {
  if (text.find_first_of(",\"\n") == std::string::npos) return text;
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

}  // namespace

const std::vector<std::string>& tableChannels() {
  static const std::vector<std::string> kNames = [] {
    std::vector<std::string> out;
    for (const Channel& c : channels()) out.emplace_back(c.name);
    return out;
  }();
  return kNames;
}

std::size_t writeTable(Shot& shot, const TableOptions& options) {
  const std::vector<const Channel*> asked = chosen(options);
  FileOut out(shot.options().path);
  out.text("piece,frame");
  for (const Channel* c : asked)
    for (const char* column : c->columns) out.print(",{}", column);
  out.text("\n");
  std::vector<std::size_t> all(shot.pieces().size());
  for (std::size_t k = 0; k < all.size(); ++k) all[k] = k;
  std::size_t rows = 0;
  shot.eachTrack("rows", all, [&](std::size_t k, const std::vector<PieceMoment>& track) {
    const ShownPiece& p = shot.pieces()[k];
    const std::string name = cell(shot.nameOf(p));
    std::vector<std::size_t> keys;
    if (options.thin >= 0) {
      keys = thinned(track, shot.times(), shot.meshes()[p.mesh].radius, options.thin);
    } else {
      for (std::size_t n = 0; n < track.size(); ++n) keys.push_back(n);
    }
    for (const std::size_t n : keys) {
      out.print("{},{}", name, shot.times()[n]);
      for (const Channel* c : asked) c->write(out, track[n]);
      out.text("\n");
      ++rows;
    }
  });
  out.finish();
  return rows;
}

}  // namespace drubble::files
