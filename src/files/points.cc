// SPDX-License-Identifier: Apache-2.0
#include "files/points.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <fstream>

#include "core/base/error.h"
#include "files/meshes.h"

namespace drubble::files {

std::vector<std::string> columnsOf(const std::string& line) {
  std::vector<std::string> out;
  std::string word;
  const auto end = [&] {
    if (!word.empty()) out.push_back(word);
    word.clear();
  };
  for (const char c : line) {
    if (c == '#') break;
    if (c == ',' || c == ';' || c == ' ' || c == '\t' || c == '\r')
      end();
    else if (c != '"')
      word += c;
  }
  end();
  return out;
}

bool toNumber(const std::string& word, double& x) {
  const auto [end, code] = std::from_chars(word.data(), word.data() + word.size(), x);
  return code == std::errc{} && end == word.data() + word.size() && std::isfinite(x);
}

namespace {

std::vector<Vec3> readCsv(const std::string& path) {
  std::ifstream in(path);
  if (!in)
    throw Error(ErrorKind::Input, "cannot read the places: no such file, or no permission",
                Where{path, 0, 0, ""});
  std::vector<Vec3> out;
  std::array<std::size_t, 3> column = {0, 1, 2};
  bool begun = false;
  int number = 0;
  for (std::string line; std::getline(in, line);) {
    ++number;
    const std::vector<std::string> words = columnsOf(line);
    if (words.empty()) continue;
    const Where where{path, number, 1, line};
    double first = 0;
    if (!begun && !toNumber(words[0], first)) {
      for (std::size_t k = 0; k < 3; ++k) {
        const std::string wanted(1, static_cast<char>('x' + k));
        const auto at = std::find_if(words.begin(), words.end(), [&](std::string w) {
          std::transform(w.begin(), w.end(), w.begin(),
                         [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
          return w == wanted;
        });
        if (at == words.end())
          throw Error(ErrorKind::Input,
                      fmt::format("no column is called {}: name three of them x, y and z", wanted), where);
        column[k] = static_cast<std::size_t>(at - words.begin());
      }
      begun = true;
      continue;
    }
    begun = true;
    Vec3 p;
    for (std::size_t k = 0; k < 3; ++k)
      if (column[k] >= words.size() || !toNumber(words[column[k]], p[static_cast<Eigen::Index>(k)]))
        throw Error(ErrorKind::Input, "a place needs three numbers: x, y and z", where);
    out.push_back(p);
  }
  return out;
}

}  // namespace

std::vector<Vec3> readPoints(const std::string& path) {
  std::vector<Vec3> out =
      path.ends_with(".csv") || path.ends_with(".txt") ? readCsv(path) : readVertices(path);
  if (out.empty()) throw Error(ErrorKind::Input, "the file holds no places", Where{path, 0, 0, ""});
  return out;
}

}  // namespace drubble::files
