// SPDX-License-Identifier: Apache-2.0
// drubble cache CACHE
#include <fmt/format.h>

#include <iostream>
#include <nlohmann/json.hpp>

#include "cli/command.h"
#include "files/cache/verify.h"

namespace drubble::cli {

namespace {

using Json = nlohmann::ordered_json;

std::string sizeText(std::uint64_t bytes) {
  if (bytes < 10'000) return fmt::format("{} B", bytes);
  if (bytes < 10'000'000) return fmt::format("{:.1f} kB", static_cast<double>(bytes) / 1e3);
  return fmt::format("{:.1f} MB", static_cast<double>(bytes) / 1e6);
}

Json toJson(const files::CacheReader& cache, const files::CacheContents& c) {
  Json out = {{"cache", cache.path()},        {"state", cache.info().state},
              {"bytes", c.file_bytes},        {"frames", {c.first_frame, c.last_frame}},
              {"key_frames", c.key_frames},   {"checkpoints", c.checkpoints},
              {"milliseconds_a_frame", 0.0},  {"setup", cache.info().setup_path},
              {"parts", Json::object()},      {"notes", c.notes},
              {"lost_frames", c.lost_frames}, {"damage", c.damage},
              {"whole", c.damage.empty()}};
  for (const files::CachePart& p : c.parts) {
    if (p.what == "frames" && p.count > 0)
      out["milliseconds_a_frame"] = 1e3 * c.read_seconds / static_cast<double>(p.count);
    out["parts"][p.what] = {{"count", p.count}, {"bytes", p.bytes}};
  }
  return out;
}

void print(const files::CacheReader& cache, const files::CacheContents& c) {
  const files::CacheInfo& info = cache.info();
  std::cout << fmt::format(
      "{}: {}, frames {} to {}{}, {}\n", cache.path(),
      info.title.empty() ? "no title" : "'" + info.title + "'", c.first_frame, c.last_frame,
      info.last_frame > c.last_frame ? fmt::format(" of {}", info.last_frame) : "", info.state);
  std::cout << fmt::format("  from {}{}\n", info.setup_path,
                           info.overrides.empty() ? "" : ", with other values by --set");
  for (const files::CachePart& p : c.parts) {
    if (p.count == 0) continue;
    std::string more;
    if (p.what == "frames")
      more = fmt::format("; {} of them whole, {:.2f} ms to read one", c.key_frames,
                         1e3 * c.read_seconds / static_cast<double>(p.count));
    if (p.what == "checkpoints") more = fmt::format("; at frames {}", fmt::join(c.checkpoints, ", "));
    std::cout << fmt::format("  {:<12} {:>8}{}{}\n", p.what, p.count,
                             p.bytes > 0 ? "  " + sizeText(p.bytes) : "", more);
  }
  for (const std::string& n : c.notes) std::cout << "  note         " << n << "\n";
  for (const std::string& d : c.damage) std::cout << "damaged: " << d << "\n";
  std::cout << (c.damage.empty() ? fmt::format("all whole: {}\n", sizeText(c.file_bytes))
                                 : fmt::format("not whole: {} of {} frames are lost\n", c.lost_frames.size(),
                                               c.parts.empty() ? 0 : c.parts[0].count));
}

}  // namespace

int cacheCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("cache", po::value<std::string>()->required(), "which")(
      "setup", po::bool_switch(), "the text of the setup it was made from, and no more")(
      "json", po::bool_switch(), "the same as JSON on stdout");
  const Parsed p = parse(arguments, "cache CACHE [options]",
                         "Lists what a cache holds, and reads all of it once to see that it is whole.",
                         options, "cache", 1);
  if (p.help) return kDone;
  files::CacheReader cache(p.as<std::string>("cache"));
  if (p.as<bool>("setup")) {
    std::cout << cache.info().setup_text;
    return kDone;
  }
  const files::CacheContents c = contentsOf(cache);
  if (p.as<bool>("json"))
    std::cout << toJson(cache, c).dump(2) << "\n";
  else
    print(cache, c);
  return c.damage.empty() ? kDone : kNo;
}

}  // namespace drubble::cli
