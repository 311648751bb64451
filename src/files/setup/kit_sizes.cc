// SPDX-License-Identifier: Apache-2.0
#include "files/setup/kit_sizes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

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

}  // namespace

const BodySetup& KitMaker::bodyOf(const Kit& kit) const {
  return out_.prototype_bodies[kit.parts.front().prototype.index()];
}

KitSizes KitMaker::sizesOf(const std::vector<CopySetup>& copies, const std::array<double, 2>& size,
                           const std::vector<ColourSetup>& colours) {
  const std::vector<Shade> shades = shadesOf(colours);
  const bool plain = size[0] == 1 && size[1] == 1;
  KitSizes out;
  for (const CopySetup& c : copies) {
    const auto found = kits_.find(c.body);
    if (found == kits_.end()) continue;
    std::vector<const Kit*>& kits = out[c.body];
    if (plain && colours.empty()) {
      kits.push_back(&found->second);
      continue;
    }
    if (!found->second.apart && bodyOf(found->second).geometry == Geometry::Group) {
      problems_.push_back({fmt::format("'{}' is joined of parts, which keep their size and colour: leave out "
                                       "joined = true, or vary bodies",
                                       c.body),
                           c.where});
      continue;
    }
    const int n = size[0] == size[1] ? 1 : kSizes;
    for (int k = 0; k < n; ++k)
      for (const Shade& shade : shades)
        kits.push_back(&sized(found->second, size[0] + (size[1] - size[0]) * (k + 0.5) / n, shade));
  }
  return out;
}

const Kit& KitMaker::sized(const Kit& plain, double times, const Shade& shade) {
  const Key key(plain.name, times, shade);
  const auto known = made_.find(key);
  if (known != made_.end()) return known->second;
  Kit kit = plain.group   ? groupSized(plain, times, shade)
            : plain.apart ? cutSized(plain, times, shade)
                          : kitOf(out_, bodySized(plain, times, shade), s_.up());
  return made_.emplace(key, std::move(kit)).first->second;
}

// A body `times` as large as it is told, perhaps of another colour.
PrototypeId KitMaker::bodySized(const Kit& plain_kit, double times, const Shade& shade) {
  const auto [at, fresh] =
      bodies_.emplace(Key(plain_kit.name, times, shade), PrototypeId(out_.scene.prototypes.size()));
  if (!fresh) return at->second;
  BodySetup b = bodyOf(plain_kit);
  const world::Prototype& plain = out_.scene.prototypes[plain_kit.parts.front().prototype.index()];
  const MaterialId material = plain.material;
  b.colour = shade.value_or(plain.colour);
  b.scale *= times;
  if (b.mass) *b.mass *= times * times * times;
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
    parts.push_back(bodySized(body, times, shade));
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
    mesh::TriangleMesh larger = out_.meshes[from];
    for (Vec3& v : larger.vertices) v *= times;
    MadeBody made = pieceOf(body, std::move(larger), base.traits.mass() / base.volume);
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
