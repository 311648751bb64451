// SPDX-License-Identifier: Apache-2.0
#include "files/export/usd.h"

#include <algorithm>

#include "core/base/trig.h"
#include "files/export/usd_bonds.h"
#include "files/export/usd_parts.h"

namespace drubble::files {

namespace {

constexpr int kPlace = 7, kTurn = 7, kHalf = 4, kSpeed = 6;  // decimals

class Writer {
 public:
  Writer(Shot& shot, UsdForm form) : shot_(shot), form_(form), out_(shot.options().path) {
    UsdNames surfaces, meshes;
    for (const Surface& s : shot.surfaces()) materials_.push_back(surfaces.add(s.name));
    for (const ShownMesh& m : shot.meshes()) mesh_names_.push_back(meshes.add(m.name));
  }

  void write(bool bonds) {
    head();
    usdMaterials(out_, shot_.surfaces(), materials_);
    meshes();
    if (form_ == UsdForm::Instances) {
      instancer("moving", true);
      instancer("still", false);
    } else {
      nodes();
    }
    if (bonds) usdBonds(out_, shot_);
    out_.text("}\n");
    out_.finish();
  }

 private:
  using Values = std::function<void(const std::vector<PieceMoment>&)>;

  void head() {
    const CacheInfo& info = shot_.cache().info();
    out_.print("#usda 1.0\n(\n    defaultPrim = \"shot\"\n    doc = {}\n",
               usdText(info.title.empty() ? "Drubble" : info.title));
    out_.print(
        "    startTimeCode = {}\n    endTimeCode = {}\n    framesPerSecond = {}\n    timeCodesPerSecond = "
        "{}\n",
        shot_.times().front(), shot_.times().back(), info.fps, info.fps);
    out_.print("    metersPerUnit = {}\n    upAxis = \"{}\"\n)\n\n", shot_.unit(), info.up_is_z ? "Z" : "Y");
    out_.text("def Xform \"shot\" (\n    kind = \"assembly\"\n)\n{\n");
  }

  // Once each, drawn nowhere by themselves.
  void meshes() {
    out_.text("    class Scope \"meshes\"\n    {\n");
    for (std::size_t k = 0; k < mesh_names_.size(); ++k) {
      const ShownMesh& m = shot_.meshes()[k];
      const auto points = [&](FileOut& out, const std::string& indent) {
        out.print("{}point3f[] points.timeSamples = {{\n", indent);
        for (const double time : shot_.times()) {
          out.print("{}    {}: ", indent, time);
          usdVectors(out, shot_.verticesAt(m, time), kPlace);
          out.text(",\n");
        }
        out.print("{}}}\n", indent);
      };
      usdMesh(out_, m, mesh_names_[k], materials_, "        ",
              m.bends ? std::function<void(FileOut&, const std::string&)>(points) : nullptr);
    }
    out_.text("    }\n");
  }

  // An attribute: a value, or one at each time.
  void attribute(const std::string& type, const std::string& name, bool timed, const Values& values) {
    out_.print("        {} {}", type, name);
    if (!timed) {
      out_.text(" = ");
      values(shot_.at(shot_.times().front()));
      out_.text("\n");
      return;
    }
    out_.text(".timeSamples = {\n");
    for (std::size_t n = 0; n < shot_.times().size(); ++n) {
      out_.print("            {}: ", shot_.times()[n]);
      values(shot_.at(shot_.times()[n]));
      out_.text(",\n");
      shot_.tell(name, n, shot_.times().size());
    }
    out_.text("        }\n");
  }

  template <class Write>
  void list(const std::vector<ShownPiece>& pieces, Write write) {
    out_.text("[");
    bool first = true;
    for (const ShownPiece& p : pieces) {
      if (!first) out_.text(", ");
      first = false;
      write(p);
    }
    out_.text("]");
  }

  void numbers(std::initializer_list<double> values, int decimals) {
    char before = '(';
    for (const double x : values) {
      out_.text(before == '(' ? "(" : ", ");
      before = ',';
      out_.number(x, decimals);
    }
    out_.text(")");
  }

