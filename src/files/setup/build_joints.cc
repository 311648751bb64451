// SPDX-License-Identifier: Apache-2.0
#include "files/setup/build_joints.h"

#include <fmt/format.h>

#include "core/world/joining.h"
#include "files/setup/select.h"

namespace drubble::files {

namespace {

class Joiner {
 public:
  Joiner(const Setup& s, BuiltScene& built, std::vector<Problem>& problems)
      : built_(built), problems_(problems), selecting_(s, built, problems) {}

  // Joints of a group of loose parts, at one of its copies.
  void addCopy(const BuiltScene::GroupCopy& copy, const std::vector<JointSetup>& joints) {
    if (pieces_.empty())
      for (std::size_t i = 0; i < built_.scene.pieces.size(); ++i)
        pieces_[built_.scene.pieces[i].name] = PieceId(i);
    in_copy_ = &copy;
    for (JointSetup j : joints) {
      if (!j.enabled) continue;
      j.name = j.joint.name = copy.name + "/" + j.name;
      for (std::optional<Vec3>* at : {&j.at, &j.a_at, &j.b_at})
        if (*at) *at = copy.pose.toWorld(copy.times * **at);
      for (JointSetup::Over& o : j.over) o.at = copy.pose.toWorld(copy.times * o.at);
      if (j.length) *j.length *= copy.times;
      if (j.joint.joint.kind == solve::JointKind::Slider)
        j.joint.joint.low *= copy.times, j.joint.joint.high *= copy.times;
      j.axis = copy.pose.turn * j.axis;
      add(j);
    }
    in_copy_ = nullptr;
  }

  void add(const JointSetup& j) {
    const std::size_t had = problems_.size();
    world::SceneJoint out = j.joint;
    out.joint.a.piece = one(j, j.a, "a");
    if (j.b.given()) out.joint.b.piece = one(j, j.b, "b");
    std::vector<PieceId> over;
    for (const JointSetup::Over& o : j.over) over.push_back(o.of.given() ? one(j, o.of, "over") : PieceId());
    if (problems_.size() > had) return;
    if (out.joint.a.piece == out.joint.b.piece)
      return complain(
          j, fmt::format("joint '{}' holds '{}' to itself: a and b must be two pieces, or leave b out "
                         "for the world",
                         j.name, nameOf(out.joint.a.piece)));
    const world::Scene& scene = built_.scene;
    const bool line = out.joint.kind == solve::JointKind::Spring || out.joint.kind == solve::JointKind::Rope;
    if (line) {
      out.joint.a = world::sideAt(scene, out.joint.a.piece, *j.a_at, Quat::Identity());
      out.joint.b = world::sideAt(scene, out.joint.b.piece, *j.b_at, Quat::Identity());
      for (std::size_t k = 0; k < over.size(); ++k)
        out.joint.over.push_back({over[k], world::sideAt(scene, over[k], j.over[k].at, Quat::Identity()).at});
      out.joint.length = j.length.value_or(world::startLength(scene, out.joint));
    } else {
      world::placeJoint(scene, *j.at, j.axis.normalized(), out.joint);
    }
    out.collide = j.collide.value_or(line);
    built_.scene.joints.push_back(std::move(out));
    built_.joint_wheres.push_back(j.where);
  }

 private:
  std::string nameOf(PieceId p) const { return built_.scene.pieces[p.index()].name; }
  void complain(const JointSetup& j, const std::string& text) { problems_.push_back({text, j.where}); }

  PieceId one(const JointSetup& j, const Selector& s, const char* key) {
    if (in_copy_ != nullptr) return pieces_.at(in_copy_->name + "/" + s.patterns.front());
    const std::vector<PieceId> found = selecting_.take(s);
    if (found.size() > 1)
      problems_.push_back({fmt::format("'{}' of joint '{}' takes {} pieces, from '{}' on: name one", key,
                                       j.name, found.size(), nameOf(found.front())),
                           s.where});
    return found.size() == 1 ? found.front() : PieceId();
  }

  BuiltScene& built_;
  std::vector<Problem>& problems_;
  Selecting selecting_;
  const BuiltScene::GroupCopy* in_copy_ = nullptr;
  std::map<std::string, PieceId> pieces_;  // by name; filled for copies
};

}  // namespace

void addJoints(const Setup& s, BuiltScene& built, std::vector<Problem>& problems) {
  Joiner joiner(s, built, problems);
  for (const JointSetup& j : s.joints)
    if (j.enabled) joiner.add(j);
  std::map<std::string, const BodySetup*> groups;
  for (const BodySetup& b : s.bodies) groups[b.name] = &b;
  for (const BuiltScene::GroupCopy& copy : built.group_copies)
    joiner.addCopy(copy, groups.at(copy.group)->joints);
}

}  // namespace drubble::files
