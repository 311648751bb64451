// SPDX-License-Identifier: Apache-2.0
// What `draw` draws from.
#pragma once
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <memory>
#include <set>

#include "cli/building.h"
#include "draw/bonds.h"
#include "draw/forces.h"
#include "draw/joints.h"
#include "draw/render.h"
#include "draw/sources.h"
#include "draw/tracer.h"
#include "files/setup/select.h"

namespace drubble::cli {

using namespace drubble::draw;

inline Show showOf(const std::string& text) {
  if (text == "mesh") return Show::Mesh;
  if (text == "shapes") return Show::Shapes;
  if (text == "both") return Show::Both;
  throw Error(ErrorKind::Usage,
              fmt::format("--show '{}' is not mesh, joints, bonds, forces, pieces, shapes or both", text));
}

// What is drawn from: a cache or, before any run, a setup.
class Source {
 public:
  Source(const std::string& path, const std::vector<std::string>& overrides) : path_(path) {
    if (std::filesystem::path(path).extension() == ".toml") {
      setup_ = files::readSetup(path, overrides);
      built_ = built(*setup_);
      stage_ = stageOf(*setup_, *built_);
      // Only what is keyed moves before a run.
      const bool keyed = !built_->scene.movers.empty() ||
                         std::any_of(built_->scene.prototypes.begin(), built_->scene.prototypes.end(),
                                     [](const world::Prototype& p) { return !p.bends.empty(); });
      joints_ = files::jointsOf(built_->scene);
      addLines(stage_, joints_, momentOf(*built_, setup_->first_frame));
      addSources(stage_, *built_, momentOf(*built_, setup_->first_frame));
      const int last = keyed || !setup_->forces.empty() ? setup_->last_frame : setup_->first_frame;
      for (int f = setup_->first_frame; f <= last; ++f) frames_.push_back(f);
      return;
    }
    if (!overrides.empty())
      throw Error(ErrorKind::Usage, "--set changes a setup; a cache is what was simulated");
    cache_ = std::make_unique<files::CacheReader>(path);
    stage_ = stageOf(*cache_);
    for (const files::CachedFrame& f : cache_->frames()) frames_.push_back(f.frame);
    joints_ = cache_->joints();
    addLines(stage_, joints_, momentOf(*cache_, frames_.front()));
  }

