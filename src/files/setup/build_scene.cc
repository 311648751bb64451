// SPDX-License-Identifier: Apache-2.0
#include "files/setup/build_scene.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>

#include "core/base/trig.h"
#include "core/measure/fit.h"
#include "core/mesh/mend.h"
#include "core/place/grid.h"
#include "core/place/room.h"
#include "core/world/prototypes.h"
#include "files/meshes.h"
#include "files/obj.h"
#include "files/setup/build_acts.h"
#include "files/setup/table.h"

namespace drubble::files {

namespace {

// Easily told apart, muted: used in order for bodies without a colour of their own.
constexpr std::array<std::array<double, 3>, 6> kColours = {{{0.78, 0.36, 0.20},
                                                            {0.20, 0.45, 0.55},
                                                            {0.85, 0.68, 0.28},
                                                            {0.45, 0.55, 0.33},
                                                            {0.55, 0.42, 0.58},
                                                            {0.62, 0.60, 0.56}}};

class Builder {
 public:
  explicit Builder(const Setup& s) : s_(s) {}

  BuiltScene build() {
    copyWhole();
    for (const BodySetup& b : s_.bodies) {
      if (!b.enabled) continue;
      try {
        for (const BodySetup& part : splitBody(b)) addPrototype(part);
      } catch (const Error& e) {
        for (Problem p : e.problems()) {
          const bool placed = p.where && p.where->line > 0;
          if (!placed)
            p = {fmt::format("body '{}': {}{}", b.name, p.where ? p.where->path + ": " : "", p.message),
                 b.where};
          if (b.geometry == Geometry::Mesh && !placed && b.mesh_where.line > 0) p.where = b.mesh_where;
          problems_.push_back(p);
        }
      }
    }
    if (!problems_.empty()) throw Error(ErrorKind::Input, problems_);
    addBodies();
    for (const PlaceSetup& p : s_.places)
      if (p.enabled) addPlace(p);
    checkNames();
    if (problems_.empty()) addActs(s_, out_, problems_);
    if (!problems_.empty()) throw Error(ErrorKind::Input, problems_);
    return std::move(out_);
  }

 private:
  void copyWhole() {
    world::Scene& c = out_.scene;
    c.gravity = s_.gravity;
    c.up = s_.up();
    c.fps = s_.fps;
    c.time_scale = s_.time_scale;
    c.first_frame = s_.first_frame;
    c.last_frame = s_.last_frame;
    c.solver = s_.solver;
    c.keep_inside = s_.keep_inside;
  }

  // One body for each group of its OBJ file, called BODY/GROUP; or the body itself.
  std::vector<BodySetup> splitBody(const BodySetup& b) const {
    if (!b.split || b.geometry != Geometry::Mesh) return {b};
    std::vector<BodySetup> out;
    std::map<std::string, int> names;
    for (NamedMesh& part : readObjGroups((std::filesystem::path(s_.path).parent_path() / b.mesh).string())) {
      BodySetup& x = out.emplace_back(b);
      const int n = ++names[part.name];
      x.name = fmt::format("{}/{}{}", b.name, part.name.empty() ? "part" : part.name,
                           n > 1 ? fmt::format("-{}", n) : "");
      x.part = std::move(part.mesh);
    }
    return out;
  }

  mesh::TriangleMesh mendedMesh(const BodySetup& b, const mesh::TriangleMesh& m) {
    mesh::Mended done = mesh::mended(m);
    if (done.welded + done.dropped + done.turned + done.filled > 0)
      out_.notes.push_back(
          fmt::format("body '{}': mended: {} vertices welded, {} triangles dropped, {} turned, {} "
                      "holes filled",
                      b.name, done.welded, done.dropped, done.turned, done.filled));
    return std::move(done.mesh);
  }

