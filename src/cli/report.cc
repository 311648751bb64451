// SPDX-License-Identifier: Apache-2.0
// drubble report CACHE
#include <fmt/format.h>

#include <algorithm>
#include <iostream>
#include <nlohmann/json.hpp>

#include "cli/command.h"
#include "cli/report_json.h"
#include "files/cache/format.h"
#include "files/report/asks.h"
#include "files/report/measures.h"

namespace drubble::cli {

namespace {

using files::CacheReader;
using files::Measures;
using json = nlohmann::ordered_json;

constexpr std::size_t kMostJoints = 12;  // told of one by one

void printPoses(const json& j) {
  std::cout << fmt::format("{:<24} {:>30} {:>36}  {}\n", "piece", "position", "turn (w x y z)", "state");
  for (const json& p : j["poses"]) {
    const auto &x = p["position"], &q = p["turn"];
    std::cout << fmt::format("{:<24} {:>10.4f}{:>10.4f}{:>10.4f} {:>9.4f}{:>9.4f}{:>9.4f}{:>9.4f}  {}\n",
                             p["name"].get<std::string>(), x[0].get<double>(), x[1].get<double>(),
                             x[2].get<double>(), q[0].get<double>(), q[1].get<double>(), q[2].get<double>(),
                             q[3].get<double>(), p["state"].get<std::string>());
  }
}

std::string percent(double share) { return fmt::format("{:.3g} %", 100 * share); }

// Awake pieces over time, a character a share of the frames.
std::string spark(const Measures& m) {
  static const char* kBars[] = {" ", "▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"};
  const std::size_t width = std::min<std::size_t>(60, m.frames.size());
  std::string out;
  for (std::size_t c = 0; c < width; ++c) {
    const files::CachedFrame& f = m.frames[c * (m.frames.size() - 1) / std::max<std::size_t>(1, width - 1)];
    const double share = m.dynamic > 0 ? static_cast<double>(f.awake) / static_cast<double>(m.dynamic) : 0;
    out += kBars[static_cast<std::size_t>(share * 8 + (share > 0 ? 0.999 : 0)) > 8
                     ? 8
                     : static_cast<std::size_t>(share * 8 + (share > 0 ? 0.999 : 0))];
  }
  return out;
}

void printRest(const Measures& m) {
  std::cout << "rest         "
            << (m.rest_frame ? fmt::format("from frame {} on", *m.rest_frame)
                             : "something still moves at the end")
            << fmt::format("; {} of {} asleep at the end", m.asleep, m.dynamic) << "\n";
  if (!m.rest_frame && !m.fastest.empty())
    std::cout << fmt::format(
        "             fastest at the end: {}; try more frames, or more friction or damping\n",
        m.fastest_of.back());
  std::cout << fmt::format("awake        |{}| frames {} to {}\n", spark(m), m.first_frame, m.last_frame);
  std::cout << fmt::format("jitter       median {}, p99 {}, worst {}{} of size, last half second\n",
                           percent(m.jitter_median), percent(m.jitter_p99), percent(m.jitter_worst),
                           m.jitter_piece.empty() ? "" : " (" + m.jitter_piece + ")");
}

void printStrays(const Measures& m) {
  if (m.strays.empty()) return void(std::cout << "strays       none\n");
  std::cout << fmt::format("strays       {} ({}):", m.strays.size(),
                           percent(static_cast<double>(m.strays.size()) / static_cast<double>(m.dynamic)));
  for (std::size_t i = 0; i < m.strays.size() && i < 12; ++i) std::cout << " " << m.strays[i];
  std::cout << (m.strays.size() > 12 ? " …" : "") << "\n";
}

std::string pieceName(const CacheReader& cache, int piece) {
  return piece < 0 ? "" : cache.pieces()[static_cast<std::size_t>(piece)].name;
}

void printTimes(const CacheReader& cache, const Measures& m) {
  double solve = 0, measure = 0, store = 0, worst = 0;
  int worst_frame = 0;
  for (const files::CachedFrame& f : m.frames) {
    solve += f.solve_seconds;
    measure += f.measure_seconds;
    store += f.store_seconds;
    if (f.solve_seconds > worst) worst = f.solve_seconds, worst_frame = f.frame;
  }
  std::cout << fmt::format(
      "time         {:.2f} s for {:.2f} s of motion: solving {:.2f}, measuring {:.2f}, storing {:.2f}; "
      "slowest frame {} ({:.0f} ms)\n",
      m.seconds, m.simulated_seconds, solve, measure, store, worst_frame, 1000 * worst);
  const files::CachedFrame& f = m.frames[m.finest];
  std::cout << fmt::format("substeps     at most {} of {} internal steps, in frame {}{}\n", f.substeps,
                           f.iterations, f.frame, files::saidAsks(f.asks, pieceName(cache, f.asking)));
}

void printDamage(const Measures& m, const CacheReader& cache) {
  const files::Damage& d = m.damage;
  if (d.bonds == 0) return;
  const double unit = cache.info().unit;
  std::cout << fmt::format("bonds        {} of {} broken ({}; {} of their area)", d.broken, d.bonds,
                           percent(d.share()), percent(d.areaShare()));
  if (d.broken > 0) {
    const char* comma = ": ";
    for (std::size_t w = 0; w < d.why.size(); ++w) {
      if (d.why[w] == 0) continue;
      std::cout << comma << d.why[w] << " by " << bond::whyName(static_cast<bond::Why>(w));
      comma = ", ";
    }
    std::cout << fmt::format("; the first in frame {}", d.first->frame);
  }
  std::cout << fmt::format(
      "\n             left: {} that hold together, {} loose pieces; the largest is {} of the mass\n",
      d.clusters, d.loose, percent(d.largest_share));
  if (d.broken > 0)
    std::cout << fmt::format("             nine tenths of what broke lies within {:.3g} {} of the first {}\n",
                             d.radius90 / unit, cache.info().units, d.from_hit ? "hit" : "break");
  if (d.first_break_factor)
    std::cout << fmt::format(
        "             {} (frame {}, '{}' from '{}', {})\n",
        d.broken > 0 ? fmt::format("with {:.3g} times the strength the first would only just have gone",
                                   *d.first_break_factor)
                     : fmt::format("the first goes with {:.3g} times the strength", *d.first_break_factor),
        d.worst_frame, d.worst_a, d.worst_b, d.worst_why);
  else if (!d.yielded)
    std::cout << "             nothing has borne on them\n";
  if (d.yielded)
    std::cout << fmt::format(
        "             {} (frame {}, '{}' from '{}')\n",
        d.yielded->strain > 0
            ? fmt::format("of those that yield and hold one came to {} of the strain at which it parts",
                          percent(d.yielded->strain))
            : fmt::format("of those that yield none gave: one bore at most {} of that from which on it does",
                          percent(d.yielded->load)),
        d.yielded->frame, d.yielded_a, d.yielded_b);
}

void printJoints(const Measures& m) {
  const char* label = "joints";
  std::size_t told = 0;
  for (const files::JointHistory& j : m.joints) {
    if (!j.broke && told >= kMostJoints) continue;
    ++told;
    std::cout << fmt::format("{:<12} {}: ", label, j.name)
              << fmt::format("at most {:.4g} N (frame {})", j.force, j.force_frame)
              << (j.torque > 0 ? fmt::format(" and {:.4g} N m (frame {})", j.torque, j.torque_frame) : "")
              << (j.broke ? fmt::format("; broke in frame {} under {:.4g} N, {:.4g} N m", j.broke->frame,
                                        j.broke->force, j.broke->torque)
                          : "")
              << "\n";
    label = "";
  }
  if (told < m.joints.size())
    std::cout << fmt::format("             … and {} more: --json has all\n", m.joints.size() - told);
}

void printForces(const Measures& m) {
  for (const files::CachedWatch& w : m.watches) {
    if (w.forces.empty()) continue;
    const auto size = [](const auto& f) { return f.second.norm(); };
    const auto worst = std::max_element(w.forces.begin(), w.forces.end(),
                                        [&](const auto& a, const auto& b) { return size(a) < size(b); });
    const Vec3& end = w.forces.back().second;
    std::cout << fmt::format(
        "force        on {}: {:.4g} N at the end [{:.4g}, {:.4g}, {:.4g}], at most {:.4g} N (frame {})\n",
        w.name, end.norm(), end.x(), end.y(), end.z(), size(*worst), worst->first);
  }
}

void printPours(const Measures& m) {
  for (const files::CachedPour& p : m.pours) {
    const files::CachedPour::Frame end = p.frames.empty() ? files::CachedPour::Frame{} : p.frames.back();
    std::cout << fmt::format("poured       {}: {} of {}", p.name, end.born, p.planned);
    if (end.skipped > 0) std::cout << fmt::format("; {} found no room", end.skipped);
    if (end.waiting > 0) std::cout << fmt::format("; {} wait for room", end.waiting);
    if (end.over) std::cout << fmt::format("; full in frame {}", end.frame);
    std::cout << "\n";
  }
}

void printWatches(const Measures& m, const CacheReader& cache) {
  const double unit = cache.info().unit;
  for (const files::WatchOutcome& w : m.watch_outcomes) {
    std::cout << fmt::format("watch        {}: {} {}, {} moved, {} toppled", w.name, w.pieces,
                             w.pieces == 1 ? "piece" : "pieces", percent(w.moved), percent(w.toppled));
    if (w.first_hit)
      std::cout << fmt::format("; first hit in frame {}, '{}' by '{}' at {:.3g} {}/s", w.first_hit->frame,
                               w.first_hit->a, w.first_hit->b, w.first_hit->speed / unit, cache.info().units);
    if (w.landing)
      std::cout << fmt::format(
          "; landed in frame {} on '{}' at [{:.3f}, {:.3f}, {:.3f}], hits there in {} {}", w.landing->frame,
          w.landing->b, w.landing->place.x() / unit, w.landing->place.y() / unit, w.landing->place.z() / unit,
          w.bounces.size(), w.bounces.size() == 1 ? "frame" : "frames");
    std::cout << "\n";
  }
}

void printFills(const Measures& m, const CacheReader& cache) {
  for (const files::CachedWatch& w : m.watches) {
    if (w.filled.empty()) continue;
    const auto& [frame, end] = w.filled.back();
    const auto most = std::max_element(w.filled.begin(), w.filled.end(), [](const auto& a, const auto& b) {
      return a.second.count < b.second.count;
    });
    std::cout << fmt::format(
        "fill         {}: {} pieces, {} of the room, {:.3g} {} high; at most {} (frame {})\n", w.name,
        end.count, percent(end.share), end.height / cache.info().unit, cache.info().units, most->second.count,
        most->first);
  }
}

void printRules(const Measures& m, const CacheReader& cache) {
  for (const files::CachedRule& r : m.rules) {
    const std::string what =
        r.done.empty() ? "never came to it"
                       : fmt::format("{} {}, first '{}' in frame {}, last '{}' in frame {}", r.done.size(),
                                     r.done.size() == 1 ? "time" : "times",
                                     cache.pieces()[r.done.front().piece].name, r.done.front().frame,
                                     cache.pieces()[r.done.back().piece].name, r.done.back().frame);
    std::cout << fmt::format("rule         {}: {} for {} {}: {}\n", r.name, r.deed, r.pieces,
                             r.pieces == 1 ? "piece" : "pieces", what);
  }
}

void printText(const CacheReader& cache, const Measures& m) {
  const double unit = cache.info().unit;
  const std::string& u = cache.info().units;
  std::cout << fmt::format("{}{}{}\n", cache.path(), cache.info().title.empty() ? "" : ": ",
                           cache.info().title);
  std::cout << fmt::format("pieces       {} ({} dynamic), frames {} to {}, {}\n", m.pieces, m.dynamic,
                           m.first_frame, m.last_frame, m.state);
  std::cout << fmt::format("motion       {}\n", m.motion_digest);
  std::cout << fmt::format(
      "penetration  worst {:.4g} {} ({} of size{}), p99 {}\n", m.depth_worst / unit, u,
      percent(m.share_worst),
      m.deepest_a.empty() ? ""
                          : fmt::format(": {} in {}, frame {}", m.deepest_a, m.deepest_b, m.deepest_frame),
      percent(m.share_p99));
  std::cout << fmt::format("  at the end worst {} of size{}, p99 {}\n", percent(m.end_share_worst),
                           m.end_a.empty() ? "" : fmt::format(": {} in {}", m.end_a, m.end_b),
                           percent(m.end_share_p99));
  printRest(m);
  printStrays(m);
  std::cout << fmt::format("drift        {} of the energy in play gained from nothing\n", percent(m.drift));
  if (m.first_hit)
    std::cout << fmt::format(
        "first hit    frame {}: {} and {} at {:.3g} {}/s, at [{:.3f}, {:.3f}, {:.3f}]; {} hits in all\n",
        m.first_hit->frame, m.first_hit->a, m.first_hit->b, m.first_hit->speed / unit, u,
        m.first_hit->place.x() / unit, m.first_hit->place.y() / unit, m.first_hit->place.z() / unit, m.hits);
  std::cout << fmt::format("moved        {} by more than half their size, {} toppled\n",
                           percent(m.share_moved), percent(m.share_toppled));
  printDamage(m, cache);
  printRules(m, cache);
  printJoints(m);
  printPours(m);
  printForces(m);
  printWatches(m, cache);
  printFills(m, cache);
  printTimes(cache, m);
  for (const std::string& n : m.notes) std::cout << "note         " << n << "\n";
}

}  // namespace

int reportCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("cache", po::value<std::string>()->required(), "the cache")(
      "json", po::bool_switch(), "as JSON on stdout")("frame", po::value<int>(), "with --poses: which frame")(
      "poses", po::bool_switch(), "where each piece is at --frame");
  const Parsed p = parse(arguments, "report CACHE [options]",
                         "Says what a cache holds: how deep pieces overlap, whether they are at rest, what "
                         "strayed, what it cost.",
                         options, "cache", 1);
  if (p.help) return kDone;
  CacheReader cache(p.as<std::string>("cache"));
  if (p.as<bool>("poses") || p.has("frame")) {
    if (!p.as<bool>("poses") || !p.has("frame"))
      throw Error(ErrorKind::Usage, "--frame and --poses go together; try drubble report --help");
    const json j = posesJson(cache, p.as<int>("frame"));
    if (p.as<bool>("json"))
      std::cout << j.dump(1) << "\n";
    else
      printPoses(j);
    return kDone;
  }
  const Measures m = files::measureCache(cache);
  if (p.as<bool>("json"))
    std::cout << toJson(cache, m).dump(1) << "\n";
  else
    printText(cache, m);
  return kDone;
}

}  // namespace drubble::cli
