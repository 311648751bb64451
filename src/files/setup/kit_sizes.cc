// SPDX-License-Identifier: Apache-2.0
#include "files/setup/kit_sizes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/mesh/mass.h"
#include "core/world/prototypes.h"
#include "files/setup/cut_maker.h"

namespace drubble::files {

namespace {

using Shade = std::optional<std::array<double, 3>>;

constexpr double kShades = 24;  // by which weights of colours are told apart
constexpr int kSizes = 16;      // of what varies in size: so many stand for all between

// So many of each colour as come nearest to its weight; one that is nothing where none are asked for.
std::vector<Shade> shadesOf(const std::vector<ColourSetup>& colours) {
  if (colours.empty()) return {std::nullopt};
  double total = 0, sum = 0;
  for (const ColourSetup& c : colours) total += c.weight;
  std::vector<Shade> out;
  for (const ColourSetup& c : colours) {
    sum += c.weight;
    const auto upto = static_cast<std::size_t>(std::floor(kShades * sum / total + 0.5));
    while (out.size() < upto) out.emplace_back(c.colour);
  }
  return out;
}

// The k-th of so many, evenly spread along each axis, together in no order.
std::array<double, 3> timesAt(const SizeSetup& size, int k, int n) {
  std::array<double, 3> out{};
  for (int axis = 0; axis < 3; ++axis) {
    const int at = size.alike || axis == 0 ? k : axis == 1 ? (7 * k + 3) % n : (11 * k + 6) % n;
    out[static_cast<std::size_t>(axis)] =
        size.least[axis] + (size.most[axis] - size.least[axis]) * (at + 0.5) / n;
  }
  return out;
}

// Makes a primitive longer or shorter along its axes. Empty, or why it cannot be.
std::string stretchPrimitive(BodySetup& b, const Vec3& by, const Vec3& up) {
  int high = 0;
  up.maxCoeff(&high);
  const int one = (high + 1) % 3, other = (high + 2) % 3;
  switch (b.geometry) {
    case Geometry::Box:
      b.box = b.box.cwiseProduct(by);
      return {};
    case Geometry::Ellipsoid:
      b.ellipsoid = b.ellipsoid.cwiseProduct(by);
      return {};
    case Geometry::Sphere:
      return "a sphere has one size: make it an ellipsoid";
    case Geometry::Capsule:
    case Geometry::Cylinder:
      if (by[one] != by[other])
        return "a capsule or cylinder stays round: give both axes across it one number, the same";
      (b.geometry == Geometry::Capsule ? b.capsule : b.cylinder)[0] *= by[one];
      (b.geometry == Geometry::Capsule ? b.capsule : b.cylinder)[1] *= by[high];
      return {};
    default:
      b.stretch = by;
      return b.centre_of_mass ? "its centre of mass is given, and would be another" : "";
  }
}

}  // namespace

const BodySetup& KitMaker::bodyOf(const Kit& kit) const {
  return out_.prototype_bodies[kit.parts.front().prototype.index()];
}

KitSizes KitMaker::sizesOf(const std::vector<CopySetup>& copies, const SizeSetup& size,
                           const std::vector<ColourSetup>& colours) {
  const std::vector<Shade> shades = shadesOf(colours);
  KitSizes out;
  for (const CopySetup& c : copies) {
    const auto found = kits_.find(c.body);
    if (found == kits_.end()) continue;
    std::vector<const Kit*>& kits = out[c.body];
    if (size.one() && colours.empty()) {
      kits.push_back(&found->second);
      continue;
    }
    if (!found->second.apart && bodyOf(found->second).geometry == Geometry::Group) {
      problems_.push_back({fmt::format("'{}' is joined of parts, which keep their size and colour: leave out "
                                       "joined = true, or vary bodies",
                                       c.body),
                           c.where});
      kits.push_back(&found->second);
      continue;
    }
    std::string why = found->second.apart ? "it is of several pieces" : "";
    BodySetup probe = bodyOf(found->second);
    if (!size.alike && why.empty()) why = stretchPrimitive(probe, size.least, s_.up());
    if (!size.alike && why.empty()) why = stretchPrimitive(probe, size.most, s_.up());
    if (!size.alike && !why.empty()) {
      problems_.push_back({fmt::format("'{}' cannot vary along each axis: {}", c.body, why), size.where});
      kits.push_back(&found->second);
      continue;
    }
    const int n = size.least == size.most ? 1 : kSizes;
    for (int k = 0; k < n; ++k)
      for (const Shade& shade : shades) kits.push_back(&sized(found->second, timesAt(size, k, n), shade));
  }
  return out;
}

const Kit& KitMaker::sized(const Kit& plain, const Times& times, const Shade& shade) {
  const Key key(plain.name, times, shade);
  const auto known = made_.find(key);
  if (known != made_.end()) return known->second;
  Kit kit = plain.group   ? groupSized(plain, times[0], shade)
            : plain.apart ? cutSized(plain, times[0], shade)
                          : kitOf(out_, bodySized(plain, times, shade), s_.up());
  return made_.emplace(key, std::move(kit)).first->second;
}

// A body `times` as large as it is told, perhaps of another colour.
PrototypeId KitMaker::bodySized(const Kit& plain_kit, const Times& times, const Shade& shade) {
  const auto [at, fresh] =
      bodies_.emplace(Key(plain_kit.name, times, shade), PrototypeId(out_.scene.prototypes.size()));
  if (!fresh) return at->second;
  BodySetup b = bodyOf(plain_kit);
  const world::Prototype& plain = out_.scene.prototypes[plain_kit.parts.front().prototype.index()];
  const MaterialId material = plain.material;
  b.colour = shade.value_or(plain.colour);
  if (times[0] == times[1] && times[1] == times[2])
    b.scale *= times[0];
  else
    stretchPrimitive(b, vec3(times[0], times[1], times[2]), s_.up());
  if (b.mass) *b.mass *= times[0] * times[1] * times[2];
  const double density = b.density.value_or(out_.scene.materials[material.index()].density);
  store_(b, maker_.make(b, density, out_.notes), material);
  return at->second;
}

// Its parts are as much larger as the places between them.
Kit KitMaker::groupSized(const Kit& plain, double times, const Shade& shade) {
  std::vector<PrototypeId> parts;
  const BodySetup& group = *std::find_if(s_.bodies.begin(), s_.bodies.end(),
                                         [&](const BodySetup& b) { return b.name == plain.name; });
  for (const GroupPart& part : group.parts) {
    const Kit& body = kits_.at(part.body);
    if (bodyOf(body).geometry == Geometry::Group) {
      problems_.push_back({fmt::format("'{}' has the joined part '{}', which keeps its size and colour: '{}' "
                                       "cannot vary",
                                       plain.name, part.name, plain.name),
                           part.where});
      return plain;
    }
    parts.push_back(bodySized(body, {times, times, times}, shade));
  }
  return kitOf(out_, group, parts, s_.up(), times);
}

// The same pieces, larger: what cuts them grows with them.
Kit KitMaker::cutSized(const Kit& plain, double times, const Shade& shade) {
  Kit kit = plain;
  kit.size *= times;
  kit.centre *= times;
  const auto cut = std::find_if(out_.cuts.begin(), out_.cuts.end(),
                                [&](const BuiltScene::CutBody& c) { return c.name == plain.name; });
  cut->sizes.push_back({u32(out_.scene.prototypes.size()), times});
  for (Kit::Part& part : kit.parts) {
    const std::size_t from = part.prototype.index();
    const world::Prototype base = out_.scene.prototypes[from];
    BodySetup body = out_.prototype_bodies[from];
    body.scale *= times;
    body.colour = shade ? shadeOf(*shade, body.name) : base.colour;
    MadeBody made;
    made.mesh = out_.meshes[from];
    for (Vec3& v : made.mesh.vertices) v *= times;
    made.hull_loss = times * out_.hull_losses[from];
    made.prototype =
        world::shapedPrototype(body.name, made.mesh, shape::scaled(base.shape, times),
                               mesh::massProperties(made.mesh), base.traits.mass() / base.volume);
    made.prototype.mesh = base.mesh;
    for (Vec3& v : made.prototype.mesh.vertices) v *= times;
    made.prototype.inside = base.inside;
    made.prototype.inside_colour = shade ? paler(*shade) : base.inside_colour;
    part.prototype = PrototypeId(out_.scene.prototypes.size());
    part.pose.position *= times;
    store_(body, std::move(made), base.material);
  }
  return kit;
}

}  // namespace drubble::files