  const Stage& stage() const { return stage_; }
  const std::vector<int>& frames() const { return frames_; }
  Moment moment(int frame) {
    if (!std::binary_search(frames_.begin(), frames_.end(), frame))
      throw Error(ErrorKind::Usage, fmt::format("'{}' has no frame {}: it holds {} to {}", path_, frame,
                                                frames_.front(), frames_.back()));
    Moment m = cache_ ? momentOf(*cache_, frame) : momentOf(*built_, frame);
    for (const StagePiece& p : stage_.pieces)
      if (!p.aside.isZero(0)) m.poses[p.pose].position += p.aside;  // marks have no pose yet
    bendLines(stage_, brokenBy(frame), m);
    return m;
  }
  // The frame that is drawn unless another is asked for.
  int usual() const { return cache_ ? frames_.back() : frames_.front(); }
  void show(const std::string& what, double apart, const std::vector<int>& frames) {
    if (what == "pieces") return pullApart(apart);
    if (what == "bonds") return showBonds(frames);
    if (what == "forces") return showForces(frames);
    if (what != "joints") return show(showOf(what));
    if (joints_.empty()) throw Error(ErrorKind::Usage, fmt::format("'{}' has no joints to show", path_));
    addMarks(stage_, joints_, moment(frames_.front()));
  }
  std::vector<files::CachedBond> bonds() {
    std::vector<files::CachedBond> out = cache_ ? cache_->bonds() : files::bondsIn(built_->scene);
    if (out.empty()) throw Error(ErrorKind::Usage, fmt::format("'{}' has no bonds to show", path_));
    return out;
  }
  // By the frame, one flag a bond.
  std::vector<char> bondsBrokenBy(int frame, std::size_t bonds) {
    std::vector<char> broken(bonds, 0);
    if (cache_)
      for (const files::CachedBondBreak& b : cache_->bondBreaks())
        if (b.frame <= frame) broken[b.bond] = 1;
    return broken;
  }
  void showBonds(const std::vector<int>& frames) {
    const std::vector<files::CachedBond> all = bonds();
    if (frames.size() > 1)
      throw Error(ErrorKind::Usage,
                  "--show bonds draws one frame: which of them hold is another matter in each");
    addBonds(stage_, all, bondsBrokenBy(frames.front(), all.size()),
             cache_ ? cache_->bondStress(frames.front()) : std::vector<float>{},
             cache_ ? momentOf(*cache_, frames_.front()) : moment(frames_.front()));
  }
  void showForces(const std::vector<int>& frames) {
    if (!built_)
      throw Error(ErrorKind::Usage, "--show forces needs the setup: it draws their fields before any run");
    if (frames.size() > 1)
      throw Error(ErrorKind::Usage, "--show forces draws one frame: fields are others in each");
    if (addForces(stage_, *built_, moment(frames.front())) == 0)
      throw Error(ErrorKind::Usage,
                  fmt::format("no force of '{}' has a field in frame {}: try another --frame", path_,
                              frames.front()));
  }
  void pullApart(double apart) {
    if (!built_)
      throw Error(ErrorKind::Usage, "--show pieces needs the setup: it draws what is cut before any run");
    if (built_->cuts.empty())
      throw Error(ErrorKind::Usage, fmt::format("'{}' cuts nothing: it has no pieces to show", path_));
    showPieces(stage_, *built_, apart);
  }
  // Pieces whose middle lies before the plane are not shown.
  void leaveOut(const Cut& before) {
    const Moment m = momentOf(*built_, frames_.front());
    for (StagePiece& p : stage_.pieces)
      if (before.takes(m.poses[p.pose].position)) p.opacity = 0;
  }
  void show(Show what) {
    if (what == Show::Mesh) return;
    if (!built_)
      throw Error(ErrorKind::Usage, "--show shapes needs the setup: a cache does not hold the shapes");
    showShapes(stage_, *built_, what);
  }
  // Which pieces a selector takes, one flag a piece of the stage.
  std::vector<char> select(const std::string& selector) {
    std::vector<char> out(stage_.pieces.size(), 0);
    std::set<std::string> names;
    if (built_) {
      std::vector<Problem> ignored;
      for (const PieceId p : files::Selecting(*setup_, *built_, ignored).take(selector))
        names.insert(built_->scene.pieces[p.index()].name);
    }
    bool any = false;
    for (std::size_t i = 0; i < out.size(); ++i) {
      const std::string& name = stage_.pieces[i].name;
      out[i] = built_ ? names.contains(name) : files::matchesName(selector, name);
      any = any || out[i];
    }
    if (!any) throw Error(ErrorKind::Usage, fmt::format("no piece of '{}' is called '{}'", path_, selector));
    return out;
  }
  void seeThrough(const std::string& selector) {
    const std::vector<char> taken = select(selector);
    for (std::size_t i = 0; i < taken.size(); ++i)
      if (taken[i]) stage_.pieces[i].opacity = least(stage_.pieces[i].opacity, 0.25);
  }
  std::string stem() const { return std::filesystem::path(path_).stem().string(); }

 private:
  // By the frame, one flag a joint.
  std::vector<char> brokenBy(int frame) {
    std::vector<char> out(joints_.size(), 0);
    if (cache_ && !joints_.empty())
      for (const files::CachedJointBreak& b : cache_->jointBreaks())
        if (b.frame <= frame && b.joint < out.size()) out[b.joint] = 1;
    return out;
  }

  std::string path_;
  std::vector<files::CachedJoint> joints_;
  std::optional<files::Setup> setup_;
  std::optional<files::BuiltScene> built_;
  std::unique_ptr<files::CacheReader> cache_;
  Stage stage_;
  std::vector<int> frames_;
};

}  // namespace drubble::cli
