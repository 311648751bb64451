// SPDX-License-Identifier: Apache-2.0
// What is wrong with a setup, for tests.
#pragma once
#include <string>
#include <vector>

#include "files/setup/build_scene.h"

namespace drubble::files {

inline std::vector<std::string> problemsOf(const std::string& text) {
  std::vector<std::string> out;
  try {
    buildScene(parseSetup("test.toml", text));
  } catch (const Error& e) {
    for (const Problem& p : e.problems()) out.push_back(p.message);
  }
  return out;
}

// The only one; else how many there are.
inline std::string oneProblemOf(const std::string& text) {
  const std::vector<std::string> all = problemsOf(text);
  return all.size() == 1 ? all[0] : std::to_string(all.size()) + " problems";
}

}  // namespace drubble::files
