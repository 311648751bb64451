// SPDX-License-Identifier: Apache-2.0
#include "cli/command.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <csignal>
#include <iostream>
#include <thread>

namespace drubble::cli {

const std::vector<Command> kCommands = {
    {"check", "find trouble in a setup before time is spent on it", checkCommand},
    {"cut", "cut the bodies that a setup breaks into pieces, and tell what comes of it", cutCommand},
    {"run", "simulate a setup to a cache", runCommand},
    {"settle", "simulate until all rests, and keep how it lies, to start from", settleCommand},
    {"report", "the measures of a cache: penetration, jitter, rest, strays, times", reportCommand},
    {"draw", "stills and sheets from a cache or a setup", drawCommand},
    {"edit", "another cache of one: a range, held, slower, frozen, joined", editCommand},
    {"export", "hand motion or events on: USD, glTF, PLY, OBJ, CSV", exportCommand},
    {"cache", "what a cache holds, and whether it is whole", cacheCommand},
    {"demo", "list or run the demos that come with Drubble", demoCommand},
};

namespace {

std::string tidied(const po::error& e) {
  std::string what = e.what();
  // The library's messages name the option already; two of its phrasings read oddly.
  for (const auto& [from, to] :
       {std::pair<std::string, std::string>{"unrecognised option", "there is no option"},
        {"the argument for option", "the value of"}})
    if (const std::size_t at = what.find(from); at != std::string::npos) what.replace(at, from.size(), to);
  return what;
}

std::atomic<int> g_stop{0};
static_assert(std::atomic<int>::is_always_lock_free);

// The first one asks; the second one does not.
void onSignal(int signal) {
  if (g_stop.fetch_add(1) > 0) std::_Exit(128 + signal);
}

}  // namespace

Parsed parse(const std::vector<std::string>& arguments, const std::string& usage, const std::string& about,
             const po::options_description& options, const char* positional, int most) {
  po::options_description all = options;
  all.add_options()("help,h", "this text");
  po::positional_options_description words;
  if (positional != nullptr) words.add(positional, most);
  Parsed out;
  try {
    using po::command_line_style::allow_guessing;
    using po::command_line_style::unix_style;
    const auto parsed = po::command_line_parser(arguments)
                            .options(all)
                            .positional(words)
                            .style(unix_style & ~allow_guessing)
                            .run();
    po::store(parsed, out.values);
    if (out.has("help")) {
      // The positional is in the usage line; it is not listed again.
      po::options_description shown("Options", 100);
      for (const auto& o : options.options())
        if (positional == nullptr || o->long_name() != positional) shown.add(o);
      shown.add_options()("help,h", "this text");
      std::cout << "usage: drubble " << usage << "\n\n" << about << "\n\n" << shown;
      out.help = true;
      return out;
    }
    po::notify(out.values);
  } catch (const po::error& e) {
    const std::string name = usage.substr(0, usage.find(' '));
    throw Error(ErrorKind::Usage, fmt::format("{}; try drubble {} --help", tidied(e), name));
  }
  return out;
}

std::pair<int, int> frameRange(const std::string& text) {
  int first = 0, last = 0, end = 0;
  if (std::sscanf(text.c_str(), "%d-%d%n", &first, &last, &end) != 2 ||
      static_cast<std::size_t>(end) != text.size())
    throw Error(ErrorKind::Usage, fmt::format("--frames '{}' is not FIRST-LAST, like 1-48", text));
  return {first, last};
}

FramesAsked framesAsked(const Parsed& p) {
  if (p.has("frames") && p.has("frame"))
    throw Error(ErrorKind::Usage, "--frame is one, --frames are many: use one");
  FramesAsked out;
  if (p.has("frame")) out.first = out.last = p.as<int>("frame");
  if (p.has("frames")) std::tie(out.first, out.last) = frameRange(p.as<std::string>("frames"));
  return out;
}

int threadsFor(int asked) {
  if (asked < 0 || asked > 256)
    throw Error(ErrorKind::Usage, fmt::format("--threads {} is not from 1 to 256", asked));
  if (asked > 0) return asked;
  return std::max(1, static_cast<int>(std::thread::hardware_concurrency()));
}

bool stopAsked() { return g_stop.load() > 0; }

void catchStopSignals() {
  std::signal(SIGINT, onSignal);
  std::signal(SIGTERM, onSignal);
}

}  // namespace drubble::cli
