// SPDX-License-Identifier: Apache-2.0
// What is copied in several sizes and colours: prototypes of each, made when they are first asked for.
#pragma once
#include <functional>
#include <map>
#include <string>
#include <tuple>
#include <vector>

#include "files/setup/body_maker.h"
#include "files/setup/kits.h"

namespace drubble::files {

class KitMaker {
 public:
  // Adds a prototype, with all that stands beside it in the built scene.
  using Store = std::function<void(const BodySetup&, MadeBody, MaterialId)>;

  KitMaker(const Setup& s, BuiltScene& out, BodyMaker& maker, const std::map<std::string, Kit>& kits,
           Store store, std::vector<Problem>& problems)
      : s_(s), out_(out), maker_(maker), kits_(kits), store_(std::move(store)), problems_(problems) {}

  // Those of copies that are not switched off: by size, in each of them every colour so often as its weight
  // says.
  KitSizes sizesOf(const std::vector<CopySetup>& copies, const SizeSetup& size,
                   const std::vector<ColourSetup>& colours);

 private:
  using Shade = std::optional<std::array<double, 3>>;
  using Times = std::array<double, 3>;  // along its axes
  using Key = std::tuple<std::string, Times, Shade>;

  const BodySetup& bodyOf(const Kit& kit) const;
  const Kit& sized(const Kit& plain, const Times& times, const Shade& shade);
  PrototypeId bodySized(const Kit& plain, const Times& times, const Shade& shade);
  Kit groupSized(const Kit& plain, double times, const Shade& shade);
  Kit cutSized(const Kit& plain, double times, const Shade& shade);

  const Setup& s_;
  BuiltScene& out_;
  BodyMaker& maker_;
  const std::map<std::string, Kit>& kits_;
  Store store_;
  std::vector<Problem>& problems_;
  std::map<Key, Kit> made_;
  std::map<Key, PrototypeId> bodies_;
};

}  // namespace drubble::files
