// SPDX-License-Identifier: Apache-2.0
#include "files/export/events.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "files/export/file_out.h"
#include "files/export/usd_parts.h"
#include "files/numbered.h"

namespace drubble::files {

namespace {

bool isContact(const ShotEvent& e) { return e.kind == "start" || e.kind == "lasting" || e.kind == "end"; }

// What happens near each other in frames without a gap is one: its place and normal are means by weight,
// which is the impulse, or else the area.
std::vector<ShotEvent> gathered(const std::vector<ShotEvent>& events, double reach) {
  struct Burst {
    ShotEvent whole;
    double weight = 0, strongest = -1;
  };
  std::vector<Burst> bursts;
  std::map<std::tuple<std::string, long, long, long>, std::size_t> open;  // by kind and cell
  for (const ShotEvent& e : events) {
    const auto cell = [&](int k) { return static_cast<long>(std::floor(e.place[k] / reach)); };
    const std::string kind = e.kind == "hit" ? "hit" : isContact(e) ? "contact" : "break";
    const auto [at, fresh] = open.try_emplace({kind, cell(0), cell(1), cell(2)}, bursts.size());
    if (fresh || e.frame > bursts[at->second].whole.last_frame + 1) {
      at->second = bursts.size();
      bursts.push_back({e, 0, -1});
      bursts.back().whole = ShotEvent{e.frame, e.frame, kind, e.a, e.b};
      bursts.back().whole.count = 0;
    }
    Burst& burst = bursts[at->second];
    const double weight = std::max(1e-12, e.impulse + e.area);
    burst.whole.last_frame = e.frame;
    burst.whole.place += weight * e.place;
    burst.whole.normal += weight * e.normal;
    burst.whole.impulse += e.impulse;
    burst.whole.area += e.area;
    burst.whole.speed = std::max(burst.whole.speed, e.speed);
    burst.whole.count += e.count;
    burst.weight += weight;
    if (weight > burst.strongest) burst.strongest = weight, burst.whole.a = e.a, burst.whole.b = e.b;
  }
  std::vector<ShotEvent> out;
  for (Burst& b : bursts) {
    b.whole.place /= b.weight;
    if (b.whole.normal.norm() > 0) b.whole.normal.normalize();
    out.push_back(b.whole);
  }
  return out;
}

void writeCsv(Shot& shot, const std::vector<ShotEvent>& events) {
  FileOut out(shot.options().path);
  const CacheInfo& info = shot.cache().info();
  out.text(
      "frame,last_frame,seconds,kind,a,b,x,y,z,normal_x,normal_y,normal_z,impulse,speed,sliding,area,"
      "count\n");
  for (const ShotEvent& e : events) {
    const auto& pieces = shot.cache().pieces();
    out.print("{},{},{:.6g},{},{},{}", e.frame, e.last_frame, (e.frame - shot.times().front()) / info.fps,
              e.kind, pieces[e.a].name, pieces[e.b].name);
    for (int k = 0; k < 3; ++k) {
      out.text(",");
      out.number(e.place[k], 6);
    }
    for (int k = 0; k < 3; ++k) {
      out.text(",");
      out.number(e.normal[k], 5);
    }
    out.print(",{:.6g},{:.6g},{:.6g},{:.6g},{}\n", e.impulse, e.speed, e.sliding, e.area, e.count);
  }
  out.finish();
}

std::uint8_t numberOf(const std::string& kind) {
  static const std::map<std::string, std::uint8_t> kNumbers = {
      {"hit", 0}, {"start", 2}, {"lasting", 3}, {"end", 4}};
  const auto at = kNumbers.find(kind);
  return at == kNumbers.end() ? 1 : at->second;
}

void writePly(Shot& shot, const std::string& path, std::span<const ShotEvent> events) {
  FileOut out(path);
  out.print(
      "ply\nformat binary_little_endian 1.0\ncomment unit {} m, up {}; kind 0 is a hit, 1 a break, 2 a "
      "contact that starts, 3 lasts, 4 ends\n",
      shot.unit(), shot.cache().info().up_is_z ? "z" : "y");
  out.print("element vertex {}\n", events.size());
  for (const char* name : {"x", "y", "z", "nx", "ny", "nz", "impulse", "speed", "sliding", "area"})
    out.print("property float {}\n", name);
  for (const char* name : {"frame", "last_frame", "a", "b", "count"}) out.print("property int {}\n", name);
  out.text("property uchar kind\nend_header\n");
  for (const ShotEvent& e : events) {
    for (const double x : {e.place.x(), e.place.y(), e.place.z(), e.normal.x(), e.normal.y(), e.normal.z(),
                           e.impulse, e.speed, e.sliding, e.area}) {
      const auto f = static_cast<float>(x);
      out.raw(&f, sizeof(f));
    }
    for (const std::int32_t x : {e.frame, e.last_frame, static_cast<std::int32_t>(e.a),
                                 static_cast<std::int32_t>(e.b), static_cast<std::int32_t>(e.count)})
      out.raw(&x, sizeof(x));
    const std::uint8_t kind = numberOf(e.kind);
    out.raw(&kind, 1);
  }
  out.finish();
}

// Points that are there in the frame in which they happen.
void writeUsdPoints(Shot& shot, const std::vector<ShotEvent>& events) {
  FileOut out(shot.options().path);
  const CacheInfo& info = shot.cache().info();
  out.print("#usda 1.0\n(\n    defaultPrim = \"events\"\n    startTimeCode = {}\n    endTimeCode = {}\n",
            shot.times().front(), shot.times().back());
  out.print(
      "    framesPerSecond = {0}\n    timeCodesPerSecond = {0}\n    metersPerUnit = {1}\n    upAxis = "
      "\"{2}\"\n)\n\n",
      info.fps, shot.unit(), info.up_is_z ? "Z" : "Y");
  out.text("def Points \"events\"\n{\n");
  const auto eachFrame = [&](const char* what, auto value) {
    out.print("    {}.timeSamples = {{\n", what);
    std::size_t first = 0;
    for (int f = static_cast<int>(shot.times().front()); f <= static_cast<int>(shot.times().back()); ++f) {
      while (first < events.size() && events[first].frame < f) ++first;
      std::size_t end = first;
      while (end < events.size() && events[end].frame == f) ++end;
      out.print("        {}: [", f);
      for (std::size_t k = first; k < end; ++k) {
        if (k > first) out.text(", ");
        value(events[k]);
      }
      out.text("],\n");
    }
    out.text("    }\n");
  };
  const auto vector = [&](const Vec3& v, int decimals) {
    for (int k = 0; k < 3; ++k) {
      out.text(k > 0 ? ", " : "(");
      out.number(v[k], decimals);
    }
    out.text(")");
  };
  eachFrame("point3f[] points", [&](const ShotEvent& e) { vector(e.place, 6); });
  eachFrame("normal3f[] normals", [&](const ShotEvent& e) { vector(e.normal, 5); });
  eachFrame("float[] primvars:impulse", [&](const ShotEvent& e) { out.print("{:.6g}", e.impulse); });
  eachFrame("float[] primvars:speed", [&](const ShotEvent& e) { out.print("{:.6g}", e.speed); });
  eachFrame("float[] primvars:sliding", [&](const ShotEvent& e) { out.print("{:.6g}", e.sliding); });
  eachFrame("float[] primvars:area", [&](const ShotEvent& e) { out.print("{:.6g}", e.area); });
  eachFrame("int[] primvars:count", [&](const ShotEvent& e) { out.print("{}", e.count); });
  eachFrame("string[] primvars:kind", [&](const ShotEvent& e) { out.text(usdText(e.kind)); });
  out.text("}\n");
  out.finish();
}

// A pair's contact starts in the first frame that has it, and ends in the first that has it no more.
template <class Add>
void addContacts(Shot& shot, Add add) {
  CacheReader& cache = shot.cache();
  std::vector<CachedContact> before;
  double simulated = 0;
  bool first = true;
  const auto pair = [](const CachedContact& c) { return std::pair(c.a, c.b); };
  const auto has = [&](const std::vector<CachedContact>& list, const CachedContact& c) {
    const auto at = std::lower_bound(list.begin(), list.end(), c,
                                     [&](const auto& x, const auto& y) { return pair(x) < pair(y); });
    return at != list.end() && pair(*at) == pair(c);
  };
  for (const CachedFrame& f : cache.frames()) {
    std::vector<CachedContact> now = cache.contacts(f.frame);
    const double seconds = f.simulated - simulated;
    const auto tell = [&](const CachedContact& c, const char* kind) {
      ShotEvent e{f.frame, 0, kind, c.a, c.b, c.place, c.normal, c.force * seconds, c.speed};
      e.sliding = c.sliding;
      e.area = c.area;
      add(e);
    };
    for (const CachedContact& c : now) tell(c, first || has(before, c) ? "lasting" : "start");
    for (CachedContact c : before) {
      if (has(now, c)) continue;
      c.force = c.sliding = c.speed = c.area = 0;
      tell(c, "end");
    }
    before = std::move(now);
    simulated = f.simulated;
    first = false;
  }
}

}  // namespace

std::vector<ShotEvent> eventsOf(Shot& shot, const EventOptions& options) {
  const double unit = shot.unit();
  std::vector<char> shown(shot.cache().pieces().size(), 0);
  for (const ShownPiece& p : shot.pieces()) shown[p.piece] = 1;
  std::vector<ShotEvent> out;
  const auto add = [&](ShotEvent e) {
    e.last_frame = e.frame;
    if (e.frame < shot.times().front() || e.frame > shot.times().back()) return;
    if (shown[e.a] == 0 && shown[e.b] == 0) return;
    e.place /= unit;
    e.speed /= unit;
    e.sliding /= unit;
    e.area /= unit * unit;
    if (isContact(e) && (e.impulse < options.least_impulse || e.sliding < options.least_speed)) return;
    if (e.kind == "hit" && (e.impulse < options.least_impulse || e.speed < options.least_speed)) return;
    out.push_back(std::move(e));
  };
  if (options.hits)
    for (const CachedHit& h : shot.cache().hits())
      add({h.frame, 0, "hit", h.a, h.b, h.place, h.normal, h.impulse, h.speed});
  if (options.breaks) {
    const std::vector<CachedBond> bonds = shot.cache().bonds();
    for (const CachedBondBreak& b : shot.cache().bondBreaks())
      add({b.frame, 0, b.why, bonds[b.bond].a, bonds[b.bond].b, b.place, b.normal, 0, 0, bonds[b.bond].area});
    for (const CachedJointBreak& b : shot.cache().jointBreaks()) {
      const CachedJoint& j = shot.cache().joints()[b.joint];
      std::vector<std::uint32_t> of;
      for (const auto& p : j.points)
        if (p.piece >= 0) of.push_back(static_cast<std::uint32_t>(p.piece));
      if (!of.empty()) add({b.frame, 0, "joint", of.front(), of.back(), b.place});
    }
  }
  if (options.contacts) addContacts(shot, add);
  std::stable_sort(out.begin(), out.end(),
                   [](const ShotEvent& a, const ShotEvent& b) { return a.frame < b.frame; });
  if (options.gather > 0) out = gathered(out, options.gather);
  return out;
}

void writeEvents(Shot& shot, const std::vector<ShotEvent>& events) {
  const std::string& path = shot.options().path;
  if (path.ends_with(".csv")) return writeCsv(shot, events);
  if (path.ends_with(".usda")) return writeUsdPoints(shot, events);
  if (!path.ends_with(".ply"))
    throw Error(ErrorKind::Usage,
                fmt::format("cannot write '{}': events go to .csv, .ply or .usda files", path));
  if (!isNumbered(path)) return writePly(shot, path, events);
  std::size_t first = 0;
  for (int f = static_cast<int>(shot.times().front()); f <= static_cast<int>(shot.times().back()); ++f) {
    while (first < events.size() && events[first].frame < f) ++first;
    std::size_t end = first;
    while (end < events.size() && events[end].frame == f) ++end;
    writePly(shot, numberedPath(path, f), std::span(events).subspan(first, end - first));
  }
}

}  // namespace drubble::files
