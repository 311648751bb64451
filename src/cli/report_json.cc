// SPDX-License-Identifier: Apache-2.0
#include "cli/report_json.h"

#include "files/cache/format.h"

namespace drubble::cli {

using files::CacheReader;
using files::Measures;
using json = nlohmann::ordered_json;

namespace {

json listOf(const Vec3& v) { return json::array({v.x(), v.y(), v.z()}); }

json perFrame(const CacheReader& cache, const Measures& m, double unit) {
  json out = json::array();
  for (std::size_t i = 0; i < m.frames.size(); ++i) {
    const files::CachedFrame& f = m.frames[i];
    out.push_back(
        {{"frame", f.frame},
         {"motion_digest", f.digest},
         {"awake", f.awake},
         {"asleep", f.asleep},
         {"contacts", f.contacts},
         {"substeps", f.substeps},
         {"iterations", f.iterations},
         {"asks", f.asks.empty() ? json() : json(f.asks)},
         {"asking", f.asking < 0 ? json() : json(cache.pieces()[static_cast<std::size_t>(f.asking)].name)},
         {"kinetic", f.kinetic},
         {"potential", f.potential},
         {"fastest", m.fastest[i] / unit},
         {"fastest_piece", m.fastest_of[i]},
         {"penetration",
          {{"worst", f.depth_worst / unit},
           {"p99", f.depth_p99 / unit},
           {"worst_share", f.share_worst},
           {"p99_share", f.share_p99}}},
         {"seconds", f.solve_seconds + f.measure_seconds + f.store_seconds}});
  }
  return out;
}

json damageJson(const files::Damage& d, double unit) {
  json over_time = json::array(), rings = json::array(), first = nullptr, why = json::object();
  for (const auto& [frame, broken] : d.over_time) over_time.push_back({{"frame", frame}, {"broken", broken}});
  for (const files::DamageRing& r : d.rings)
    rings.push_back({{"to", r.to / unit}, {"bonds", r.bonds}, {"broken", r.broken}});
  for (std::size_t w = 0; w < d.why.size(); ++w) why[bond::whyName(static_cast<bond::Why>(w))] = d.why[w];
  if (d.first)
    first = {{"frame", d.first->frame},
             {"why", d.first->why},
             {"share", d.first->share},
             {"place", listOf(d.first->place / unit)}};
  json worst = nullptr;
  if (d.first_break_factor)
    worst = {{"pair", {d.worst_a, d.worst_b}}, {"why", d.worst_why}, {"frame", d.worst_frame}};
  json yielded = nullptr;
  if (d.yielded)
    yielded = {{"pair", {d.yielded_a, d.yielded_b}},
               {"frame", d.yielded->frame},
               {"strain", d.yielded->strain},
               {"load", d.yielded->load}};
  return {{"bonds", d.bonds},
          {"broken", d.broken},
          {"share", d.share()},
          {"area", d.areaShare()},
          {"clusters", d.clusters},
          {"loose", d.loose},
          {"largest_share", d.largest_share},
          {"radius_90", d.radius90 / unit},
          {"why", why},
          {"first_break_factor", d.first_break_factor ? json(*d.first_break_factor) : json()},
          {"worst", worst},
          {"yielded", yielded},
          {"first", first},
          {"over_time", over_time},
          {"by_distance", rings}};
}

json rulesJson(const CacheReader& cache, const Measures& m) {
  json out = json::object();
  for (const files::CachedRule& r : m.rules) {
    json done = json::array();
    for (const files::CachedRule::Done& d : r.done)
      done.push_back({{"frame", d.frame}, {"piece", cache.pieces()[d.piece].name}});
    out[r.name] = {{"then", r.deed}, {"pieces", r.pieces}, {"times", r.done.size()}, {"done", done}};
  }
  return out;
}

}  // namespace

json toJson(const CacheReader& cache, const Measures& m) {
  const double unit = cache.info().unit;
  json out;
  out["title"] = cache.info().title;
  out["state"] = m.state;
  out["units"] = cache.info().units;
  out["pieces"] = m.pieces;
  out["frames"] = {m.first_frame, m.last_frame};
  out["seconds"] = m.seconds;
  out["simulated_seconds"] = m.simulated_seconds;
  out["motion_digest"] = m.motion_digest;
  json pair = nullptr, end_pair = nullptr;
  if (!m.deepest_a.empty()) pair = {m.deepest_a, m.deepest_b};
  if (!m.end_a.empty()) end_pair = {m.end_a, m.end_b};
  out["penetration"] = {{"worst", m.depth_worst / unit},
                        {"p99", m.depth_p99 / unit},
                        {"worst_share", m.share_worst},
                        {"p99_share", m.share_p99},
                        {"pair", pair},
                        {"frame", m.deepest_frame},
                        {"at_end",
                         {{"worst", m.end_depth_worst / unit},
                          {"worst_share", m.end_share_worst},
                          {"p99_share", m.end_share_p99},
                          {"pair", end_pair}}}};
  out["jitter"] = {{"median", m.jitter_median},
                   {"p99", m.jitter_p99},
                   {"worst", m.jitter_worst},
                   {"piece", m.jitter_piece.empty() ? json() : json(m.jitter_piece)}};
  out["rest_frame"] = m.rest_frame ? json(*m.rest_frame) : json();
  out["asleep"] = m.asleep;
  out["strays"] = m.strays;
  out["drift"] = m.drift;
  const auto hitOf = [&](const std::optional<files::HitTold>& h) {
    if (!h) return json();
    return json{{"frame", h->frame},
                {"pair", {h->a, h->b}},
                {"place", listOf(h->place / unit)},
                {"speed", h->speed / unit}};
  };
  out["outcome"] = {{"first_hit", hitOf(m.first_hit)},
                    {"hits", m.hits},
                    {"share_moved", m.share_moved},
                    {"share_toppled", m.share_toppled}};
  json joints = json::object();
  for (const files::JointHistory& j : m.joints)
    joints[j.name] = {{"force", {{"worst", j.force}, {"frame", j.force_frame}}},
                      {"torque", {{"worst", j.torque}, {"frame", j.torque_frame}}},
                      {"broke", j.broke ? json({{"frame", j.broke->frame},
                                                {"place", listOf(j.broke->place / unit)},
                                                {"force", j.broke->force},
                                                {"torque", j.broke->torque}})
                                        : json()}};
  out["joints"] = joints;
  json forces = json::object();
  for (const files::CachedWatch& w : m.watches) {
    json list = json::array();
    for (const auto& [frame, force] : w.forces)
      list.push_back({{"frame", frame}, {"force", listOf(force)}, {"size", force.norm()}});
    forces[w.name] = list;
  }
  out["forces"] = forces;
  json watches = json::object();
  for (const files::WatchOutcome& w : m.watch_outcomes)
    watches[w.name] = {{"pieces", w.pieces},          {"share_moved", w.moved},
                       {"share_toppled", w.toppled},  {"first_hit", hitOf(w.first_hit)},
                       {"landing", hitOf(w.landing)}, {"bounces", w.bounces}};
  out["watches"] = watches;
  json fills = json::object();
  for (const files::CachedWatch& w : m.watches)
    for (const auto& [frame, x] : w.filled)
      fills[w.name].push_back({{"frame", frame},
                               {"count", x.count},
                               {"volume", x.volume / (unit * unit * unit)},
                               {"share", x.share},
                               {"height", x.height / unit}});
  out["fills"] = fills;
  json pours = json::object();
  for (const files::CachedPour& p : m.pours) {
    json list = json::array();
    for (const files::CachedPour::Frame& f : p.frames)
      list.push_back({{"frame", f.frame},
                      {"born", f.born},
                      {"waiting", f.waiting},
                      {"skipped", f.skipped},
                      {"full", f.over}});
    pours[p.name] = {{"planned", p.planned}, {"changes", list}};
  }
  out["pours"] = pours;
  out["damage"] = damageJson(m.damage, unit);
  out["rules"] = rulesJson(cache, m);
  out["notes"] = m.notes;
  out["per_frame"] = perFrame(cache, m, unit);
  return out;
}

namespace {

std::string stateWord(std::uint8_t flags) {
  if (flags & files::kFlagGone) return "gone";
  if (flags & files::kFlagUnborn) return "unborn";
  if (flags & files::kFlagFrozen) return "frozen";
  if (flags & files::kFlagFixed) return "static";
  if (flags & files::kFlagDriven) return "driven";
  if (flags & files::kFlagHeld) return "held";
  return flags & files::kFlagAwake ? "awake" : "asleep";
}

}  // namespace

json posesJson(CacheReader& cache, int frame) {
  const double unit = cache.info().unit, degree = 57.29577951308232;
  json poses = json::array();
  const std::vector<files::PieceState> states = cache.states(frame);
  for (std::size_t i = 0; i < states.size(); ++i) {
    const files::PieceState& s = states[i];
    const Pose pose = s.pose();
    const Vec3 v = vec3(static_cast<double>(s.velocity[0]), static_cast<double>(s.velocity[1]),
                        static_cast<double>(s.velocity[2]));
    const Vec3 w =
        vec3(static_cast<double>(s.spin[0]), static_cast<double>(s.spin[1]), static_cast<double>(s.spin[2]));
    poses.push_back({{"name", cache.pieces()[i].name},
                     {"position", listOf(pose.toWorld(cache.prototypeOf(i).origin) / unit)},
                     {"centre", listOf(pose.position / unit)},
                     {"turn", {pose.turn.w(), pose.turn.x(), pose.turn.y(), pose.turn.z()}},
                     {"velocity", listOf(v / unit)},
                     {"spin", listOf(w * degree)},
                     {"state", stateWord(s.flags)}});
  }
  return {{"frame", frame}, {"units", cache.info().units}, {"poses", poses}};
}

}  // namespace drubble::cli
