// SPDX-License-Identifier: Apache-2.0
// Looks for trouble in a setup before it is run.
#pragma once
#include <string>
#include <vector>

#include "files/setup/build_scene.h"

namespace drubble::files {

enum class Severity { Error, Warning, Note };

struct Finding {
  Severity severity = Severity::Warning;
  std::string kind;     // "overlap", "mesh", "plugged", "scale", "place"
  std::string message;  // which, how much, and what to change
  std::vector<std::string> pieces;
  double amount = 0;  // metres for an overlap, a share for a plug
};

// Errors first, each kind with its worst first.
std::vector<Finding> checkScene(const Setup& setup, const BuiltScene& built);

// A line of `check --list`.
struct ListedBody {
  std::string name, role, shape, material;
  std::size_t copies = 0;
  double mass = 0;     // kg; 0: does not move
  double size = 0;     // m
  double hollow = 0;   // share of the outline
  double plugged = 0;  // share of the hollow part that the shape fills
};
const char* roleName(world::Role r);
std::vector<ListedBody> listBodies(const BuiltScene& built);

}  // namespace drubble::files
