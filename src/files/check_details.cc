// SPDX-License-Identifier: Apache-2.0
#include "files/check_details.h"

#include <fmt/format.h>

#include "files/shown.h"

namespace drubble::files {

namespace {

constexpr double kBeside = 0.15;  // share of the size by which a detail may be elsewhere

// How far one box goes beyond the other, on any side of either.
double apart(const Box& a, const Box& b) {
  return greatest((a.low - b.low).cwiseAbs().maxCoeff(), (a.high - b.high).cwiseAbs().maxCoeff());
}

}  // namespace

void checkDetails(const Setup& setup, const BuiltScene& built, std::vector<Finding>& out) {
  std::vector<std::optional<LookedMesh>> shown;
  try {
    shown = shownMeshes(setup, built);
  } catch (const Error& e) {
    out.push_back({Severity::Error, "detail", e.what(), {}, 0});
    return;
  }
  for (std::size_t i = 0; i < shown.size(); ++i) {
    const world::Prototype& p = built.scene.prototypes[i];
    const BodySetup& b = built.prototype_bodies[i];
    if (b.detail.empty() || b.cut) continue;  // of pieces the whole counts
    const double off = apart(shown[i]->mesh.bounds(), p.mesh.bounds());
    if (off < kBeside * p.traits.size) continue;
    out.push_back(
        {Severity::Warning,
         "detail",
         fmt::format(
             "body '{}': its detail ends up to {:.3g} {} ({:.0f} % of its size) from where the simulated "
             "mesh does: is it in the same space and units?",
             p.name, off / setup.unit, setup.units, 100 * off / p.traits.size),
         {p.name},
         off});
  }
}

}  // namespace drubble::files