  mesh::TriangleMesh loadMesh(const BodySetup& b) {
    if (b.geometry == Geometry::Box) return mesh::boxMesh(b.box * b.scale);
    if (b.geometry == Geometry::Sphere) return mesh::sphereMesh(b.sphere * b.scale);
    if (b.geometry == Geometry::Ellipsoid)
      return mesh::transformed(mesh::sphereMesh(1), b.ellipsoid * b.scale, {});
    if (b.geometry == Geometry::Capsule)
      return mesh::capsuleMesh(b.capsule[0] * b.scale, b.capsule[1] * b.scale, s_.up());
    if (b.geometry == Geometry::Cylinder)
      return mesh::cylinderMesh(b.cylinder[0] * b.scale, b.cylinder[1] * b.scale, s_.up());
    const auto path = std::filesystem::path(s_.path).parent_path() / b.mesh;
    mesh::TriangleMesh m = mesh::welded(b.part ? *b.part : readMesh(path.string()));
    if (b.mend) m = mendedMesh(b, m);
    const double unit = b.mesh_unit > 0 ? b.mesh_unit : s_.unit;
    for (Vec3& v : m.vertices) v *= unit * b.scale;
    return m;
  }

  void requireSolid(const mesh::TriangleMesh& m) const {
    const mesh::Closedness c = mesh::closedness(m);
    if (!c.closed()) {
      const Vec3 at = c.first_open / s_.unit;
      throw Error(ErrorKind::Input,
                  fmt::format("the mesh is not closed ({} open, {} flipped, {} crowded edges; one near "
                              "[{:.4g}, {:.4g}, {:.4g}]): "
                              "close it, try mend = true, or set role = \"static\"",
                              c.open_edges, c.flipped_edges, c.crowded_edges, at.x(), at.y(), at.z()));
    }
    const double volume = mesh::massProperties(m).volume;
    if (volume < 0)
      throw Error(ErrorKind::Input, "the mesh is inside-out: turn its faces round, or set mend = true");
    if (!(volume > 1e-12 * std::max(1e-30, m.bounds().size().prod())))
      throw Error(ErrorKind::Input, "the mesh has no volume");
  }

  static bool fixed(const BodySetup& b) { return b.role != world::Role::Dynamic; }

  // The prototype of a primitive that is felt as what it is.
  std::optional<world::Prototype> primitive(const BodySetup& b, double density) const {
    const auto is = [&](Geometry g, const char* shape) {
      return b.geometry == g && (b.shape == "auto" || b.shape == shape);
    };
    const double k = b.scale;
    if (is(Geometry::Sphere, "sphere")) return world::spherePrototype(b.name, b.sphere * k, density);
    if (is(Geometry::Box, "box")) return world::boxPrototype(b.name, b.box * k, density);
    if (is(Geometry::Ellipsoid, "ellipsoid"))
      return world::ellipsoidPrototype(b.name, b.ellipsoid * k, density);
    if (is(Geometry::Capsule, "capsule"))
      return world::capsulePrototype(b.name, b.capsule[0] * k, b.capsule[1] * k, s_.up(), density);
    if (is(Geometry::Cylinder, "cylinder"))
      return world::cylinderPrototype(b.name, b.cylinder[0] * k, b.cylinder[1] * k, s_.up(), density);
    return {};
  }

  shape::Shape shapeOf(const BodySetup& b, const mesh::TriangleMesh& m_body) {
    static const std::map<std::string, world::ShapeChoice> kChoices = {
        {"sphere", world::ShapeChoice::Sphere},       {"box", world::ShapeChoice::Box},
        {"ellipsoid", world::ShapeChoice::Ellipsoid}, {"capsule", world::ShapeChoice::Capsule},
        {"cylinder", world::ShapeChoice::Cylinder},   {"mesh", world::ShapeChoice::Mesh}};
    const double size = m_body.bounds().size().maxCoeff();
    shape::Shape s;
    if (b.shape == "auto")
      s = measure::cheapestShape(m_body, b.fit * size, b.hull_corners);
    else if (b.shape != "hull")
      return world::shapeFor(kChoices.at(b.shape), m_body);
    if (b.shape == "hull" || s.kind == shape::Kind::Convex)
      s = world::hullWithin(m_body.vertices, b.hull_corners, lost_);
    return s;
  }