  void instancer(const std::string& name, bool moving) {
    std::vector<ShownPiece> pieces;
    for (const ShownPiece& p : shot_.pieces())
      if (p.moves == moving) pieces.push_back(p);
    if (pieces.empty()) return;
    std::vector<std::uint32_t> used;
    for (const ShownPiece& p : pieces) used.push_back(p.mesh);
    std::sort(used.begin(), used.end());
    used.erase(std::unique(used.begin(), used.end()), used.end());
    out_.print("    def PointInstancer \"{}\"\n    {{\n", name);
    out_.text("        rel prototypes = [");
    for (std::size_t k = 0; k < used.size(); ++k)
      out_.print("{}</shot/{}/prototypes/{}>", k > 0 ? ", " : "", name, mesh_names_[used[k]]);
    out_.text("]\n        int[] protoIndices = ");
    list(pieces, [&](const ShownPiece& p) {
      out_.print("{}", std::lower_bound(used.begin(), used.end(), p.mesh) - used.begin());
    });
    out_.text("\n        int64[] ids = ");
    list(pieces, [&](const ShownPiece& p) { out_.print("{}", p.piece); });
    out_.text("\n        custom string[] drubble:names = ");
    list(pieces, [&](const ShownPiece& p) { out_.text(usdText(shot_.nameOf(p))); });
    out_.text("\n");
    attributes(pieces, moving);
    out_.text("\n        def Scope \"prototypes\"\n        {\n");
    for (const std::uint32_t m : used)
      out_.print(
          "            def \"{0}\" (\n                prepend references = </shot/meshes/{0}>\n            "
          ")\n"
          "            {{\n            }}\n",
          mesh_names_[m]);
    out_.text("        }\n    }\n");
  }

  void attributes(const std::vector<ShownPiece>& pieces, bool moving) {
    using List = const std::vector<PieceMoment>&;
    const auto vectors = [&](List now, int decimals, auto value) {
      list(pieces, [&](const ShownPiece& p) {
        const Vec3 v = value(now[p.piece]);
        numbers({v.x(), v.y(), v.z()}, decimals);
      });
    };
    const auto turns = [&](List now, int decimals) {
      list(pieces, [&](const ShownPiece& p) {
        const Quat& q = now[p.piece].pose.turn;
        numbers({q.w(), q.x(), q.y(), q.z()}, decimals);
      });
    };
    attribute("point3f[]", "positions", moving,
              [&](List now) { vectors(now, kPlace, [](const PieceMoment& m) { return m.pose.position; }); });
    attribute("quath[]", "orientations", moving, [&](List now) { turns(now, kHalf); });
    attribute("quatf[]", "orientationsf", moving, [&](List now) { turns(now, kTurn); });
    attribute("float3[]", "scales", false,
              [&](List) { list(pieces, [&](const ShownPiece&) { out_.text("(1, 1, 1)"); }); });
    attribute("float3[]", "extent", moving, [&](List now) { extent(pieces, now); });
    if (!moving) return;
    attribute("vector3f[]", "velocities", true,
              [&](List now) { vectors(now, kSpeed, [](const PieceMoment& m) { return m.velocity; }); });
    attribute("vector3f[]", "angularVelocities", true, [&](List now) {
      vectors(now, kSpeed, [](const PieceMoment& m) { return Vec3(m.spin / kDegree); });
    });
    attribute("int64[]", "invisibleIds", true, [&](List now) {
      std::vector<ShownPiece> absent;
      for (const ShownPiece& p : pieces)
        if (!now[p.piece].there()) absent.push_back(p);
      list(absent, [&](const ShownPiece& p) { out_.print("{}", p.piece); });
    });
  }

  void extent(const std::vector<ShownPiece>& pieces, const std::vector<PieceMoment>& now) {
    Box box;
    for (const ShownPiece& p : pieces) {
      if (!now[p.piece].there()) continue;
      const Vec3 r = Vec3::Constant(shot_.meshes()[p.mesh].radius);
      box.add(Vec3(now[p.piece].pose.position - r));
      box.add(Vec3(now[p.piece].pose.position + r));
    }
    if (box.empty()) box.add(Vec3(Vec3::Zero()));
    usdVectors(out_, {box.low, box.high}, 5);
  }

  // Pieces by name, each step of which is a prim.
  void nodes() {
    std::vector<std::size_t> order(shot_.pieces().size());
    for (std::size_t k = 0; k < order.size(); ++k) order[k] = k;
    const auto name = [&](std::size_t k) -> const std::string& { return shot_.nameOf(shot_.pieces()[k]); };
    // As by steps of the path: a slash comes before all else.
    const auto before = [&](std::size_t a, std::size_t b) {
      return std::lexicographical_compare(
          name(a).begin(), name(a).end(), name(b).begin(), name(b).end(),
          [](char x, char y) { return (x == '/' ? 0 : x) < (y == '/' ? 0 : y); });
    };
    std::sort(order.begin(), order.end(), before);
    out_.text("    def Xform \"pieces\"\n    {\n");
    shot_.eachTrack("transforms", order, [&](std::size_t k, const std::vector<PieceMoment>& track) {
      enter(name(k));
      node(k, track);
    });
    leave(0);
    out_.text("    }\n");
  }

