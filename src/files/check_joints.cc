// SPDX-License-Identifier: Apache-2.0
#include "files/check_joints.h"

#include <fmt/format.h>

#include <map>

#include "core/world/joining.h"

namespace drubble::files {

namespace {

constexpr double kApart = 1e-3;  // of the smaller piece: below it is rounding
constexpr double kFar = 1;       // sizes that a joint may lie outside its piece
constexpr double kUneven = 1e4;  // masses joined: above it, look twice

class JointChecker {
 public:
  JointChecker(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out)
      : setup_(setup), built_(built), out_(out) {}

  void check(const world::SceneJoint& j, const Where& where) {
    where_ = where;
    checkMoves(j);
    checkTaut(j);
    for (const solve::JointSide* side : {&j.joint.a, &j.joint.b}) checkNear(j, *side);
    checkMasses(j);
  }

 private:
  const world::Piece& piece(PieceId p) const { return built_.scene.pieces[p.index()]; }
  double mass(PieceId p) const {
    const bool moves = p.valid() && piece(p).role == world::Role::Dynamic;
    return moves ? built_.scene.prototypeOf(p.index()).traits.mass() : 0;
  }
  std::string nameOf(PieceId p) const { return p.valid() ? "'" + piece(p).name + "'" : "the world"; }
  void say(Severity s, std::string kind, const world::SceneJoint& j, const std::string& text, double amount) {
    std::vector<std::string> names;
    for (const PieceId p : {j.joint.a.piece, j.joint.b.piece})
      if (p.valid()) names.push_back(piece(p).name);
    out_.push_back({s, std::move(kind), fmt::format("joint '{}' (line {}): {}", j.name, where_.line, text),
                    names, amount});
  }

  void checkMoves(const world::SceneJoint& j) {
    bool moves = mass(j.joint.a.piece) > 0 || mass(j.joint.b.piece) > 0;
    for (const solve::JointPoint& p : j.joint.over) moves = moves || mass(p.piece) > 0;
    if (moves) return;
    say(Severity::Warning, "joint", j,
        fmt::format(
            "neither {} nor {} moves by itself, so it holds nothing: give one of them role = \"dynamic\"",
            nameOf(j.joint.a.piece), nameOf(j.joint.b.piece)),
        0);
  }

  void checkTaut(const world::SceneJoint& j) {
    if (j.joint.kind != solve::JointKind::Rope) return;
    const double apart = world::startLength(built_.scene, j.joint), over = apart - j.joint.length;
    if (over <= kApart * apart) return;
    say(Severity::Error, "joint", j,
        fmt::format("the rope is {:.4g} {} long and its ends are {:.4g} apart at the start: it would pull "
                    "them together; "
                    "make it longer, or leave length out",
                    j.joint.length / setup_.unit, setup_.units, apart / setup_.unit),
        over);
  }

  // An end far outside its piece is most often in the wrong place, or in the wrong unit.
  void checkNear(const world::SceneJoint& j, const solve::JointSide& side) {
    if (!side.piece.valid()) return;
    const world::Prototype& p = built_.scene.prototypeOf(side.piece.index());
    if (p.shape.kind == shape::Kind::Plane) return;
    const Box box = p.mesh.vertices.empty() ? p.shape.bounds : p.mesh.bounds();
    const double away = (side.at - side.at.cwiseMax(box.low).cwiseMin(box.high)).norm();
    if (away <= kFar * p.traits.size) return;
    say(Severity::Warning, "joint", j,
        fmt::format("it lies {:.4g} {} outside {}, which is {:.4g} across: is its place right?",
                    away / setup_.unit, setup_.units, nameOf(side.piece), p.traits.size / setup_.unit),
        away);
  }

  void checkMasses(const world::SceneJoint& j) {
    const double a = mass(j.joint.a.piece), b = mass(j.joint.b.piece);
    if (!(a > 0) || !(b > 0)) return;
    const double ratio = a > b ? a / b : b / a;
    if (ratio <= kUneven) return;
    say(Severity::Note, "joint", j,
        fmt::format("{} weighs {:.0f} times as much as {}", nameOf(a > b ? j.joint.a.piece : j.joint.b.piece),
                    ratio, nameOf(a > b ? j.joint.b.piece : j.joint.a.piece)),
        ratio);
  }

  const Setup& setup_;
  const BuiltScene& built_;
  std::vector<Finding>& out_;
  Where where_;
};

}  // namespace

// Of a group's copies all have the same joints: the first is looked at, and stands for the others.
void checkJoints(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out) {
  std::map<std::pair<int, int>, std::size_t> copies;
  for (const Where& w : built.joint_wheres) ++copies[{w.line, w.column}];
  JointChecker checker(setup, built, out);
  for (std::size_t k = 0; k < built.scene.joints.size(); ++k) {
    const Where& where = built.joint_wheres[k];
    const auto same = copies.find({where.line, where.column});
    if (same == copies.end()) continue;
    const std::size_t had = out.size(), others = same->second - 1;
    checker.check(built.scene.joints[k], where);
    for (std::size_t n = had; n < out.size() && others > 0; ++n)
      out[n].message += fmt::format(" (so {} of {} more)", others == 1 ? "is that" : "are those", others);
    copies.erase(same);
  }
}

}  // namespace drubble::files
