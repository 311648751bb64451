// SPDX-License-Identifier: Apache-2.0
// Where a run goes, and from where it goes on.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "cli/progress.h"
#include "files/simulate.h"

namespace drubble::cli {

namespace {

// "out/jetty.drub" and 12: "out/jetty.012.drub".
std::string numbered(const std::filesystem::path& path, int number) {
  return (path.parent_path() /
          fmt::format("{}.{:03}{}", path.stem().string(), number, path.extension().string()))
      .string();
}

// The greatest number that a cache of this name has; 0: there is none.
int lastNumberOf(const std::filesystem::path& path) {
  const std::string before = path.stem().string() + ".", after = path.extension().string();
  const std::filesystem::path folder = path.parent_path().empty() ? "." : path.parent_path();
  int last = 0;
  std::error_code ignored;
  for (const auto& entry : std::filesystem::directory_iterator(folder, ignored)) {
    const std::string name = entry.path().filename().string();
    if (name.size() <= before.size() + after.size() || !name.starts_with(before) || !name.ends_with(after))
      continue;
    const std::string number = name.substr(before.size(), name.size() - before.size() - after.size());
    if (number.size() <= 6 && number.find_first_not_of("0123456789") == std::string::npos)
      last = std::max(last, std::stoi(number));
  }
  return last;
}

}  // namespace

void choosePaths(const RunRequest& request, files::RunOptions& options) {
  const std::string plain = request.output.empty()
                                ? "out/" + std::filesystem::path(request.setup).stem().string() + ".drub"
                                : request.output;
  options.cache_path = plain;
  const int last = lastNumberOf(plain);
  if (request.versions) options.cache_path = numbered(plain, request.resume ? std::max(1, last) : last + 1);
  options.resume = request.resume;
  if (request.from.empty()) return;
  const std::size_t colon = request.from.rfind(':');
  const std::string number = request.from.substr(colon == std::string::npos ? 0 : colon + 1);
  if (number.empty() || number.size() > 7 || number.find_first_not_of("0123456789-") != std::string::npos ||
      number.find('-', 1) != std::string::npos || number == "-")
    throw Error(
        ErrorKind::Usage,
        fmt::format("--from '{}' is not FRAME or CACHE:FRAME, like 40 or out/jetty.drub:40", request.from));
  options.from = files::RunOptions::From{colon == std::string::npos ? plain : request.from.substr(0, colon),
                                         std::stoi(number)};
  if (request.output.empty() && !request.versions) options.cache_path = numbered(plain, last + 1);
}

}  // namespace drubble::cli
