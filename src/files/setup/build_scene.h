// SPDX-License-Identifier: Apache-2.0
// From a setup to a scene: loads meshes, makes prototypes, places copies.
#pragma once
#include <functional>
#include <string>
#include <vector>

#include "core/base/error.h"
#include "core/base/team.h"
#include "core/cut/pieces.h"
#include "core/cut/rough.h"
#include "core/world/scene.h"
#include "files/setup/setup.h"

namespace drubble::files {

// Who builds a scene, and who is told of it.
struct Building {
  Team* team = nullptr;
  std::function<void(const std::string&)> say;  // what is about to take long
  std::function<void(const std::string&, double)>
      progress;       // what share (0 to 1) of what is done, while it does
  std::string store;  // a folder for what is costly to make; empty: nothing is kept
};

struct BuiltScene {
  world::Scene scene;
  std::vector<std::string> notes;           // what was left out and why, for people
  std::vector<BodySetup> prototype_bodies;  // the body each prototype came from
  std::vector<mesh::TriangleMesh> meshes;   // of each prototype, as loaded and scaled, in the mesh's space
  std::vector<Vec3> anchors;                // of each prototype: what `at` and `turn` place, body space
  std::vector<double> hull_losses;  // of each prototype: m by which its mesh stands out of a smaller hull
  struct IgnoredMotion {
    PieceId piece;
    Where where;
  };
  std::vector<IgnoredMotion> ignored_motions;  // keys of static pieces
  std::vector<Where> joint_wheres;             // of the scene's joints
  // Groups of loose parts as they stand: the parts are called NAME/PART.
  struct GroupCopy {
    std::string name, group;
    Pose pose;         // the group's own space to the world
    double times = 1;  // as large
  };
  std::vector<GroupCopy> group_copies;
  std::vector<PieceId> as_before;  // stand where the cache has them that the setup starts from; ascending
  // How a body was cut, so that another mesh can be cut alike. Places are in its mesh space (m).
  struct CutStep {
    std::string number;  // of the piece that was cut; empty: the whole
    std::vector<Vec3> sites;
    cut::How how;
    struct Part {
      std::uint32_t cell = 0;
      std::string number;
      Vec3 centre = Vec3::Zero();
    };
    std::vector<Part> parts;
  };
  // Bodies that come in pieces: their prototypes are called BODY/0001 and so on.
  struct CutBody {
    std::string name;
    std::uint32_t first = 0, count = 0;      // prototypes
    std::vector<cut::Sliver> slivers;        // given to pieces, counted from 0
    std::size_t lost = 0;                    // pieces thinner than the gap
    double gap = 0, taken = 0;               // m between pieces, m3 that went with it
    cut::Rough rough;                        // what pictures and files make of breaks
    mesh::TriangleMesh whole;                // in its mesh space
    std::vector<cut::Interface> interfaces;  // between the pieces, counted from 0; in the body's mesh space
    std::vector<std::vector<cut::Source>> sources;  // of each piece's triangles
    std::vector<CutStep> steps;
    // The same pieces in other sizes, as prototypes that stand side by side in the same order.
    struct Size {
      std::uint32_t first = 0;
      double times = 1;
    };
    std::vector<Size> sizes;

    // The number of a piece whose prototype this is, in any size; `count`: of none.
    std::uint32_t numberOf(std::size_t prototype) const {
      if (prototype - first < count) return static_cast<std::uint32_t>(prototype - first);
      for (const Size& s : sizes)
        if (prototype - s.first < count) return static_cast<std::uint32_t>(prototype - s.first);
      return count;
    }
  };
  std::vector<CutBody> cuts;
};

// Meshes are found relative to the setup's folder. Throws Error(Input) with every problem found.
BuiltScene buildScene(const Setup& s, const Building& how = {});

}  // namespace drubble::files
