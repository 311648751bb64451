// SPDX-License-Identifier: Apache-2.0
// What is placed as one, a body or a group of loose parts, and the placing of it.
#pragma once
#include <map>

#include "core/place/layout.h"
#include "files/setup/build_scene.h"

namespace drubble::files {

struct Kit {
  struct Part {
    PrototypeId prototype;
    Pose pose;  // of its body frame, in the kit's space
    std::string name;
  };
  bool group = false;  // of loose parts; else of one body, whose body space is the kit's
  bool apart = false;  // its parts are pieces of their own, called NAME/PART
  std::string name;
  Where where;
  std::vector<Part> parts;
  Pose pose;                   // where it stands if nothing copies it: kit's space to the world
  Vec3 origin = Vec3::Zero();  // of a group's own space, in the kit's
  Vec3 centre = Vec3::Zero();  // of mass, in the kit's space
  Vec3 velocity = Vec3::Zero(), spin = Vec3::Zero();  // of a group, added to its parts' own
  Vec3 size = Vec3::Zero();                           // of the box about its shapes
  double times = 1;                                   // of a group: as large as it is told
};

// Of what is copied, by name, all sizes that there are of it.
using KitSizes = std::map<std::string, std::vector<const Kit*>>;

// A body as a kit.
Kit kitOf(const BuiltScene& built, PrototypeId prototype, const Vec3& up);

// A group's parts as a kit, whose space has the middle of the box about the parts as its origin. `parts`: its
// bodies' prototypes, which are `times` as large as they are told.
Kit kitOf(const BuiltScene& built, const BodySetup& group, const std::vector<PrototypeId>& parts,
          const Vec3& up, double times = 1);

// Adds pieces to the scene, and remembers where each came from.
class Placer {
 public:
  Placer(const Setup& s, BuiltScene& out, std::vector<Problem>& problems)
      : s_(s), out_(out), problems_(problems) {}

  // One that nothing copies.
  void stand(const Kit& kit) { add(kit, kit.name, kit.pose, kit.where); }
  // One that is poured later, from `pose`. Returns the first of its pieces.
  std::uint32_t keepBack(const Kit& kit, const std::string& name, const Pose& pose, const Where& where);
  // Copies of some of `kits`, by name; those that find no room are left out and told.
  void place(const PlaceSetup& p, const KitSizes& kits);
  void checkNames();

 private:
  class Taken;  // what stands already
  void add(const Kit& kit, const std::string& name, const Pose& pose, const Where& where);
  struct Copied;
  void fill(const PlaceSetup& p, const place::LayoutSpec& g, const Copied& copied);
  void scatter(const PlaceSetup& p, const Copied& copied);
  std::optional<Pose> spotsOf(const PlaceSetup& p, place::Source& source);

  const Setup& s_;
  BuiltScene& out_;
  std::vector<Problem>& problems_;
  std::vector<Where> wheres_;  // of each piece
};

}  // namespace drubble::files