  world::Prototype makePrototype(const BodySetup& b, const mesh::TriangleMesh& m, double density) {
    if (std::optional<world::Prototype> p = primitive(b, density)) return std::move(*p);
    if (b.shape == "mesh" || (b.shape == "auto" && fixed(b))) {
      world::Prototype p = world::surfacePrototype(b.name, m);
      return p;
    }
    requireSolid(m);
    const mesh::MassProperties solid = mesh::massProperties(m);
    mesh::TriangleMesh body = m;
    for (Vec3& v : body.vertices) v -= solid.centre;
    // The same mesh again, only larger or smaller: its shape is made by scaling.
    const std::string key =
        fmt::format("{} {} {} {} {}", b.mesh, b.part ? b.name : "", b.shape, b.hull_corners, b.fit);
    shape::Shape s;
    if (const auto made = made_.find(key); b.geometry == Geometry::Mesh && made != made_.end()) {
      lost_ = made->second.lost * b.scale / made->second.scale;
      s = shape::scaled(made->second.shape, b.scale / made->second.scale);
    } else {
      s = shapeOf(b, body);
      if (b.geometry == Geometry::Mesh) made_[key] = {s, b.scale, lost_};
    }
    return world::shapedPrototype(b.name, m, std::move(s), solid, density);
  }

  void addPrototype(const BodySetup& b) {
    const MaterialId material = materialNamed(s_, b.material, out_.scene);
    const double density = b.density.value_or(out_.scene.materials[material.index()].density);
    lost_ = 0;
    if (b.geometry == Geometry::Ground)
      return add(b, world::groundPrototype(b.name, s_.up(), 1), {}, material);
    if (b.geometry == Geometry::Group) return addGroup(b, material);
    mesh::TriangleMesh m = loadMesh(b);
    if (const std::string why = mesh::whyInvalid(m); !why.empty())
      throw Error(ErrorKind::Input, "the mesh is broken: " + why);
    world::Prototype p = makePrototype(b, m, density);
    weigh(b, p);
    add(b, std::move(p), std::move(m), material);
  }

  // A given mass, and a given centre of mass.
  static void weigh(const BodySetup& b, world::Prototype& p) {
    solve::Traits& t = p.traits;
    if (b.mass && t.mass() > 0) {
      const double factor = *b.mass / t.mass();
      t.inverse_mass /= factor;
      t.inertia *= factor;
      t.inverse_inertia /= factor;
      t.moments *= factor;
    }
    if (b.centre_of_mass && t.mass() > 0) world::moveCentre(p, p.origin + b.scale * *b.centre_of_mass);
  }

  void addGroup(const BodySetup& b, MaterialId material) {
    std::vector<world::Prototype> parts;
    std::vector<Pose> poses;
    mesh::TriangleMesh whole;
    for (const GroupPart& part : b.parts) {
      const auto found = prototype_of_.find(part.body);
      if (found == prototype_of_.end()) {
        std::set<std::string> known;
        for (const auto& [name, unused] : prototype_of_) known.insert(name);
        const std::string near = nearest(part.body, known);
        throw Error(ErrorKind::Input,
                    fmt::format("group '{}': no body is called '{}'{}", b.name, part.body,
                                near.empty() ? "" : "; did you mean '" + near + "'?"),
                    part.where);
      }
      const world::Prototype& p = out_.scene.prototypes[found->second.index()];
      const Pose at{part.at, turnXyz(part.turn)};
      parts.push_back(p);
      poses.push_back({at.position - at.turn * out_.anchors[found->second.index()], at.turn});
      mesh::append(whole, mesh::transformed(p.mesh, Vec3::Ones(), poses.back()));
      used_in_groups_.insert(part.body);
      if (b.role == world::Role::Dynamic && !(p.traits.inverse_mass > 0))
        throw Error(
            ErrorKind::Input,
            fmt::format("group '{}' moves by itself, but its part '{}' is felt as a mesh: give that body "
                        "role = \"dynamic\" and a shape like \"hull\"",
                        b.name, part.body),
            part.where);
    }
    world::Prototype p = world::joinedPrototype(b.name, parts, poses);
    if (b.density && p.volume > 0 && p.traits.mass() > 0) {
      BodySetup heavy = b;
      heavy.mass = *b.density * p.volume;
      weigh(heavy, p);
    } else {
      weigh(b, p);
    }
    const MaterialId own = b.material.empty() ? parts.front().material : material;
    add(b, std::move(p), std::move(whole), own);
    if (!b.colour) out_.scene.prototypes.back().colour = parts.front().colour;
  }

