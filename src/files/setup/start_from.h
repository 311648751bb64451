// SPDX-License-Identifier: Apache-2.0
// A setup that starts where a cache was.
#pragma once
#include <map>
#include <memory>
#include <set>
#include <string>
#include <string_view>
#include <utility>

#include "files/cache/reader.h"
#include "files/setup/build_scene.h"

namespace drubble::files {

// How arrangements are called that settle leaves, unless told: after the setup, and this.
inline constexpr std::string_view kSettled = "_settled";

// Where the cache is that a setup starts from: beside the setup, or as it is written. The setup, beside that,
// whose arrangement it is by its name; empty: none.
std::string startCache(const Setup& s);
std::string settledSetup(const Setup& s);

// Of one frame of a cache: where pieces of the same names are, which are gone, which bonds and joints have
// gone. What is static or keyed stays as the setup has it.
class StartFrom {
 public:
  // Throws Error(Input) when the cache cannot be read or has no such frame.
  StartFrom(const Setup& s, const StartFromSetup& from);

  // Once pieces stand, before anything refers to them: those that are gone there are left out.
  void leaveOut(BuiltScene& built) const;
  // Once joints are made, which are where the setup has their pieces.
  void apply(const std::vector<PieceId>& who, BuiltScene& built) const;
  // By the names of its pieces: a bond of theirs had gone.
  bool brokeBond(const std::string& a, const std::string& b) const;

 private:
  const StartFromSetup& from_;
  std::unique_ptr<CacheReader> cache_;
  int frame_ = 0;
  std::vector<PieceState> states_;
  std::map<std::string, std::size_t> known_;
  std::set<std::pair<std::string, std::string>> broken_;
  std::set<std::string> broken_joints_;
};

}  // namespace drubble::files