  // Closes and opens prims down to the last step of a path.
  void enter(const std::string& path) {
    std::vector<std::string> steps(1);
    for (const char c : path) {
      if (c == '/')
        steps.emplace_back();
      else
        steps.back() += c;
    }
    std::size_t same = 0;
    while (same < open_.size() && same + 1 < steps.size() && open_[same] == steps[same]) ++same;
    leave(same);
    if (names_.empty()) names_.emplace_back();
    for (std::size_t k = same; k < steps.size(); ++k) {
      out_.print("{}def Xform \"{}\"", std::string(8 + 4 * k, ' '), names_.back().add(steps[k]));
      if (k + 1 < steps.size()) out_.print("\n{}{{\n", std::string(8 + 4 * k, ' '));
      open_.push_back(steps[k]);
      names_.emplace_back().add("mesh");
    }
  }

  void leave(std::size_t depth) {
    while (open_.size() > depth) {
      out_.print("{}}}\n", std::string(4 + 4 * open_.size(), ' '));
      open_.pop_back();
      names_.pop_back();
    }
  }

  void node(std::size_t k, const std::vector<PieceMoment>& track) {
    const ShownPiece& p = shot_.pieces()[k];
    const std::string indent(4 + 4 * open_.size(), ' '), in = indent + "    ";
    out_.print(" (\n{0}    customData = {{\n{0}        string piece = {1}\n{0}    }}\n{0})\n{0}{{\n", indent,
               usdText(shot_.nameOf(p)));
    const auto timed = [&](const std::string& what, bool moves, auto value, auto same) {
      out_.print("{}{}", in, what);
      if (!moves) {
        out_.text(" = ");
        value(track[0]);
        out_.text("\n");
        return;
      }
      out_.text(".timeSamples = {\n");
      for (std::size_t n = 0; n < track.size(); ++n) {
        // What stays the same is said at both ends.
        if (n > 0 && n + 1 < track.size() && same(track[n - 1], track[n]) && same(track[n], track[n + 1]))
          continue;
        out_.print("{}    {}: ", in, shot_.times()[n]);
        value(track[n]);
        out_.text(",\n");
      }
      out_.print("{}}}\n", in);
    };
    timed(
        "double3 xformOp:translate", p.moves,
        [&](const PieceMoment& m) {
          const Vec3& v = m.pose.position;
          numbers({v.x(), v.y(), v.z()}, kPlace);
        },
        [](const PieceMoment& a, const PieceMoment& b) { return a.pose.position == b.pose.position; });
    // From one to the next the shorter way.
    Quat last = track[0].pose.turn;
    timed(
        "quatf xformOp:orient", p.moves,
        [&](const PieceMoment& m) {
          Quat q = m.pose.turn;
          if (q.dot(last) < 0) q.coeffs() = -q.coeffs();
          last = q;
          numbers({q.w(), q.x(), q.y(), q.z()}, kTurn);
        },
        [](const PieceMoment& a, const PieceMoment& b) {
          return a.pose.turn.coeffs() == b.pose.turn.coeffs();
        });
    out_.print("{}uniform token[] xformOpOrder = [\"xformOp:translate\", \"xformOp:orient\"]\n", in);
    const bool comes_or_goes =
        std::any_of(track.begin(), track.end(), [](const PieceMoment& m) { return !m.there(); });
    if (comes_or_goes)
      timed(
          "token visibility", p.moves,
          [&](const PieceMoment& m) { out_.text(m.there() ? "\"inherited\"" : "\"invisible\""); },
          [](const PieceMoment& a, const PieceMoment& b) { return a.there() == b.there(); });
    out_.print("\n{0}def \"mesh\" (\n{0}    prepend references = </shot/meshes/{1}>\n{0})\n{0}{{\n{0}}}\n",
               in, mesh_names_[p.mesh]);
  }

  Shot& shot_;
  UsdForm form_;
  FileOut out_;
  std::vector<std::string> materials_, mesh_names_;
  std::vector<std::string> open_;  // steps of the path that is written
  std::vector<UsdNames> names_;    // at each depth
};

}  // namespace

void writeUsd(Shot& shot, UsdForm form, bool bonds) { Writer(shot, form).write(bonds); }

}  // namespace drubble::files