  void add(const BodySetup& b, world::Prototype p, mesh::TriangleMesh m, MaterialId material) {
    p.material = material;
    p.colour = b.colour.value_or(b.role == world::Role::Static
                                     ? std::array{0.66, 0.62, 0.56}
                                     : kColours[out_.scene.prototypes.size() % kColours.size()]);
    p.show = b.show;
    p.shape.margin = b.margin;
    p.traits.gravity_share = b.gravity_share;
    p.traits.travel_damping = b.travel_damping;
    p.traits.spin_damping = b.spin_damping;
    p.traits.free_travel = b.free_travel;
    p.traits.free_turn = b.free_turn;
    prototype_of_[b.name] = PrototypeId(out_.scene.prototypes.size());
    out_.anchors.push_back(anchorOf(b, p));
    out_.hull_losses.push_back(lost_);
    out_.scene.prototypes.push_back(std::move(p));
    out_.prototype_bodies.push_back(b);
    out_.meshes.push_back(std::move(m));
  }

  // Where `at` and `turn` hold the body: its mesh's origin, its centre of mass, or the middle of its base;
  // body space.
  Vec3 anchorOf(const BodySetup& b, const world::Prototype& p) const {
    if (b.origin == Origin::Centre || b.geometry == Geometry::Ground) return Vec3::Zero();
    if (b.origin == Origin::Mesh) return p.origin;
    const Box box = p.mesh.bounds();
    const Vec3 up = s_.up();
    return box.centre() - up * (0.5 * box.size().dot(up));
  }

  void addPiece(const std::string& name, PrototypeId prototype, const Pose& centre, const Where& where) {
    const BodySetup& b = out_.prototype_bodies[prototype.index()];
    world::Piece piece;
    piece.name = name;
    piece.prototype = prototype;
    piece.role = b.role;
    piece.start = centre;
    piece.velocity = b.velocity;
    piece.spin = b.spin;
    piece.collide = b.collide;
    piece.start_state = b.start;
    piece.wake_above = b.wake_above;
    out_.scene.pieces.push_back(piece);
    wheres_.push_back(where);
  }

  void addBodies() {
    std::set<std::string> copied = used_in_groups_;
    for (const PlaceSetup& p : s_.places)
      for (const auto& c : p.copies) copied.insert(c.body);
    for (const auto& [name, prototype] : prototype_of_) {
      if (copied.contains(name)) continue;
      order_.push_back(prototype);
    }
    std::sort(order_.begin(), order_.end());
    for (const PrototypeId prototype : order_) {
      const BodySetup& b = out_.prototype_bodies[prototype.index()];
      Pose pose{b.at, turnXyz(b.turn)};
      if (b.geometry == Geometry::Ground) pose.position += b.ground * s_.up();
      pose.position -= pose.turn * out_.anchors[prototype.index()];
      addPiece(b.name, prototype, pose, b.where);
    }
  }

