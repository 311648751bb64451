// SPDX-License-Identifier: Apache-2.0
// drubble run SETUP
#include <fmt/format.h>
#include <unistd.h>

#include <chrono>
#include <filesystem>
#include <iostream>
#include <map>
#include <nlohmann/json.hpp>
#include <thread>

#include "cli/command.h"
#include "cli/progress.h"
#include "files/simulate.h"

namespace drubble::cli {

namespace {

// "3:07" of a number of seconds.
std::string clockText(double seconds) {
  const auto s = static_cast<long>(seconds + 0.5);
  return fmt::format("{}:{:02}", s / 60, s % 60);
}

}  // namespace

void ProgressLine::show(const std::string& text, bool last) {
  const std::chrono::duration<double> wait(terminal_ ? 0.1 : 3);
  const auto now = std::chrono::steady_clock::now();
  if (!last && now - told_ < wait) return;
  told_ = now;
  if (terminal_)
    std::cerr << "\r\x1b[K" << text << (last ? "\n" : "") << std::flush;
  else
    std::cerr << text << std::endl;
  open_ = terminal_ && !last;
}

void ProgressLine::tell(const files::RunProgress& p) {
  show(fmt::format("frame {}/{}  {} awake, {} contacts, {} substeps  {} so far, {} left", p.frame,
                   p.last_frame, p.awake, p.contacts, p.substeps, clockText(p.seconds),
                   clockText(p.seconds_left)),
       p.frame == p.last_frame);
}

void ProgressLine::tell(const std::string& what, double share) {
  show(fmt::format("{}: {:.0f} %", what, 100 * share), false);
}

void ProgressLine::say(const std::string& text) {
  close();
  std::cerr << text << std::endl;
}

ProgressLine::ProgressLine() : terminal_(isatty(STDERR_FILENO) != 0) {}

ProgressLine::~ProgressLine() { close(); }

void ProgressLine::close() {
  if (open_) std::cerr << "\n";
  open_ = false;
}

solve::Lanes lanesFor(const std::string& asked) {
  static const std::map<std::string, solve::Lanes> kNames = {{"auto", solve::Lanes::Auto},
                                                             {"scalar", solve::Lanes::Scalar},
                                                             {"sse2", solve::Lanes::Sse2},
                                                             {"avx2", solve::Lanes::Avx2}};
  const auto named = kNames.find(asked);
  if (named == kNames.end())
    throw Error(ErrorKind::Usage, fmt::format("--lanes '{}' is none of auto, scalar, sse2, avx2", asked));
  if (!solve::available(named->second))
    throw Error(ErrorKind::Usage,
                fmt::format("this machine has no {} instructions: take --lanes auto", asked));
  return named->second;
}

namespace {

// Name and seconds of everything that took time, the work on the motion first.
std::vector<std::pair<std::string, double>> timesOf(const files::RunOutcome& done) {
  std::vector<std::pair<std::string, double>> times;
  double known = 0;
  for (std::size_t k = 0; k < kWorks; ++k) times.emplace_back(kWorkNames[k], done.stats.work[k]);
  times.emplace_back("setup", done.stats.build);
  times.emplace_back("measures", done.stats.measure);
  times.emplace_back("cache", done.stats.store);
  for (const auto& [name, seconds] : times) known += seconds;
  times.emplace_back("between", std::max(0.0, done.seconds - known));
  return times;
}

nlohmann::json statsJson(const files::RunOutcome& done) {
  nlohmann::json seconds = nlohmann::json::object();
  for (const auto& [name, s] : timesOf(done)) seconds[name] = s;
  const files::RunStats& s = done.stats;
  return {{"seconds", seconds}, {"substeps", s.substeps},     {"internal_steps", s.internal_steps},
          {"hits", s.hits},     {"most_awake", s.most_awake}, {"most_contacts", s.most_contacts}};
}

void printStats(const files::RunOutcome& done) {
  for (const auto& [name, seconds] : timesOf(done))
    std::cout << fmt::format("  {:<10} {:8.3f} s  {:5.1f} %\n", name, seconds,
                             done.seconds > 0 ? 100 * seconds / done.seconds : 0);
  const files::RunStats& s = done.stats;
  std::cout << fmt::format(
      "  {} substeps, {} internal steps, {} hits; at most {} awake and {} contacts in a frame\n", s.substeps,
      s.internal_steps, s.hits, s.most_awake, s.most_contacts);
}

}  // namespace

int runSetup(const RunRequest& request) {
  const files::Setup setup = files::readSetup(request.setup, request.overrides);
  files::RunOptions options;
  choosePaths(request, options);
  options.checkpoint_every = request.checkpoint_every;
  options.force = request.force;
  options.machine = request.machine;
  options.overrides = request.overrides;
  options.limits = request.limits;
  options.stop_at_rest = request.stop_at_rest;
  options.stop = stopAsked;
  ProgressLine line;
  options.progress = [&](const files::RunProgress& p) { line.tell(p); };
  options.say = [&](const std::string& what) { line.say(what); };
  options.making = [&](const std::string& what, double share) { line.tell(what, share); };
  catchStopSignals();
  const files::RunOutcome done = files::simulate(setup, options);
  line.close();
  for (const std::string& n : done.notes) std::cerr << "note: " << n << "\n";
  if (!done.limit.empty())
    std::cerr << fmt::format("stopped as asked at {}; all frames up to there are kept\n", done.limit);
  else if (done.stopped)
    std::cerr << fmt::format("stopped at frame {}: all frames up to there are kept\n", done.last_frame);
  if (request.json) {
    nlohmann::json j = {{"cache", options.cache_path},  {"last_frame", done.last_frame},
                        {"stopped", done.stopped},      {"seconds", done.seconds},
                        {"motion_digest", done.digest}, {"notes", done.notes}};
    if (done.gone_on_from) j["gone_on_from"] = *done.gone_on_from;
    if (!done.limit.empty()) j["limit"] = done.limit;
    j["rules"] = done.rules;
    j["finest"] = done.finest;
    if (request.stats) j["stats"] = statsJson(done);
    std::cout << j.dump(2) << "\n";
  } else {
    const int first = done.gone_on_from ? *done.gone_on_from + 1 : setup.cached_from;
    if (first <= done.last_frame)
      std::cout << fmt::format("wrote {}: frames {} to {} in {:.1f} s, motion {}\n", options.cache_path,
                               first, done.last_frame, done.seconds, done.digest);
    else
      std::cout << fmt::format("{} has all frames up to {} already: nothing to do\n", options.cache_path,
                               done.last_frame);
    if (!done.finest.empty()) std::cout << done.finest << "\n";
    for (const std::string& r : done.rules) std::cout << r << "\n";
    if (request.stats) printStats(done);
  }
  return done.stopped ? kStopped : kDone;
}

int runCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("setup", po::value<std::string>()->required(), "the setup file")(
      "output,o", po::value<std::string>()->default_value(""),
      "where the cache goes (default: out/NAME.drub)")("force", po::bool_switch(),
                                                       "replace a cache that is there already")(
      "frames", po::value<std::string>(), "first and last frame instead of the setup's: 1-48")(
      "set", po::value<std::vector<std::string>>()->composing()->value_name("KEY=VALUE"),
      "change a key of the setup, as often as needed: solver.substeps=8, 'body.*.density*=0.5'")(
      "threads", po::value<int>()->default_value(0),
      "how many threads share the work; the motion is the same with any (default: one a core)")(
      "lanes", po::value<std::string>()->default_value("auto"),
      "instructions of the solver's loops: scalar, sse2, avx2; the motion is the same with any")(
      "stop-at-rest", po::bool_switch(), "stop once nothing moves and nothing that is keyed will")(
      "stop-when", po::value<std::vector<std::string>>()->composing()->value_name("MEASURE=LIMIT"),
      ("stop after a frame in which a measure passes a limit: " + files::limitNames()).c_str())(
      "resume", po::bool_switch(),
      "go on behind the last frame that is there, with the same bits as if it had never stopped; also past "
      "the "
      "old end, with --frames")(
      "from", po::value<std::string>()->default_value("")->value_name("[CACHE:]FRAME"),
      "branch off from a frame of a cache, with what --set changes, into a new one")(
      "versions", po::bool_switch(), "give each run the next number: NAME.001.drub")(
      "checkpoint", po::value<int>()->default_value(24)->value_name("FRAMES"),
      "how often all state is kept, to go on from; after a minute in any case")(
      "stats", po::bool_switch(), "tell where the time went, and how much there was to do")(
      "json", po::bool_switch(), "the outcome as JSON on stdout");
  const Parsed p =
      parse(arguments, "run SETUP [options]",
            "Simulates a setup and writes its motion to a cache. Ctrl-C stops at the last whole frame.",
            options, "setup", 1);
  if (p.help) return kDone;
  RunRequest request;
  request.setup = p.as<std::string>("setup");
  request.output = p.as<std::string>("output");
  request.force = p.as<bool>("force");
  request.json = p.as<bool>("json");
  request.machine = {threadsFor(p.as<int>("threads")), lanesFor(p.as<std::string>("lanes"))};
  request.stats = p.as<bool>("stats");
  request.stop_at_rest = p.as<bool>("stop-at-rest");
  request.resume = p.as<bool>("resume");
  request.from = p.as<std::string>("from");
  request.versions = p.as<bool>("versions");
  request.checkpoint_every = p.as<int>("checkpoint");
  if (request.checkpoint_every < 1)
    throw Error(ErrorKind::Usage, fmt::format("--checkpoint {} is not 1 or more", request.checkpoint_every));
  if (request.resume && (request.force || !request.from.empty()))
    throw Error(ErrorKind::Usage, request.force
                                      ? "--resume goes on with what is there, --force replaces it: use one"
                                      : "--resume goes on with a cache, --from makes another: use one");
  if (p.has("stop-when"))
    for (const std::string& text : p.as<std::vector<std::string>>("stop-when"))
      request.limits.push_back(files::parseLimit(text));
  if (p.has("set")) request.overrides = p.as<std::vector<std::string>>("set");
  if (p.has("frames")) {
    const auto [first, last] = frameRange(p.as<std::string>("frames"));
    request.overrides.push_back(fmt::format("frames=[{},{}]", first, last));
  }
  return runSetup(request);
}

}  // namespace drubble::cli
