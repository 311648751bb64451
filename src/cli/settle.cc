// SPDX-License-Identifier: Apache-2.0
// drubble settle SETUP
#include <fmt/format.h>

#include <charconv>
#include <filesystem>
#include <iostream>
#include <nlohmann/json.hpp>

#include "cli/command.h"
#include "cli/progress.h"
#include "files/export/still.h"
#include "files/setup/start_from.h"
#include "files/simulate.h"

namespace drubble::cli {

namespace {

constexpr std::size_t kMostNamed = 12;

void list(const char* what, const std::vector<std::string>& names) {
  if (names.empty()) return;
  std::cout << fmt::format("{} {}:", names.size(), what);
  for (std::size_t k = 0; k < names.size() && k < kMostNamed; ++k)
    std::cout << (k == 0 ? " " : ", ") << names[k];
  std::cout << (names.size() > kMostNamed ? ", …" : "") << "\n";
}

// "floats/0007=0,0.1,0", in the setup's units.
files::RunOptions::Settling::Nudge nudgeOf(const std::string& text, double unit) {
  const std::size_t sign = text.rfind('=');
  files::RunOptions::Settling::Nudge out;
  bool sound = sign != std::string::npos && sign > 0;
  const char* at = text.data() + (sound ? sign + 1 : 0);
  const char* end = text.data() + text.size();
  for (int k = 0; sound && k < 3; ++k) {
    double x = 0;
    const auto [next, code] = std::from_chars(at, end, x);
    sound = code == std::errc{} && (k == 2 ? next == end : next != end && *next == ',');
    out.by[k] = unit * x;
    at = next + 1;
  }
  if (!sound)
    throw Error(ErrorKind::Usage,
                fmt::format("--nudge '{}' is not PIECE=X,Y,Z, like floats/0007=0,0.1,0", text));
  out.piece = text.substr(0, sign);
  return out;
}

void startAgain(const std::string& cache, const std::string& to, files::Setup& setup) {
  std::error_code ignored;
  if (std::filesystem::equivalent(cache, to, ignored))
    throw Error(ErrorKind::Usage,
                fmt::format("--again starts from '{}' and would replace it: write elsewhere "
                            "with -o",
                            cache));
  files::StartFromSetup from;
  from.cache = std::filesystem::absolute(cache).string();
  from.where = Where{setup.path, 0, 0, ""};
  from.who.patterns = {"**"};
  from.who.where = from.where;
  setup.start_from = from;
}

}  // namespace

int settleCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("setup", po::value<std::string>()->required(), "the setup file")(
      "output,o", po::value<std::string>()->default_value(""),
      "where the arrangement goes (default: out/NAME_settled.drub)")("force", po::bool_switch(),
                                                                     "replace one that is there already")(
      "set", po::value<std::vector<std::string>>()->composing()->value_name("KEY=VALUE"),
      "change a key of the setup, as often as needed")("most-frames", po::value<int>()->default_value(960),
                                                       "give up after so many")(
      "again", po::value<std::string>()->default_value("")->value_name("CACHE"),
      "start from an arrangement, or any cache's last frame")(
      "drop", po::value<std::vector<std::string>>()->composing()->value_name("SELECTOR"),
      "take these pieces away first: a name pattern or @name")(
      "nudge", po::value<std::vector<std::string>>()->composing()->value_name("PIECE=X,Y,Z"),
      "move a piece by so much first; it and what it touches settle")(
      "as-mesh", po::value<std::string>()->value_name("FILE"),
      "write how it lies as plain geometry too: .obj, .ply as one mesh, .usda, .glb as linked instances")(
      "lively", po::bool_switch(), "let things bounce and roll as they do; else they are calmed")(
      "threads", po::value<int>()->default_value(0), "how many threads share the work (default: one a core)")(
      "json", po::bool_switch(), "the outcome as JSON on stdout");
  const Parsed p = parse(arguments, "settle SETUP [options]",
                         "Simulates until all rests and writes how it lies: a cache of one frame, for "
                         "start_from = { cache = FILE }. What leaves keep_inside is removed and named.",
                         options, "setup", 1);
  if (p.help) return kDone;
  const auto setup_path = p.as<std::string>("setup");
  const auto overrides = p.has("set") ? p.as<std::vector<std::string>>("set") : std::vector<std::string>();
  files::Setup setup = files::readSetup(setup_path, overrides);
  files::RunOptions run;
  run.cache_path = p.as<std::string>("output");
  if (run.cache_path.empty())
    run.cache_path =
        "out/" + std::filesystem::path(setup_path).stem().string() + std::string(files::kSettled) + ".drub";
  run.force = p.as<bool>("force");
  run.overrides = overrides;
  run.machine.threads = threadsFor(p.as<int>("threads"));
  run.settle.emplace();
  run.settle->most_frames = p.as<int>("most-frames");
  run.settle->lively = p.as<bool>("lively");
  if (p.has("drop")) run.settle->drop = p.as<std::vector<std::string>>("drop");
  if (p.has("nudge"))
    for (const std::string& text : p.as<std::vector<std::string>>("nudge"))
      run.settle->nudges.push_back(nudgeOf(text, setup.unit));
  if (const auto again = p.as<std::string>("again"); !again.empty()) startAgain(again, run.cache_path, setup);
  if (run.settle->most_frames < 1)
    throw Error(ErrorKind::Usage, "--most-frames must be at least 1: how long to wait for rest");
  const std::string mesh = p.has("as-mesh") ? p.as<std::string>("as-mesh") : "";
  if (!mesh.empty() && !files::isStillPath(mesh))
    throw Error(ErrorKind::Usage,
                fmt::format("--as-mesh '{}' ends in none of .obj, .ply, .usda, .glb", mesh));
  run.stop = stopAsked;
  ProgressLine line;
  run.progress = [&](const files::RunProgress& r) { line.tell(r); };
  run.say = [&](const std::string& what) { line.say(what); };
  run.making = [&](const std::string& what, double share) { line.tell(what, share); };
  catchStopSignals();
  const files::RunOutcome done = files::simulate(setup, run);
  line.close();
  for (const std::string& n : done.notes) std::cerr << "note: " << n << "\n";
  if (!mesh.empty()) {
    files::CacheReader cache(run.cache_path);
    writeStill(cache, mesh);
    std::cerr << fmt::format("wrote {}\n", mesh);
  }
  if (p.as<bool>("json")) {
    std::cout << nlohmann::json({{"cache", run.cache_path},
                                 {"frame", done.last_frame},
                                 {"rests", !done.stopped},
                                 {"pieces", done.pieces},
                                 {"seconds", done.seconds},
                                 {"motion_digest", done.digest},
                                 {"strays", done.strays},
                                 {"dropped", done.dropped},
                                 {"on_nothing", done.on_nothing},
                                 {"on_edge", done.on_edge},
                                 {"too_high", done.too_high},
                                 {"moving", done.moving}})
                     .dump(2)
              << "\n";
    return done.stopped ? kStopped : kDone;
  }
  if (done.stopped)
    std::cerr << fmt::format("not at rest by frame {}: more with --most-frames, or more friction\n",
                             done.last_frame);
  std::cout << fmt::format("wrote {}: {} pieces {} frame {}, in {:.1f} s\n", run.cache_path, done.pieces,
                           done.stopped ? "as they are in" : "at rest from", done.last_frame, done.seconds);
  list("strays removed", done.strays);
  list("still moving", done.moving);
  list("rest on nothing", done.on_nothing);
  list("stand on edge or on end", done.on_edge);
  list("lie above nearly all others", done.too_high);
  return done.stopped ? kStopped : kDone;
}

}  // namespace drubble::cli