  void addPlace(const PlaceSetup& p) {
    place::GridSpec g;
    g.name = p.name;
    g.seed = p.seed;
    g.count = p.count;
    g.base = {p.at, turnXyz(p.turn)};
    g.up = s_.up();
    g.vary_at = p.vary_at;
    g.vary_turn = p.vary_turn;
    std::vector<PrototypeId> prototypes;
    Vec3 largest = Vec3::Zero();
    for (const auto& c : p.copies) {
      const auto found = prototype_of_.find(c.body);
      if (found == prototype_of_.end()) continue;  // switched off
      prototypes.push_back(found->second);
      g.weights.push_back(c.weight);
      largest = largest.cwiseMax(out_.scene.prototypes[found->second.index()].shape.bounds.size());
    }
    if (prototypes.empty())
      return void(
          out_.notes.push_back(fmt::format("place '{}' copies only bodies that are switched off", p.name)));
    g.spacing = p.spacing.value_or(largest + p.gap);
    fill(p, g, prototypes, largest.maxCoeff());
  }

  void fill(const PlaceSetup& p, const place::GridSpec& g, const std::vector<PrototypeId>& prototypes,
            double size) {
    place::Room room(2 * size);
    const auto& pieces = out_.scene.pieces;
    for (std::size_t i = 0; i < pieces.size(); ++i)
      if (pieces[i].collide) room.add(out_.scene.prototypeOf(i).shape, pieces[i].start);
    std::vector<std::size_t> in_room;
    for (std::size_t i = 0; i < pieces.size(); ++i)
      if (pieces[i].collide) in_room.push_back(i);
    int skipped = 0, ordinal = 0;
    std::string blocker;
    for (const place::Copy& c : place::grid(g)) {
      const PrototypeId prototype = prototypes[c.prototype];
      const world::Prototype& proto = out_.scene.prototypes[prototype.index()];
      const BodySetup& b = out_.prototype_bodies[prototype.index()];
      const std::string name = fmt::format("{}/{:04}", p.name, ++ordinal);
      if (b.collide) {
        if (const int hit = room.blockedBy(proto.shape, c.pose, 1e-6 * proto.traits.size); hit >= 0) {
          blocker = pieces[in_room[static_cast<std::size_t>(hit)]].name;
          if (p.no_room_is_error) {
            problems_.push_back(
                {fmt::format("'{}' finds no room: it would overlap '{}'; widen the spacing or vary less",
                             name, blocker),
                 p.where});
            return;
          }
          ++skipped;
          continue;
        }
        room.add(proto.shape, c.pose);
        in_room.push_back(pieces.size());
      }
      addPiece(name, prototype, c.pose, p.where);
    }
    if (skipped > 0)
      out_.notes.push_back(fmt::format(
          "place '{}': {} of {} copies found no room and were left out (the last would have overlapped '{}')",
          p.name, skipped, ordinal, blocker));
  }

  void checkNames() {
    std::map<std::string, std::size_t> seen;
    for (std::size_t i = 0; i < out_.scene.pieces.size(); ++i) {
      const auto [it, fresh] = seen.emplace(out_.scene.pieces[i].name, i);
      if (!fresh)
        problems_.push_back(
            {fmt::format("two pieces are called '{}': rename one of them", out_.scene.pieces[i].name),
             wheres_[i]});
    }
    if (out_.scene.pieces.empty())
      problems_.push_back(
          {"the setup makes no pieces: every body is switched off or only copied", Where{s_.path, 0, 0, ""}});
  }

  const Setup& s_;
  BuiltScene out_;
  std::map<std::string, PrototypeId> prototype_of_;
  std::vector<PrototypeId> order_;
  std::vector<Where> wheres_;  // of each piece
  std::vector<Problem> problems_;
  std::set<std::string> used_in_groups_;
  struct Made {
    shape::Shape shape;
    double scale = 1, lost = 0;
  };
  std::map<std::string, Made> made_;  // shapes of meshes, by file and choice
  double lost_ = 0;                   // by the hull made last
};

}  // namespace

BuiltScene buildScene(const Setup& s) { return Builder(s).build(); }

}  // namespace drubble::files
