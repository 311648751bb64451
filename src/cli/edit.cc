// SPDX-License-Identifier: Apache-2.0
// drubble edit CACHE
#include <fmt/format.h>

#include <filesystem>
#include <iostream>

#include "cli/command.h"
#include "cli/progress.h"
#include "files/cache/edit.h"

namespace drubble::cli {

namespace {

// "1:1,30:24": pairs of numbers.
std::vector<std::pair<double, double>> keysOf(const std::string& text) {
  std::vector<std::pair<double, double>> out;
  for (std::size_t at = 0; at <= text.size();) {
    const std::size_t comma = std::min(text.find(',', at), text.size());
    double frame = 0, of = 0;
    int end = 0;
    const std::string one = text.substr(at, comma - at);
    if (std::sscanf(one.c_str(), "%lf:%lf%n", &frame, &of, &end) != 2 ||
        static_cast<std::size_t>(end) != one.size())
      throw Error(ErrorKind::Usage,
                  fmt::format("--times '{}' is not NEW:OLD,NEW:OLD, like 1:1,24:24,72:36", text));
    out.emplace_back(frame, of);
    at = comma + 1;
  }
  return out;
}

// "deck/*@40"
files::EditOptions::Freeze freezeOf(const std::string& text) {
  const std::size_t at = text.rfind('@');
  int frame = 0, end = 0;
  if (at == std::string::npos || std::sscanf(text.c_str() + at + 1, "%d%n", &frame, &end) != 1 ||
      at + 1 + static_cast<std::size_t>(end) != text.size())
    throw Error(ErrorKind::Usage, fmt::format("--freeze '{}' is not SELECTOR@FRAME, like 'deck/*@40'", text));
  return {text.substr(0, at), frame};
}

}  // namespace

int editCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("cache", po::value<std::string>()->required(), "which")(
      "output,o", po::value<std::string>()->default_value(""),
      "where the new cache goes (default: NAME.edited.drub)")("force", po::bool_switch(),
                                                              "replace a cache that is there already")(
      "frames", po::value<std::string>()->value_name("FIRST-LAST"), "keep these: 12-60")(
      "frame", po::value<int>(), "keep this one alone: an arrangement to start from")(
      "slower", po::value<double>()->default_value(1),
      "how many times as long it takes: 2, or 0.5 for half as long")(
      "times", po::value<std::string>()->value_name("NEW:OLD,…"),
      "or by keys, which frame is which old one: 1:1,24:24,72:36")(
      "hold-first", po::value<int>()->default_value(0)->value_name("FRAMES"), "so many still ones before")(
      "hold-last", po::value<int>()->default_value(0)->value_name("FRAMES"), "so many still ones after")(
      "start-at", po::value<int>()->value_name("FRAME"), "the number of the first frame")(
      "freeze", po::value<std::vector<std::string>>()->composing()->value_name("SELECTOR@FRAME"),
      "these pieces stay where they are in an (old) frame, as often as needed")(
      "drop", po::value<std::vector<std::string>>()->composing()->value_name("SELECTOR"),
      "these pieces are gone")("join", po::value<std::string>()->default_value("")->value_name("CACHE"),
                               "its frames come after; it has the same pieces");
  const Parsed p =
      parse(arguments, "edit CACHE [options]",
            "Makes another cache of one, which stays as it is. Nothing is simulated.", options, "cache", 1);
  if (p.help) return kDone;
  files::EditOptions o;
  o.path = p.as<std::string>("output");
  if (o.path.empty())
    o.path = std::filesystem::path(p.as<std::string>("cache")).replace_extension(".edited.drub").string();
  o.force = p.as<bool>("force");
  const FramesAsked frames = framesAsked(p);
  o.first = frames.first;
  o.last = frames.last;
  o.slower = p.as<double>("slower");
  if (!(o.slower >= 0.01 && o.slower <= 1000))
    throw Error(ErrorKind::Usage, fmt::format("--slower {} is not from 0.01 to 1000", o.slower));
  if (p.has("times")) o.keys = keysOf(p.as<std::string>("times"));
  if (p.has("times") && o.slower != 1)
    throw Error(ErrorKind::Usage, "--times and --slower both say how fast: use one");
  o.hold_first = p.as<int>("hold-first");
  o.hold_last = p.as<int>("hold-last");
  for (const int n : {o.hold_first, o.hold_last})
    if (n < 0 || n > 1'000'000) throw Error(ErrorKind::Usage, fmt::format("{} frames cannot be held", n));
  if (p.has("start-at")) o.starts_at = p.as<int>("start-at");
  if (p.has("freeze"))
    for (const std::string& text : p.as<std::vector<std::string>>("freeze"))
      o.freezes.push_back(freezeOf(text));
  if (p.has("drop")) o.drops = p.as<std::vector<std::string>>("drop");
  o.join = p.as<std::string>("join");
  catchStopSignals();
  o.stop = stopAsked;
  ProgressLine line;
  o.progress = [&](double share) { line.tell("frames", share); };
  files::CacheReader cache(p.as<std::string>("cache"));
  const files::Edited done = editCache(cache, o);
  line.close();
  std::string told;
  const auto tell = [&](std::size_t n, const char* what, const char* how) {
    if (n > 0) told += fmt::format(", {} {}{} {}", n, what, n == 1 ? "" : "s", how);
  };
  tell(done.frozen, "piece", "frozen");
  tell(done.dropped, "piece", "gone");
  tell(done.joined, "frame", "joined");
  std::cout << fmt::format("wrote {}: frames {} to {}{}\n", o.path, done.first_frame, done.last_frame, told);
  return kDone;
}

}  // namespace drubble::cli
