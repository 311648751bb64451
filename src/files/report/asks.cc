// SPDX-License-Identifier: Apache-2.0
#include "files/report/asks.h"

#include <fmt/format.h>

#include <map>

namespace drubble::files {

std::string saidAsks(const std::string& asks, const std::string& piece) {
  static const std::map<std::string, const char*> kWords = {
      {"travel", "flies far for its size"},
      {"sliding", "goes fast past what it touches"},
      {"bending", "is near a surface that changes its form fast"},
      {"load", "bears or gives a heavy load"},
      {"turning", "turns fast on its joint"},
      {"springing", "hangs on a stiff spring"}};
  const auto found = kWords.find(asks);
  return found == kWords.end() ? "" : fmt::format(": '{}' {}", piece, found->second);
}

}  // namespace drubble::files
