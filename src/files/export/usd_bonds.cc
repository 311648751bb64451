// SPDX-License-Identifier: Apache-2.0
#include "files/export/usd_bonds.h"

#include "files/export/usd_parts.h"

namespace drubble::files {

void usdBonds(FileOut& out, Shot& shot) {
  const std::vector<CachedBond> bonds = shot.cache().bonds();
  std::vector<int> broken_at(bonds.size(), 1 << 30);
  for (const CachedBondBreak& b : shot.cache().bondBreaks())
    broken_at[b.bond] = std::min(broken_at[b.bond], b.frame);
  std::vector<char> shown(shot.cache().pieces().size(), 0);
  for (const ShownPiece& p : shot.pieces()) shown[p.piece] = 1;
  const auto holds = [&](std::size_t k, double time) {
    return shown[bonds[k].a] != 0 && shown[bonds[k].b] != 0 && time < broken_at[k];
  };
  double narrow = 0;  // a hundredth of what is bonded
  for (const CachedBond& b : bonds) narrow = std::max(narrow, std::sqrt(b.area));
  out.text("    def BasisCurves \"bonds\"\n    {\n        uniform token type = \"linear\"\n");
  out.print("        float[] widths = [{:.4g}] (\n            interpolation = \"constant\"\n        )\n",
            0.05 * narrow / shot.unit());
  const auto timed = [&](const char* what, auto value) {
    out.print("        {}.timeSamples = {{\n", what);
    for (const double time : shot.times()) {
      out.print("            {}: ", time);
      value(time);
      out.text(",\n");
    }
    out.text("        }\n");
  };
  timed("int[] curveVertexCounts", [&](double time) {
    out.text("[");
    bool first = true;
    for (std::size_t k = 0; k < bonds.size(); ++k) {
      if (!holds(k, time)) continue;
      out.text(first ? "2" : ", 2");
      first = false;
    }
    out.text("]");
  });
  timed("point3f[] points", [&](double time) {
    const std::vector<PieceMoment>& now = shot.at(time);
    std::vector<Vec3> points;
    for (std::size_t k = 0; k < bonds.size(); ++k)
      if (holds(k, time))
        for (const std::uint32_t i : {bonds[k].a, bonds[k].b}) points.push_back(now[i].pose.position);
    usdVectors(out, points, 5);
  });
  out.text("    }\n");
}

}  // namespace drubble::files
