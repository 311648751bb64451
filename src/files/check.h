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
  std::string kind;     // "overlap", "fit", "keys", "eased", "mesh", "plugged", "scale", "joint", "bond",
                        // "pour", "place", "detail"
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
  double mass = 0;                 // kg; 0: does not move
  double size = 0;                 // m
  double volume_ratio = 1;         // of the shape to the mesh
  double outward = 0, inward = 0;  // m: the shape stands proud, the mesh sticks out
  double hull_loss = 0;            // m: of a hull of fewer corners
  double hollow = 0;               // share of the outline
  double plugged = 0;              // share of the hollow part that the shape fills
};

// What two materials whose pieces can meet come to.
struct Meeting {
  std::string a, b;
  solve::Surfaces surfaces;
};
std::vector<Meeting> listMeetings(const BuiltScene& built);

std::vector<ListedBody> listBodies(const BuiltScene& built);

}  // namespace drubble::files
