// SPDX-License-Identifier: Apache-2.0
// How commands build scenes: all cores, what takes long told on stderr, costly shapes kept in out/parts.
#pragma once
#include <iostream>

#include "cli/command.h"
#include "files/setup/build_scene.h"

namespace drubble::cli {

inline files::BuiltScene built(const files::Setup& setup, int threads = 0) {
  Team team(threadsFor(threads));
  files::Building how;
  how.team = &team;
  how.store = "out/parts";
  how.say = [](const std::string& what) { std::cerr << what << "\n"; };
  return files::buildScene(setup, how);
}

}  // namespace drubble::cli
