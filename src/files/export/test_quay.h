// SPDX-License-Identifier: Apache-2.0
// A small shot for the tests of exports, and what they read back.
#pragma once
#include <catch2/catch.hpp>
#include <fstream>
#include <map>
#include <sstream>

#include "files/export/usd.h"
#include "files/simulate.h"
#include "files/test_folder.h"

namespace drubble::files::test {

// A cut block that falls on a quay, a hidden post, and floats that are poured, in centimetres, half as fast.
inline const char* kQuay = R"(
units = "cm"
frames = [1, 30]
time_scale = 0.5
[[body]]
name = "quay"
ground = 0
[[body]]
name = "block"
box = [60, 40, 50]
at = [0, 90, 0]
turn = [10, 20, 0]
spin = [0, 90, 40]
material = "pine"
[[cut]]
of = "block"
pattern = "scatter"
count = 5
[[bond]]
name = "glue"
among = "block/*"
strength = 0.002
[[body]]
name = "post"
box = [5, 200, 5]
origin = "base"
at = [150, 0, 0]
role = "static"
show = "no"
[[body]]
name = "bollard"
cylinder = [10, 40]
origin = "base"
at = [-150, 0, 0]
role = "static"
[[watch]]
name = "rubble"
who = "block/*"
keep_contacts = true
[[body]]
name = "float"
sphere = 8
[[pour]]
name = "floats"
copies = { float = 1 }
from = { point = [100, 150, 100] }
per_frame = 1
limit = 4
speed = 300
frames = [5, 24]
)";

struct Made {
  TestFolder folder{"drubble_export"};
  std::string path;
  Made() {
    RunOptions options;
    options.cache_path = path = folder.at("quay.drub");
    options.force = true;
    simulate(parseSetup(folder.at("quay.toml"), kQuay), options);
  }
};

inline const Made& made() {
  static const Made m;
  return m;
}

inline std::string textOf(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream out;
  out << in.rdbuf();
  return out.str();
}

inline std::vector<double> numbersIn(const std::string& text) {
  std::vector<double> out;
  std::string only;
  for (const char c : text) only += std::string("[](),:").find(c) != std::string::npos ? ' ' : c;
  std::istringstream in(only);
  for (double x; in >> x;) out.push_back(x);
  return out;
}

// The time samples of an attribute: numbers by time.
inline std::map<double, std::vector<double>> samplesOf(const std::string& usd, const std::string& attribute,
                                                       std::size_t from = 0) {
  const std::size_t start = usd.find(attribute + ".timeSamples = {\n", from);
  REQUIRE(start != std::string::npos);
  std::istringstream lines(usd.substr(start, usd.find("}\n", start) - start));
  std::string line;
  std::getline(lines, line);
  std::map<double, std::vector<double>> out;
  while (std::getline(lines, line))
    if (const std::size_t colon = line.find(':'); colon != std::string::npos)
      out[std::stod(line)] = numbersIn(line.substr(colon + 1));
  return out;
}

// "rel x = [a, b]" or "int[] x = [1, 2]", up to the line's end.
inline std::string valueOf(const std::string& usd, const std::string& attribute, std::size_t from = 0) {
  const std::size_t start = usd.find(attribute + " = ", from);
  REQUIRE(start != std::string::npos);
  return usd.substr(start + attribute.size() + 3, usd.find('\n', start) - start - attribute.size() - 3);
}

struct Exporting {
  ExportOptions options;
  CacheReader cache{made().path};
  explicit Exporting(const std::string& name) { options.path = made().folder.at(name); }
  std::string usd(UsdForm form, bool bonds = false) {
    Shot shot(cache, options);
    writeUsd(shot, form, bonds);
    return textOf(options.path);
  }
};

}  // namespace drubble::files::test
