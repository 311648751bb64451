// SPDX-License-Identifier: Apache-2.0
#include "files/pair_list.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <fstream>

#include "files/points.h"

namespace drubble::files {

namespace {

constexpr std::array<const char*, 4> kColumns = {"a", "b", "strength", "area"};
constexpr std::size_t kNowhere = 1000;

}  // namespace

std::vector<ListedPair> readPairList(const std::string& path) {
  std::ifstream in(path);
  if (!in)
    throw Error(ErrorKind::Input, "cannot read the list of bonds: no such file, or no permission",
                Where{path, 0, 0, ""});
  std::vector<ListedPair> out;
  std::array<std::size_t, 4> column = {0, 1, 2, 3};
  int number = 0;
  bool begun = false;
  for (std::string line; std::getline(in, line);) {
    ++number;
    const std::vector<std::string> words = columnsOf(line);
    if (words.empty()) continue;
    const Where where{path, number, 1, line};
    const auto named = [&](const char* name) { return std::find(words.begin(), words.end(), name); };
    if (!begun && named("a") != words.end() && named("b") != words.end()) {
      for (std::size_t k = 0; k < kColumns.size(); ++k)
        column[k] = named(kColumns[k]) == words.end()
                        ? kNowhere
                        : static_cast<std::size_t>(named(kColumns[k]) - words.begin());
      begun = true;
      continue;
    }
    begun = true;
    if (column[0] >= words.size() || column[1] >= words.size())
      throw Error(ErrorKind::Input, "a bond needs the names of two pieces: a and b", where);
    ListedPair& p = out.emplace_back();
    p.a = words[column[0]];
    p.b = words[column[1]];
    p.where = where;
    const auto read = [&](std::size_t k, double& x) {
      if (column[k] >= words.size()) return false;
      if (!toNumber(words[column[k]], x) || x < 0)
        throw Error(
            ErrorKind::Input,
            fmt::format("'{}' is no {}: give a number that is not negative", words[column[k]], kColumns[k]),
            where);
      return true;
    };
    read(2, p.times);
    double area = 0;
    if (read(3, area)) p.area = area;
  }
  if (out.empty()) throw Error(ErrorKind::Input, "the file lists no bonds", Where{path, 0, 0, ""});
  return out;
}

}  // namespace drubble::files
