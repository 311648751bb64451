// SPDX-License-Identifier: Apache-2.0
// How commands build scenes: all cores, what takes long told on stderr, costly shapes kept in out/parts.
#pragma once
#include "cli/command.h"
#include "cli/progress.h"
#include "files/setup/build_scene.h"

namespace drubble::cli {

inline files::BuiltScene built(const files::Setup& setup, int threads = 0) {
  Team team(threadsFor(threads));
  files::Building how;
  how.team = &team;
  how.store = "out/parts";
  ProgressLine line;
  how.say = [&](const std::string& what) { line.say(what); };
  how.progress = [&](const std::string& what, double share) { line.tell(what, share); };
  return files::buildScene(setup, how);
}

}  // namespace drubble::cli
