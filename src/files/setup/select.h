// SPDX-License-Identifier: Apache-2.0
// Which pieces a selector takes.
#pragma once
#include "files/setup/build_scene.h"

namespace drubble::files {

// "*" stands for anything within a step of the path, "**" for anything across steps.
bool matchesName(const std::string& pattern, const std::string& name);

// Resolves selectors against the pieces of a scene, where they start. Complains (once a selector) about what
// matches nothing, with the nearest names there are.
class Selecting {
 public:
  Selecting(const Setup& setup, const BuiltScene& built, std::vector<Problem>& problems)
      : setup_(setup), built_(built), problems_(problems) {}

  // Ascending.
  std::vector<PieceId> take(const Selector& s);
  // One that may be empty, as typed on a command line; throws Error(Usage) for unknown selections.
  std::vector<PieceId> take(const std::string& text);

 private:
  std::vector<PieceId> named(const std::string& name, const Where& where, int depth);
  std::vector<PieceId> take(const Selector& s, int depth);
  void narrow(const SelectSetup& s, std::vector<PieceId>& pieces, int depth);
  bool within(const SelectSetup::Region& r, PieceId p);
  void keepTouching(const std::vector<PieceId>& others, std::vector<PieceId>& pieces) const;
  void keepOutermost(std::vector<PieceId>& pieces) const;
  std::string nearestPiece(const std::string& pattern) const;

  const Setup& setup_;
  const BuiltScene& built_;
  std::vector<Problem>& problems_;
};

// Complains when no piece is called so.
std::optional<world::Region> regionOf(const std::optional<SelectSetup::Region>& r, const BuiltScene& built,
                                      std::vector<Problem>& problems);

}  // namespace drubble::files
